"""How a bit is filed: where each step begins and ends, how far its walls may move, the stages it is filed by."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from itertools import pairwise
from math import erf, sqrt

import numpy as np

from keycore.cutting.lay import no_lays
from keycore.cutting.plan import Plan, PlannedCut, Problem, TrackPlan, checked_blank, rules_broken
from keycore.errors import InputError
from keycore.family import Family, Place, Track
from keycore.geometry.shape import Curve, Shape, Spot, View
from keycore.kind import Clamping, Column, Cutting, Filing, HandCheck, LockPart, MarkOf, RestsOn, UnderSpacer
from keycore.kinds.causes import CAUSES
from keycore.kinds.handling import GLASSES
from keycore.kinds.lever import Bit, Levers, bit_of, levers_of
from keycore.tools import File, Tool
from keycore.units import NOTHING

STYLES = {"filed": "filed by hand, in stages"}
COLUMNS = (Column("from_edge", "Begins"), Column("to_edge", "Ends"))
STAGES_MM = (0.5, 0.2, 0.0)
"""How far above the wanted height a step is filed to before it is looked at: common practice, no source."""
HANDLING = (
    GLASSES,
    HandCheck("case-mended", "The lock's case mended first, the bolt free", RestsOn.PERSON),
    HandCheck("barrel-fits", "Barrel, bit height and bit length fit the lock", RestsOn.CLAMPING),
    HandCheck("limit-marked", "The limit marked with a fine pen, the bolt's own step left", RestsOn.CLAMPING),
)
"""Common practice, no source."""

WORTH_NAMING = 0.005
"""A part of the lock that has less than this share of a mark is not named."""

Window = tuple[float, float] | None


def bit_needed(family: Family) -> Bit:
    """The bit of a family. Raises InputError for one whose document does not say."""
    bit = bit_of(family)
    if bit is None:
        raise InputError("family.bit", "needed to plan a key")
    return bit


def levers_needed(track: Track) -> tuple[Levers, float]:
    """The levers of a track, and the clearance beside each. Raises InputError where its document does not say."""
    levers = levers_of(track)
    if levers is None:
        raise InputError(f"family.tracks.{track.name}.levers", "needed to plan a key")
    if levers.clearance is None:
        raise InputError(f"family.tracks.{track.name}.clearance", "needed to plan a key")
    return levers, levers.clearance


def plan(
    family: Family, bitting: Mapping[str, Sequence[str]], style: str, tool: Tool | None,
    values: Mapping[str, Sequence[float]],
) -> Plan:  # fmt: skip
    """Work out the steps of a bit; see ``Planning`` in the record of a kind. InputError without bit or levers."""
    blank, bit = checked_blank(family), bit_needed(family)
    tracks: list[TrackPlan] = []
    problems: list[Problem] = []
    for name, labels in bitting.items():
        track = family.track(name)
        windows, edges = walls(track, values[name], bit)
        steps = zip(labels, values[name], [*windows, None], pairwise(edges), strict=True)
        cuts = tuple(_cuts(family, track, bit, steps))
        tracks.append(TrackPlan(track, cuts, None))
        problems += rules_broken(family, track, track.steps(labels))
        problems += _problems(track, cuts, bit)
    return Plan(family, blank, style, tuple(tracks), tuple(problems), tool)


def walls(track: Track, values: Sequence[float], bit: Bit) -> tuple[list[Window], list[float]]:
    """The window of each wall between steps, and the edges of all steps along the bit.

    The wall is wanted in the middle of the gap between the faces of the levers beside it, no nearer than the clearance
    to the deeper one's face and not beyond the middle of the shallower: half its thickness keeps bearing. Arguments:
    depth ``values`` (n,) and the ``bit``, family unit. Returns n - 1 windows, None between equal neighbours, and n + 1
    edges. Raises InputError without levers.
    """
    levers, clearance = levers_needed(track)
    windows: list[Window] = []
    edges = [0.0]
    rows = list(zip(track.spaces, levers.thickness, values, strict=True))
    for (x, thick, value), (x_next, thick_next, value_next) in pairwise(rows):
        face, face_next = x + thick / 2, x_next - thick_next / 2
        middle = (face + face_next) / 2
        window: Window = None
        if abs(value - value_next) > NOTHING:
            window = (face + clearance, x_next) if value < value_next else (x, face_next - clearance)
        windows.append(window)
        if window is not None and window[0] <= window[1]:
            middle = min(max(middle, window[0]), window[1])
        edges.append(middle)
    is_beyond = bit.bolt is not None and bit.bolt.start > track.spaces[-1]
    edges.append(bit.bolt.start if bit.bolt is not None and is_beyond else bit.length)
    return windows, edges


def _cuts(
    family: Family, track: Track, bit: Bit, steps: Iterable[tuple[str, float, Window, tuple[float, float]]]
) -> Iterable[PlannedCut]:
    before = 0.0
    for space, (x, (label, value, window, (low, high))) in enumerate(zip(track.spaces, steps, strict=True), start=1):
        own = {"from_edge": low, "to_edge": high, "wall_window": window, "stages": stages(family, value, bit)}
        yield PlannedCut(space, label, x, abs(x - before), value, own)
        before = x


def stages(family: Family, value: float, bit: Bit) -> tuple[float, ...]:
    """The heights that a step is filed to before its last, ``value``, those below the ``bit``'s own, family unit.

    Raises nothing.
    """
    heights = [value + family.lengths.from_machine(more) for more in STAGES_MM]
    return tuple(height for height in heights if height < bit.height - NOTHING)


def _problems(track: Track, cuts: Sequence[PlannedCut], bit: Bit) -> Iterable[Problem]:
    levers, clearance = levers_needed(track)
    for cut in cuts:
        window = cut.own["wall_window"]
        if window is not None and window[0] > window[1] + NOTHING:
            both = (cut.space, cut.space + 1)
            says = f"Between cuts {both[0]} and {both[1]} there is no place for a wall that serves both levers."
            yield Problem("width", track.name, both, says)
    reach = track.spaces[-1] + levers.thickness[-1] / 2 + clearance
    if bit.bolt is not None and track.spaces[-1] < bit.bolt.start < reach - NOTHING:
        says = f"The last lever and its clearance reach into the bolt's step, which begins at {bit.bolt.start:g}."
        yield Problem("bolt", track.name, (len(cuts),), says)
    off = tuple(cut.space for cut in cuts if not bit.stem - NOTHING <= cut.value <= bit.height + NOTHING)
    if off:
        says = f"Cut {' and '.join(map(str, off))} is above the bit or below the stem."
        yield Problem("bit", track.name, off, says)


def shape(
    family: Family, values: Mapping[str, Sequence[float]], *, style: str = "", tool: Tool | None = None,
    uncut: Collection[tuple[int, Place]] = (),
) -> Shape:  # fmt: skip
    """The bit from its side, the levers over it; see ``Shaping`` in the record of a kind. Raises InputError likewise.

    x runs along the bit from its stop, y up from the axis of the stem.
    """
    bit = bit_needed(family)
    curves: list[Curve] = []
    spots: list[Spot] = []
    edge: list[tuple[float, float]] = []
    for name, wanted in values.items():
        track = family.track(name)
        levers, _ = levers_needed(track)
        _, edges = walls(track, wanted, bit)
        for space, (x, value) in enumerate(zip(track.spaces, wanted, strict=True), start=1):
            stands_at = bit.height if (1, Place(name, space)) in uncut else value
            edge += [(edges[space - 1], stands_at), (edges[space], stands_at)]
            spots.append(Spot(Place(name, space), x, value))
            half = levers.thickness[space - 1] / 2
            over = [(x - half, stands_at), (x - half, bit.height), (x + half, bit.height), (x + half, stands_at)]
            curves.append(Curve(f"{name} {space} lever", np.array([*over, over[0]])))
    if edge and edge[-1][0] < bit.length:
        own = bit.bolt.value if bit.bolt is not None else bit.height
        edge += [(edge[-1][0], own), (bit.length, own)]
    whole = [(0.0, bit.height), (bit.length, bit.height)]
    bare = np.array([(0.0, 0.0), *whole, (bit.length, 0.0)])
    outline = np.array([(0.0, 0.0), *(edge or whole), (bit.length, 0.0)])
    steps = (Curve("edge", np.array(edge), "above"),) if edge else ()
    return Shape((View("bit", bare, outline, (*steps, *curves), tuple(spots)),))


def stands(
    family: Family, track: Track, values: Sequence[float], *, style: str = "", tool: Tool | None = None,
    along: float = 0.0,
) -> tuple[float, ...]:  # fmt: skip
    """How high each lever is lifted; see ``TumblerHeights`` in the record of a kind.

    The highest step under any of its thickness: a land beside too narrow a cut lifts it. Arguments: ``values`` (n,)
    family unit, all steps so far ``along`` the bit. Returns (n,). Raises InputError without bit or levers.
    """
    levers, _ = levers_needed(track)
    _, edges = walls(track, values, bit_needed(family))
    found = []
    for x, thick in zip(track.spaces, levers.thickness, strict=True):
        low, high = x - thick / 2 - along, x + thick / 2 - along
        under = [value for value, a, b in zip(values, edges, edges[1:], strict=False) if a < high and b > low]
        found.append(max(under, default=0.0))
    return tuple(found)


def parts(family: Family, track: Track) -> tuple[LockPart, ...]:
    """What lies over the bit from its stop to its end or the bolt's step: levers, and the spacers between them.

    Arguments: a ``family`` and its ``track``. A gap of no width is left out; the first and the last may be no spacer
    but the case. Raises InputError without bit or levers.
    """
    bit, (levers, _) = bit_needed(family), levers_needed(track)
    found, at = [], 0.0
    for space, (x, thick) in enumerate(zip(track.spaces, levers.thickness, strict=True), start=1):
        found.append(LockPart(space - 1, is_spacer=True, start=at, end=x - thick / 2))
        found.append(LockPart(space, is_spacer=False, start=x - thick / 2, end=x + thick / 2))
        at = x + thick / 2
    end = bit.bolt.start if bit.bolt is not None and bit.bolt.start > at else bit.length
    found.append(LockPart(len(track.spaces), is_spacer=True, start=at, end=end))
    return tuple(part for part in found if part.end - part.start > NOTHING)


def mark_of(family: Family, track: Track, at: float, sd: float) -> tuple[MarkOf, ...]:
    """Which lever or spacer left a mark, by where it lies: the chance that its true place is under each.

    With the place normal about where it was read and no place along the bit likelier than another, a part from a to b
    has Phi((b - at) / sd) - Phi((a - at) / sd), and all together are made 1. Arguments: a ``family``, its ``track``;
    ``at`` along the bit and its ``sd``, above 0, family unit. Returns those of any chance, likeliest first; none for a
    mark far off the bit. Raises InputError without bit or levers.
    """
    weights = [
        (part, (erf((part.end - at) / sd / sqrt(2)) - erf((part.start - at) / sd / sqrt(2))) / 2)
        for part in parts(family, track)
    ]
    total = sum(weight for _, weight in weights)
    if total <= 0:
        return ()
    found = [MarkOf(part, weight / total) for part, weight in weights if weight / total >= WORTH_NAMING]
    return tuple(sorted(found, key=lambda each: -each.share))


def under_spacers(family: Family, track: Track, values: Sequence[float]) -> tuple[UnderSpacer, ...]:
    """The highest land that lies under each spacer between two levers, and over how much of it.

    Arguments: a ``family``, its ``track`` and its depth ``values`` (n,), family unit. Raises InputError without bit or
    levers.
    """
    _, edges = walls(track, values, bit_needed(family))
    found = []
    for part in parts(family, track):
        if not part.is_spacer or part.space in (0, len(values)):
            continue
        lands = [
            (value, min(end, part.end) - max(start, part.start))
            for value, start, end in zip(values, edges, edges[1:], strict=False)
            if min(end, part.end) - max(start, part.start) > NOTHING
        ]
        highest = max(value for value, _ in lands)
        found.append(UnderSpacer(part, highest, sum(reach for value, reach in lands if value == highest)))
    return tuple(found)


def clampings(family: Family, tracks: Iterable[str], style: str = "") -> tuple[Clamping, ...]:
    """One, in a vice; see ``Clampings`` in the record of a kind."""
    return (Clamping(1, "front", File.name, tuple(tracks)),)


def no_reach(plan: Plan) -> None:
    """No jaw minds how deep a step is. Raises nothing."""


def working(family: Family, plan: Plan) -> tuple[str, ...]:
    """How the figures that only this kind has are worked out, in sentences. Raises nothing."""
    return (
        "A wall is wanted in the middle of the gap between its levers’ faces, no nearer than the clearance to the "
        "deeper one’s and not beyond the middle of the shallower.",
        "The first cut begins at the bit's end, the last ends at the bolt's step or the bit's other end.",
    )


CUTTING = Cutting(
    tool=File,
    styles=STYLES,
    columns=COLUMNS,
    clampings=clampings,
    lays=no_lays,
    plan=plan,
    shape=shape,
    tumbler_heights=stands,
    reach=no_reach,
    working=working,
    handling=HANDLING,
    suspects={name: CAUSES[name] for name in ("none", "depth", "gauge", "single")},
    filing=Filing(mark_of, under_spacers),
)
