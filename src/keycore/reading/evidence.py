"""What was seen on the bench, each way of seeing its own noun, always in the family's own order."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from enum import StrEnum

from keycore.errors import InputError

DEFAULT_STRAY = 0.01
"""The chance that one value is plain wrong, unless said otherwise."""

DEFAULT_TRUST = 0.99
"""The chance that a stated label is right, unless said otherwise."""


@dataclass(frozen=True, slots=True)
class Spread:
    """A normal distribution of something unknown; sd 0 fixes it at its mean."""

    mean: float  # family unit
    sd: float


@dataclass(frozen=True, slots=True)
class Local:
    """How often, and how far, one cut alone reads deep (a nick) or shallow (dirt) of what its fellows share."""

    chance: float  # of either, in [0, 1)
    deep: Spread  # how far, family unit, both at least 0
    shallow: Spread
    share_deep: float  # of the chance


@dataclass(frozen=True, slots=True)
class Measured:
    """Values read with an instrument: one offset for the whole key, perhaps more towards the tip.

    Sources with the same ``shared`` number are passes of one instrument over one key by one hand: one offset and
    one tip wear is theirs together, and all of them carry it.
    """

    values: tuple[float | None, ...]  # family unit; None where nothing was read
    sd: tuple[float, ...]  # one for each space, family unit
    offset: Spread
    tip: Spread | None = None
    local: tuple[Local | None, ...] = ()  # one for each space; empty where no cut is off by itself
    shared: int | None = None

    def turned(self) -> Measured:
        """The same values, counted from the other end."""
        return replace(self, values=self.values[::-1], sd=self.sd[::-1], local=self.local[::-1])


@dataclass(frozen=True, slots=True)
class Rounded:
    """Labels from a machine or gauge that rounds a measured value to the nearest depth."""

    steps: tuple[int | None, ...]  # places in the depth table
    sd: tuple[float, ...]
    offset: Spread
    tip: Spread | None = None

    def turned(self) -> Rounded:
        """The same labels, counted from the other end."""
        return replace(self, steps=self.steps[::-1], sd=self.sd[::-1])


@dataclass(frozen=True, slots=True)
class Flush:
    """One depth key in a visible lock: which tumblers sat flush, None where unsure."""

    step: int
    flush: tuple[bool | None, ...]

    def turned(self) -> Flush:
        """The same round, counted from the other end."""
        return replace(self, flush=self.flush[::-1])


@dataclass(frozen=True, slots=True)
class Stated:
    """Labels stated outright: stamped parts, a reading tool's grid; a set where between lines."""

    steps: tuple[frozenset[int], ...]  # empty where nothing is stated
    trust: float = DEFAULT_TRUST

    def turned(self) -> Stated:
        """The same labels, counted from the other end."""
        return replace(self, steps=self.steps[::-1])


@dataclass(frozen=True, slots=True)
class TumblerLooks:
    """Several looks that share one counting: the rounds of a set of depth keys, the stages of a blank."""

    parts: tuple[Flush | Stated, ...]

    def turned(self) -> TumblerLooks:
        """The same looks, counted from the other end."""
        return TumblerLooks(tuple(part.turned() for part in self.parts))


class Beside(StrEnum):
    """How one cut looks beside another."""

    LEVEL = "level"
    DEEPER = "deeper"
    SHALLOWER = "shallower"


@dataclass(frozen=True, slots=True)
class Pair:
    """Two cuts held against each other by eye: the first is level with, deeper or shallower than the second."""

    first: int  # place of a space, from 0
    second: int
    compared: Beside


@dataclass(frozen=True, slots=True)
class Compared:
    """Cuts compared by eye: what all cuts have lost alike falls out, what the tip lost more does not."""

    spaces: int
    pairs: tuple[Pair, ...]  # one twice counts twice
    resolves: float  # how small a step the eye tells, family unit
    sd: float  # how surely
    tip: Spread | None = None

    def turned(self) -> Compared:
        """The same comparisons, counted from the other end."""
        last = self.spaces - 1
        return replace(self, pairs=tuple(Pair(last - p.first, last - p.second, p.compared) for p in self.pairs))


Evidence = Measured | Rounded | Flush | Stated | TumblerLooks | Compared
Instrument = Measured | Rounded


def check_evidence(evidence: Iterable[Evidence], spaces: int) -> None:
    """Refuse evidence whose lists are not one entry for each of ``spaces`` spaces.

    Raises InputError naming ``evidence[i].values``, ``.labels``, ``.sd`` or ``.pairs``.
    """
    for place, source in enumerate(evidence):
        for name, entries in _lists_of(source):
            if len(entries) != spaces:
                raise InputError(f"evidence[{place}].{name}", f"{len(entries)} {_NOUN[name]} for {spaces} spaces")
        if isinstance(source, Compared):
            for i, pair in enumerate(source.pairs):
                if pair.first == pair.second:
                    raise InputError(f"evidence[{place}].pairs[{i}]", "a cut is not compared with itself")


_NOUN = {"values": "values", "labels": "labels", "sd": "numbers", "at": "entries"}


def _lists_of(source: Evidence) -> list[tuple[str, tuple[object, ...]]]:
    match source:
        case Measured():
            return [("values", source.values), ("sd", source.sd)]
        case Rounded():
            return [("labels", source.steps), ("sd", source.sd)]
        case Flush():
            return [("at", source.flush)]
        case Stated():
            return [("labels", source.steps)]
        case TumblerLooks():
            return [entry for part in source.parts for entry in _lists_of(part)]
        case Compared():
            return []
