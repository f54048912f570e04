"""What a kind of key answers. Whoever needs something that differs from kind to kind asks it here.

A kind is a record of plain functions, made in a module of its own in ``keycore/kinds`` and found through the registry
here, which brings it in when a family of it is first met. One without ``cuts`` is read and settled, and stops before
Set up. What cutting needs is brought in only when it is asked for: checking a family waits for no arrays.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import Enum, StrEnum, auto
from importlib import import_module
from typing import TYPE_CHECKING, Any, Protocol

from keycore.coordinate import Coordinate, Quantity
from keycore.errors import InputError
from keycore.tools import File, Tool

if TYPE_CHECKING:
    from keycore.cutting.plan import Plan
    from keycore.family import Family, Place, Track
    from keycore.geometry.shape import Shape
    from keycore.kinds.causes import CauseModel


LONG_AXIS = "long-axis"
"""How a key is turned over between two clampings."""


class Surface(StrEnum):
    """Where on the key the cuts are, which says what can trace it and what can be measured of it."""

    EDGE = "edge"
    GROOVE = "groove"  # milled into a face
    HOLE = "hole"  # drilled into a face
    END = "end"
    ROUND = "round"
    BIT = "bit"


@dataclass(frozen=True, slots=True)
class Column:
    """A figure of a planned cut that only this kind has: its name in documents, and in words."""

    name: str
    words: str
    quantity: Quantity = Quantity.LENGTH


@dataclass(frozen=True, slots=True)
class Clamping:
    """One time that the key is clamped: which face is up, which tracks are cut, how it was turned to get there."""

    number: int  # from 1, in the order of the work
    face: str  # front, back, top or bottom
    tool: str  # what cuts, by its name
    tracks: tuple[str, ...]
    turn: str | float | None = None  # None as first clamped, "long-axis" turned over, or an angle, degrees

    def words_of(self, track: str) -> str:
        """A track in this clamping as the smith calls it.

        >>> Clamping(2, "back", "wheel", ("A",), "long-axis").words_of("A")
        'A, turned over'
        """
        if isinstance(self.turn, float):
            return f"{track}, {self.face} edge up"
        return f"{track}, turned over" if self.turn is not None and self.face != "front" else track


@dataclass(frozen=True, slots=True)
class Turn:
    """How a key is turned from one lay to the next, its bow staying on the same side of the machine."""

    axis: str  # long
    angle: int  # degrees
    sense: str = ""  # of the side that was up: towards the fixed jaw, or away from it; "" for half a turn


@dataclass(frozen=True, slots=True)
class Lay:
    """How the metal lies in a clamp: see ``keycore/cutting/lay.py``."""

    number: int  # from 1, in the order of the work
    clampings: tuple[int, ...]  # what is cut as it lies so, by number
    up: str  # front, back, top or bottom; of a tube the slot at the index's dot
    jaw: str = ""  # what lies at the fixed jaw, "" where none matters
    floor: str = ""  # what it rests on, "" where it is held by its faces alone
    stop: str = ""  # what meets the stop
    bow: str = ""  # the side of the machine that the bow is on
    turn: Turn | None = None  # from the lay before, None as first laid
    index: str = ""  # which way a tube turns from dot to dot, its end looked at


class RestsOn(Enum):
    """What makes a check worth doing again once it moves."""

    PERSON = auto()  # whoever stands at the machine
    TOOL = auto()  # the cutter that is fitted
    CLAMPING = auto()  # how the blank is held


@dataclass(frozen=True, slots=True)
class HandCheck:
    """One check: its id as cards keep it, what is looked at, and what it rests on."""

    id: str
    says: str
    rests_on: RestsOn


@dataclass(frozen=True, slots=True)
class Aid:
    """What lies between a caliper and the cut it measures: a pin in a groove, a ball in a hole.

    ``line`` gives what a reading is multiplied by and what is added to it, for a family, a track and the aid's size in
    the family's unit: value = times · reading + more. ``working`` says it in a sentence.
    """

    id: str
    words: str
    asks: str  # for its size
    line: Callable[[Family, Track, float], tuple[float, float]]
    working: str

    def value(self, family: Family, track: Track, reading: float, size: float) -> float:
        """The depth value of a ``reading`` over an aid of this ``size``, family unit. Raises InputError as its line."""
        times, more = self.line(family, track, size)
        return times * reading + more

    def reading(self, family: Family, track: Track, value: float, size: float) -> float:
        """What a caliper reads over it where the cut has this ``value``, family unit. Raises InputError likewise."""
        times, more = self.line(family, track, size)
        return (value - more) / times


class Planning(Protocol):
    """Plan a key: see ``plan_cuts`` in ``keycore/cutting/plan.py``, which every plan begins with."""

    def __call__(
        self,
        family: Family,
        bitting: Mapping[str, Sequence[str]],
        style: str,
        tool: Tool | None,
        values: Mapping[str, Sequence[float]],
    ) -> Plan:
        """``bitting`` labels and ``values`` by track. InputError for a family that cannot be planned."""


class Shaping(Protocol):
    """What metal is where once a key is cut: the one geometry that everything draws and stands tumblers on."""

    def __call__(
        self,
        family: Family,
        values: Mapping[str, Sequence[float]],
        *,
        style: str = "",
        tool: Tool | None = None,
        uncut: Collection[tuple[int, Place]] = (),
    ) -> Shape:
        """``values`` by track; without a style the usual one; ``uncut`` by clamping and place. InputError likewise."""


class Clampings(Protocol):
    """How a key is clamped, time after time."""

    def __call__(self, family: Family, tracks: Iterable[str], style: str = "") -> tuple[Clamping, ...]:
        """``tracks`` are those that are cut; ``style`` the path's, the usual one without. Raises nothing."""


class Lays(Protocol):
    """How the metal lies, time after time."""

    def __call__(self, family: Family, clampings: Sequence[Clamping], bow: str = "left") -> tuple[Lay, ...]:
        """``clampings`` (n,) in order, ``bow`` the side of the machine that it is on. At most n. Raises nothing."""


class TumblerHeights(Protocol):
    """Where the tumblers of one track stand on a key."""

    def __call__(
        self,
        family: Family,
        track: Track,
        values: Sequence[float],
        *,
        style: str = "",
        tool: Tool | None = None,
        along: float = 0.0,
    ) -> tuple[float, ...]:
        """``values`` (n,), all cuts so far ``along`` from where they should be; (n,) positive is high."""


@dataclass(frozen=True, slots=True)
class Way:
    """How a track is cut beside its moves: further axes that stand still meanwhile, and the way of the tool's middle.

    ``also`` numbers by axis; ``path`` points along and across, for a tool that goes from cut to cut in the metal.
    Family unit where a kind answers it, millimetres where a machine is told.
    """

    also: Mapping[str, float]
    path: tuple[tuple[float, float], ...] = ()
    across: float = 0.0  # of the tool that goes that way; 0 without a path
    metal: str = ""  # the side of the wall on which metal stays, below or above; "" without a path


@dataclass(frozen=True, slots=True)
class LockPart:
    """A lever or a spacer as it lies over the key, along it, family unit."""

    space: int  # of the lever, from 1; of a spacer that of the lever before it, 0 before the first
    is_spacer: bool
    start: float
    end: float


@dataclass(frozen=True, slots=True)
class MarkOf:
    """What may have left a witness mark, and how likely it is that one."""

    part: LockPart
    share: float  # all of a mark's together are 1


@dataclass(frozen=True, slots=True)
class UnderSpacer:
    """The land of a key that lies under a spacer: its height, and over how much of the spacer; family unit."""

    part: LockPart
    height: float
    reach: float


@dataclass(frozen=True, slots=True)
class Filing:
    """What a key that is filed by hand tells as it is tried between its stages.

    ``mark_of`` weighs which part of the lock left a mark at a place, read with an sd, both family unit, likeliest
    first; ``spacers`` gives the highest land under each spacer of a track cut to ``values`` (n,): where one is dragged
    at all it is the highest.
    """

    mark_of: Callable[[Family, Track, float, float], tuple[MarkOf, ...]]
    spacers: Callable[[Family, Track, Sequence[float]], tuple[UnderSpacer, ...]]


@dataclass(frozen=True, eq=False)
class Cutting:
    """How keys of a kind are planned, cut and stood in the lock."""

    tool: type[Tool]
    styles: Mapping[str, str]  # of the path, with words; the first is the usual one
    columns: tuple[Column, ...]
    clampings: Clampings
    lays: Lays
    plan: Planning
    shape: Shaping
    tumbler_heights: TumblerHeights
    reach: Callable[[Plan], float | None]  # how far below the blank's edge the tool goes; None where no jaw minds
    working: Callable[[Family, Plan], tuple[str, ...]]  # of its own columns, in sentences
    handling: tuple[HandCheck, ...]  # what is checked by hand before one is cut, in the order of the work
    suspects: Mapping[str, CauseModel]  # what can make its keys come out wrong, by name; see ``kinds/causes.py``
    goes_across: bool = False  # whether the axis that makes its values goes across the face, from the fixed jaw
    ways: Callable[[Plan], Mapping[str, Way]] | None = None
    """The way of each track, by its name; None for a kind whose moves say all."""
    tip_may_stand: Callable[[Family, Mapping[str, Sequence[float]]], tuple[float, float] | None] | None = None
    """How high its tip's corner may stand to lift a tumbler, and the sd, on one edge; None for a kind without such."""
    rides: Callable[[Track, float], float] | None = None
    """How much higher a tumbler stands where its cut is so far off along; None for a kind whose cuts are no cones."""
    filing: Filing | None = None
    """What its keys tell between the stages they are filed by; None for a kind that no file makes."""


def _nothing_wrong(family: Family) -> Iterable[InputError]:
    return ()


def _nothing_assumed(family: Family, given: Mapping[str, Any]) -> Iterable[str]:
    return ()


def _as_long(family: Family) -> float:
    return family.depth.of_inches(1.0)


def _no_working(family: Family) -> str:
    return ""


def _no_limit(family: Family, track: Track) -> None:
    return None


def _as_it_lies(family: Family, place: float) -> float:
    return place


def _of_its_blank(family: Family) -> tuple[float, float] | None:
    return (family.blank.length, family.blank.height) if family.blank else None


def _may_be_turned(track: Track) -> str:
    return ""


def _no_pairs(track: Track) -> Mapping[str, str]:
    return {}


def _no_row(track: Track) -> str:
    return ""


def _no_macs(family: Family, track: Track, tool: Tool | None = None) -> None:
    return None


@dataclass(frozen=True, eq=False)
class Kind:
    """One kind of key.

    ``falls_when_deeper``: whether a deeper cut has the smaller value, None where its table says.
    ``check`` finds what is wrong with a family of it, ``assumed`` what a document of it leaves out and is therefore
    taken to be so, ``uncut`` the value where nothing is cut yet, beyond which no cut can be, None where there is no
    such value; ``per_inch`` how much of a depth value an inch of metal is; ``macs_geometric`` the largest step
    between neighbours that its tool leaves whole, None without it; ``view_size`` how long and how high its most
    telling view is, family unit, None where that is not known, and ``along_view`` how far along it a space lies;
    ``why_not_turned`` why a reading counted from the other end cannot be turned round, "" where it can.
    """

    id: str
    surface: Surface
    space: Coordinate
    depth: Coordinate
    falls_when_deeper: bool | None
    spaces_rise: bool = False  # whether they do whatever gauge and numbering say, which are words only then
    can_be_across: bool = False  # whether a table may give the width across both roots
    usual_entry: str = ""  # how its keys usually go in, added where the document does not say
    once_cut_down: str = "Then look: does its tumbler sit flush, or still mark the blank?"  # at each stage of a blank
    works_words: str = "Goes freely"  # that a key does all it should in its lock
    turning_words: str = "Turns"
    finishing: Mapping[str, str] = field(default_factory=dict)  # what is looked at by eye beside what any key is
    track_word: str = "Track"  # what one of several rows of cuts is called
    ends: tuple[str, str] = ("the bow", "the tip")  # what cuts are counted from, by the names bow and tip
    looks: frozenset[str] = frozenset()  # ways of looking that only its locks allow, by name
    no_looks: frozenset[str] = frozenset()  # ways of looking that tell nothing of its cuts, by name
    why_not_turned: Callable[[Track], str] = _may_be_turned
    pairs: Callable[[Track], Mapping[str, str]] = _no_pairs  # seen before and after turning a lock, with their labels
    row_of_pairs: Callable[[Track], str] = _no_row  # that tracks share which one row of such pairs feeds
    aids: tuple[Aid, ...] = ()  # what its cuts can be measured over
    can_be_recut: bool = True  # whether a cut may be cut again, deeper, where the family does not say
    check: Callable[[Family], Iterable[InputError]] = _nothing_wrong
    assumed: Callable[[Family, Mapping[str, Any]], Iterable[str]] = _nothing_assumed
    uncut: Callable[[Family, Track], float | None] = _no_limit
    per_inch: Callable[[Family], float] = _as_long
    macs_geometric: Callable[[Family, Track, Tool | None], int | None] = _no_macs
    macs_working: Callable[[Family], str] = _no_working  # in a sentence
    view_size: Callable[[Family], tuple[float, float] | None] = _of_its_blank
    along_view: Callable[[Family, float], float] = _as_it_lies
    cuts: Callable[[], Cutting] | None = None

    def __str__(self) -> str:
        return self.id

    @property
    def cutting(self) -> Cutting | None:
        """How its keys are cut, None where they are not cut from here; brought in when it is first asked for."""
        return self.cuts() if self.cuts else None

    @property
    def is_of_faces(self) -> bool:
        """Whether its cuts are in the faces of a blade, which lies flat to be cut."""
        return self.surface in (Surface.GROOVE, Surface.HOLE)

    @property
    def is_filed(self) -> bool:
        """Whether its keys are filed by hand, whatever machines there are."""
        return self.cutting is not None and self.cutting.tool is File

    def __reduce__(self) -> tuple[Callable[[str], Kind], tuple[str]]:
        # A family that is copied or sent to another process keeps the one kind that is registered.
        return kind_of, (self.id,)


_KINDS: dict[str, Kind] = {}


def kind_of(name: str) -> Kind:
    """The kind of that name. Raises InputError for one that there is not.

    >>> kind_of("edge").space.words
    'from the gauge'
    >>> kind_of("rotary").depth.unit_name
    '°'
    """
    if name not in _KINDS:
        if name not in _shipped():
            raise InputError("kind", f"there is no kind of key {name[:40]!r}")
        register(import_module(f"keycore.kinds.{name.replace('-', '_')}").KIND)
    return _KINDS[name]


def register(kind: Kind) -> None:
    """Take a kind into the house: from now on ``kind_of`` finds it by its id. Raises nothing."""
    _KINDS[kind.id] = kind


def kinds() -> tuple[Kind, ...]:
    """Every kind there is, those that ship first. Raises nothing.

    >>> [str(kind) for kind in kinds()][:3]
    ['edge', 'double-edge', 'side-milled']
    """
    return tuple(kind_of(name) for name in dict.fromkeys((*_shipped(), *_KINDS)))


def _shipped() -> tuple[str, ...]:
    """The ids of the kinds in ``keycore/kinds``, each the name of its module."""
    names: tuple[str, ...] = import_module("keycore.kinds").SHIPPED
    return names
