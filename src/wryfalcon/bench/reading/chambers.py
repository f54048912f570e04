"""A cylinder taken apart, and the key in hand beside it: which depths each chamber means, and the other key."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import hypot
from statistics import fmean

from keycore.errors import InputError
from keycore.reading.chambers import Chamber, DepthSet, Joined, depths_of, joined, spell
from keycore.reading.evidence import Evidence
from keycore.reading.instruments import CALIPER_SD, PIN_SD, PLUG_FIGURE_SD
from wryfalcon.bench.models import Sighting, SourceKind
from wryfalcon.bench.reading.evidence import SourceReading
from wryfalcon.bench.reading.queries import TrackReading, weigh


@dataclass(frozen=True)
class ChamberSeen:
    """One chamber, counted as its source is: what it can mean, and what it says beside the key in hand."""

    number: int
    sets: DepthSet | None  # None where nothing of it was measured, or no set of depths is near
    beside: Joined | None  # None without a key in hand
    problem: str = ""


@dataclass(frozen=True)
class Cylinder:
    """All chambers of a cylinder."""

    chambers: tuple[ChamberSeen, ...]
    bottoms: tuple[int, ...] | None  # what the bottom pins alone spell, in the order shown
    has_key: bool

    @property
    def is_mastered(self) -> bool:
        """Whether any chamber has more than one shear line."""
        return any(each.sets is not None and each.sets.is_mastered for each in self.chambers)

    @property
    def undecided(self) -> tuple[int, ...]:
        """The chambers that stay open: what they mean, or which depth the other key has there."""
        return tuple(each.number for each in self.chambers if _is_open(each))

    @property
    def other_key(self) -> tuple[int, ...] | None:
        """The other key where every chamber says which depth it has, in the order shown."""
        found = [each.beside for each in self.chambers]
        if not self.has_key or any(each is None or each.is_undecided for each in found):
            return None
        return tuple(max(each.other, key=lambda step: each.other[step]) for each in found if each is not None)


def cylinder_of(reading: TrackReading, source: SourceReading) -> Cylinder | None:
    """What a source of pins says chamber by chamber; None for another source, or before a pin is measured."""
    if source.record.kind != SourceKind.PINS or not source.values or source.record.plug is None:
        return None
    one, key = reading.family.per_inch, _key_in_hand(reading)
    sd = hypot(PIN_SD, CALIPER_SD, PLUG_FIGURE_SD) * one
    chambers = [
        _chamber(reading, source, space, sd, key) for space in (source.shown_space(number) for number in source.spaces)
    ]
    return Cylinder(tuple(chambers), spell([each.sets for each in chambers]), key is not None)


def _key_in_hand(reading: TrackReading) -> Sequence[Sequence[float]] | None:
    """The chances of each step of the key that other sources tell of; None where none does."""
    others: tuple[Evidence, ...] = tuple(
        each.evidence for each in reading.weighed if each.evidence is not None and each.record.kind != SourceKind.PINS
    )
    if not others:
        return None
    found, _ = weigh(reading.document, reading.track.name, others, False)
    marginals = getattr(found, "marginals", None)
    return None if marginals is None else [[float(chance) for chance in row] for row in marginals]


def _chamber(
    reading: TrackReading, source: SourceReading, space: int, sd: float, key: Sequence[Sequence[float]] | None
) -> ChamberSeen:
    number, seen = source.shown_space(space), source.values.get(space, [])
    if not seen:
        return ChamberSeen(number, None, None)
    try:
        sets = depths_of(reading.track, _lay_there(seen), source.record.plug or 0.0, sd / len(seen) ** 0.5)
    except InputError as error:
        return ChamberSeen(number, None, None, error.reason)
    return ChamberSeen(number, sets, joined(sets, key[space - 1]) if key is not None else None)


def _lay_there(seen: Sequence[Sighting]) -> Chamber:
    """The lengths of a chamber, the mean of its repeats; wafers of the last look that had as many."""
    last = seen[-1]
    wafers = [[each.master, *each.wafers] if each.master is not None else [] for each in seen]
    alike = [each for each in wafers if len(each) == len(wafers[-1])]
    bottom = fmean(each.value for each in seen if each.value is not None) if last.value is not None else 0.0
    return Chamber(bottom, tuple(fmean(column) for column in zip(*alike, strict=True)))


def _is_open(chamber: ChamberSeen) -> bool:
    if chamber.sets is None or not chamber.sets.is_sure:
        return True
    return chamber.beside is not None and chamber.beside.is_undecided
