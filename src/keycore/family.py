"""A key family: its tracks, spaces and depths, and what a key of it is cut from."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from itertools import pairwise
from types import MappingProxyType
from typing import Any

from keycore.coordinate import Coordinate
from keycore.errors import InputError
from keycore.kind import Kind
from keycore.tools import Tool
from keycore.units import Unit


def _nothing() -> Mapping[str, Any]:
    return MappingProxyType({})


class End(StrEnum):
    """An end of the blade to count from."""

    BOW = "bow"
    TIP = "tip"


class Gauge(StrEnum):
    """What positions are measured from."""

    SHOULDER = "shoulder"
    TIP = "tip"

    @property
    def end(self) -> End:
        """The end of the blade the gauge sits at; the shoulder belongs to the bow's end."""
        return End.BOW if self == Gauge.SHOULDER else End.TIP


@dataclass(frozen=True, slots=True)
class Place:
    """Where a cut is: its track, and its space counted from 1."""

    track: str
    space: int


@dataclass(frozen=True, slots=True)
class Depth:
    """One row of a depth table."""

    label: str
    value: float  # family unit (degrees for rotary keys)


@dataclass(frozen=True, slots=True)
class Tumbler:
    """What stands on the key in the lock: a round end of a radius, or a flat of a width."""

    shape: str  # "round" or "flat"
    size: float  # radius or width, family unit


@dataclass(frozen=True, slots=True)
class Blank:
    """The uncut key."""

    code: str
    height: float  # family unit
    thickness: float
    length: float

    def across(self, face: str) -> float:
        """How far it is across a ``face``, from its reference edge: the height, of an edge the thickness.

        >>> Blank("X", 8.0, 3.0, 22.0).across("back"), Blank("X", 8.0, 3.0, 22.0).across("top")
        (8.0, 3.0)
        """
        return self.thickness if face in ("top", "bottom") else self.height


@dataclass(frozen=True, slots=True)
class Tolerance:
    """How far a cut may be off."""

    value: float  # in depth value, family unit
    space: float  # along the blade


@dataclass(frozen=True, slots=True)
class Play:
    """How far a tumbler may stand off before the lock feels it."""

    high: float
    low: float


@dataclass(frozen=True, slots=True)
class Rules:
    """What a family's bittings keep to besides MACS; None where there is no such rule."""

    most_alike: int | None = None  # at most so many cuts of one depth
    fewest_depths: int | None = None  # at least so many different depths

    @property
    def any(self) -> bool:
        """Whether there is a rule at all."""
        return self.most_alike is not None or self.fewest_depths is not None


@dataclass(frozen=True)
class Track:
    """One row of cuts: where they are (spaces) and how deep they may be (depths)."""

    name: str
    spaces: tuple[float, ...]  # in numbered order, from the gauge, family unit
    depths: tuple[Depth, ...]  # shallowest first
    tool: Tool | None = None
    macs: int | None = None
    tumbler: Tumbler | None = None
    fixed: tuple[tuple[int, int], ...] = ()  # spaces (from 1) whose depth never varies, with its step
    face: str = "front"  # of the blank, on which it is cut: front, back, top or bottom
    own: Any = None  # what only its kind has, as that kind's module keeps it
    _step_of: Mapping[str, int] = field(init=False, repr=False, compare=False, default_factory=dict)

    def __post_init__(self) -> None:
        faults = [*_two_ways("spaces", self.spaces), *_two_ways("depths", self.values)]
        steps = {depth.label: step for step, depth in enumerate(self.depths)}
        if len(steps) != len(self.depths):
            faults.append(InputError("depths", "two depths have the same label"))
        if faults:
            raise InputError.first_of(faults)
        object.__setattr__(self, "_step_of", steps)

    @property
    def falls_when_deeper(self) -> bool:
        """Whether a deeper cut has the smaller value."""
        return self.depths[0].value > self.depths[-1].value

    @property
    def values(self) -> tuple[float, ...]:
        """The depth values, shallowest first."""
        return tuple(depth.value for depth in self.depths)

    @property
    def labels(self) -> tuple[str, ...]:
        """The depth labels, shallowest first."""
        return tuple(depth.label for depth in self.depths)

    def step(self, label: str) -> int:
        """A label's place in the depth table; InputError when the table has no such label."""
        try:
            return self._step_of[label]
        except KeyError:
            known = " ".join(self.labels)
            raise InputError("", f"no depth {label!r} in track {self.name}, which has {known}") from None

    def steps(self, labels: Sequence[str]) -> tuple[int, ...]:
        """The places of a whole bitting's labels; InputError for a wrong number or label."""
        if len(labels) != len(self.spaces):
            raise InputError("", f"{len(labels)} cuts for {len(self.spaces)} spaces")
        found = []
        for place, label in enumerate(labels):
            try:
                found.append(self.step(label))
            except InputError as error:
                raise error.under(f"[{place}]") from None
        return tuple(found)

    @property
    def pitch(self) -> float | None:
        """The smallest distance between neighbouring spaces; None with fewer than two."""
        gaps = [abs(b - a) for a, b in pairwise(self.spaces)]
        return min(gaps) if gaps else None


@dataclass(frozen=True)
class Family:
    """A key family, checked once when made.

    Raises InputError naming the field, further faults with it, for: an order of spaces that contradicts gauge and
    numbering, depth values that run the wrong way for the kind, positions of spaces that do
    not exist, or widths across a key that is not double-edged.
    """

    id: str
    name: str
    kind: Kind
    unit: Unit
    gauge: Gauge
    numbered_from: End
    tracks: tuple[Track, ...]
    blank: Blank | None = None
    tolerance: Tolerance | None = None
    play: Play | None = None
    rules: Rules = Rules()
    positions: Mapping[str, Mapping[str, tuple[int, ...]]] = field(default_factory=_nothing)  # by lock, by track
    measured: str = "edge"  # "edge", or "across" for widths over both roots
    entry: str = "both"  # ways up the key goes in: "both" or "one"
    maker: str = ""
    edition: str = ""
    setup: Mapping[str, str] = field(default_factory=_nothing)
    notes: str = ""
    source: str = ""
    recut: bool | None = None  # whether a cut may be cut again; None as is usual for its kind
    own: Any = None  # what only its kind has, as that kind's module keeps it
    section: tuple[tuple[float, float], ...] = ()  # the blank's, from the tip; x across, y up from the reference edge
    space: Coordinate = field(init=False, repr=False, compare=False)  # the kind's own, in this family's unit
    depth: Coordinate = field(init=False, repr=False, compare=False)
    lengths: Coordinate = field(init=False, repr=False, compare=False)  # of its blank, its tools, its tumblers

    def __post_init__(self) -> None:
        object.__setattr__(self, "space", replace(self.kind.space, unit=self.unit))
        object.__setattr__(self, "depth", replace(self.kind.depth, unit=self.unit))
        object.__setattr__(self, "lengths", Coordinate("length", unit=self.unit))
        faults = list(_faults(self))
        if faults:
            raise InputError.first_of(faults)

    @property
    def lock_play(self) -> Play | None:
        """The lock's play, in the values' unit: what the family names, else its value tolerance, None for neither."""
        if self.play is not None or self.tolerance is None:
            return self.play
        return Play(self.tolerance.value, self.tolerance.value)

    def track(self, name: str | None = None) -> Track:
        """The track of that name, the first when none is named; InputError when unknown."""
        for track in self.tracks:
            if name in (None, track.name):
                return track
        raise InputError("track", f"family {self.id} has no track {name!r}")

    @property
    def is_across(self) -> bool:
        """Whether its depths are widths over both roots."""
        return self.measured == "across"

    @property
    def can_be_recut(self) -> bool:
        """Whether a key of it can be cut again, only ever deeper."""
        return self.kind.can_be_recut if self.recut is None else self.recut

    @property
    def goes_both_ways(self) -> bool:
        """Whether the key goes in either way up."""
        return self.entry == "both"

    @property
    def share_per_edge(self) -> float:
        """How much of a difference in depth value lies on one edge: half when measured across."""
        return 0.5 if self.measured == "across" else 1.0

    @property
    def per_inch(self) -> float:
        """How much of a depth value one inch of metal is: wear and calipers are known in inches."""
        return self.kind.per_inch(self)

    @property
    def counts_from_gauge(self) -> bool:
        """Whether space 1 is the one nearest the gauge."""
        return self.numbered_from == self.gauge.end

    def towards_tip(self, track: Track) -> tuple[float, ...]:
        """U of each space: -1/2 at the one nearest the bow, +1/2 nearest the tip."""
        low, high = min(track.spaces), max(track.spaces)
        if high == low or not self.space.is_length:  # round an end there is no bow and no tip
            return (0.0,) * len(track.spaces)
        sign = 1.0 if self.gauge == Gauge.SHOULDER else -1.0
        return tuple(sign * ((x - low) / (high - low) - 0.5) for x in track.spaces)


def _two_ways(name: str, numbers: Sequence[float]) -> Iterator[InputError]:
    steps = [b - a for a, b in pairwise(numbers)]
    if not (all(step > 0 for step in steps) or all(step < 0 for step in steps)):
        yield InputError(name, "must rise all the way or fall all the way")


def _faults(family: Family) -> Iterator[InputError]:
    """Everything that is wrong with a family as a whole."""
    names = [track.name for track in family.tracks]
    if len(set(names)) != len(names):
        yield InputError("tracks", "two tracks have the same name")
    for place, track in enumerate(family.tracks):
        yield from _wrong_order_of_spaces(family, track, f"tracks[{place}].spaces")
        yield from _wrong_way_of_depths(family.kind, track, f"tracks[{place}].depths")
    if family.measured == "across" and not family.kind.can_be_across:
        yield InputError("measured", "only a double-edge family is measured across")
    yield from family.kind.check(family)
    yield from _wrong_positions(family)


def _wrong_order_of_spaces(family: Family, track: Track, where: str) -> Iterator[InputError]:
    if len(track.spaces) < 2:
        return
    rises = track.spaces[1] > track.spaces[0]
    if family.kind.spaces_rise:
        if not rises:
            yield InputError(where, f"must rise for a key of kind {family.kind}, whatever it is counted from")
    elif rises != family.counts_from_gauge:
        way = "rise" if family.counts_from_gauge else "fall"
        yield InputError(
            where,
            f"must {way}: positions are measured from the {family.gauge} and counted from the {family.numbered_from}",
        )


def _wrong_way_of_depths(kind: Kind, track: Track, where: str) -> Iterator[InputError]:
    wanted = kind.falls_when_deeper
    if wanted is None or len(track.depths) < 2:
        return
    if (track.values[1] < track.values[0]) != wanted:
        way = "fall" if wanted else "rise"
        yield InputError(where, f"values must {way} from shallow to deep for a key of kind {kind}")


def _wrong_positions(family: Family) -> Iterator[InputError]:
    counts = {track.name: len(track.spaces) for track in family.tracks}
    for lock, of_track in family.positions.items():
        for name, spaces in of_track.items():
            where = f"positions.{lock}" if len(of_track) == 1 else f"positions.{lock}.{name}"
            if name not in counts:
                yield InputError(f"positions.{lock}.{name}", "there is no such track")
                continue
            if len(set(spaces)) != len(spaces):
                yield InputError(where, "a space is named twice")
            for space in spaces:
                if not 1 <= space <= counts[name]:
                    yield InputError(where, f"there is no space {space}, only 1 to {counts[name]}")
