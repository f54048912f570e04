"""From a plan to what a machine is told: millimetres and degrees, its own offsets put in, clamping by clamping."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from keycore.cutting.lay import BACK, BOTTOM, IN_THE_MIRROR, TOP, is_mirrored
from keycore.cutting.plan import Plan, cutting_of
from keycore.family import Place, Track
from keycore.kind import Lay, Way

ACROSS = "Y"
"""The axis that goes across a blade that lies flat, from the fixed jaw."""


@dataclass(frozen=True, slots=True)
class MachineOffsets:
    """What is added to every command so that a machine cuts true; millimetres, or degrees of an angle."""

    value: float = 0.0
    space: float = 0.0


AS_TOLD = MachineOffsets()
"""No offsets: the machine is told the plan's own figures."""


@dataclass(frozen=True, slots=True)
class AxisMap:
    """Which of a machine's axes makes the space and which the depth, of its own or of the clamp that is on it."""

    space: str = "X"
    depth: str = "Z"


@dataclass(frozen=True, slots=True)
class Move:
    """One cut as a machine is told it: in which clamping, where the cut is, and the machine's numbers for it."""

    clamping: int  # from 1
    place: Place
    position: float  # mm from the gauge or degrees, offset put in
    value: float  # mm or degrees, offset put in

    def at(self, axes: AxisMap) -> dict[str, float]:
        """Where each axis goes, mm or degrees. Raises nothing.

        >>> Move(1, Place("A", 3), 5.588, 7.264).at(AxisMap("Y", "B"))
        {'Y': 5.588, 'B': 7.264}
        """
        return {axes.space: self.position, axes.depth: self.value}


def moves_of(plan: Plan, offsets: MachineOffsets = AS_TOLD, height: float | None = None) -> tuple[Move, ...]:
    """The cuts of a plan in the order the machine makes them: clamping by clamping, from the gauge outwards.

    A double-edge family with one track is cut on both edges, the second with the key turned over. A track on a face
    that is turned over is told from the other edge, which lies at the fixed jaw then: ``height`` less its value.
    Arguments: a Plan, the machine's offsets in mm, and the measured ``height`` of this blank, family unit; the
    family's own where that was not measured. Returns one Move for each cut and clamping. Raises nothing.

    >>> from keycore.cutting.plan import plan_cuts
    >>> from keycore.documents.family import read_family
    >>> plan = plan_cuts(read_family("chandler-ten"), {"A": ["1", "2"] * 5})
    >>> [(m.clamping, m.place.space, m.position, round(m.value, 3)) for m in moves_of(plan, MachineOffsets(0.01))][9:11]
    [(1, 10, 23.9, 7.31), (2, 1, 3.2, 7.91)]
    """
    family, planned = plan.family, {each.track.name: each for each in plan.tracks}
    lays, goes_across = lays_by_clamping(plan), cutting_of(family).goes_across
    moves = []
    for clamping in plan.clampings:
        for name in clamping.tracks:
            track = planned[name].track
            turned = lays.get(clamping.number) if goes_across else None
            for cut in sorted(planned[name].cuts, key=lambda cut: cut.from_gauge):
                value = told_across(plan, turned, track, cut.value, height)
                at = family.space.to_machine(cut.from_gauge) + offsets.space
                deep = family.depth.to_machine(value) + offsets.value
                moves.append(Move(clamping.number, Place(name, cut.space), at, deep))
    return tuple(moves)


def lays_by_clamping(plan: Plan) -> dict[int, Lay]:
    """How the metal lies in each clamping, by its number. Raises nothing."""
    return {number: lay for lay in plan.lays for number in lay.clampings}


def tool_words(plan: Plan, name: str) -> str:
    """What is to be in the machine for the track of that ``name``: its size in mm, its angle; "" where none is known.

    Arguments: a ``plan`` and a track's name. Raises nothing.

    >>> from keycore.cutting.plan import plan_cuts
    >>> from keycore.documents.family import read_family
    >>> tool_words(plan_cuts(read_family("capstan-five"), {"A": ["1"] * 5}), "A")
    'drill 1.200 mm, 90°'
    """
    tool = plan.tool or plan.family.track(name).tool
    if tool is None:
        return ""
    angle = getattr(tool, "angle", None)
    size = f"{tool.name} {plan.family.lengths.to_machine(tool.size):.3f} mm"
    return size + (f", {angle:g}°" if angle else "")


def mirrored_in(plan: Plan) -> frozenset[tuple[int, str]]:
    """The tracks whose values are told from the other edge, each with the clamping it is so in.

    There a value that falls is told as a number that grows. Raises nothing.
    """
    return _turned_in(plan) if cutting_of(plan.family).goes_across else frozenset()


def needs_height(plan: Plan) -> bool:
    """Whether anything of a plan is told by the height of its blank: walls or rows on a back that is turned over.

    Raises nothing.
    """
    cutting = cutting_of(plan.family)
    ways = cutting.ways(plan) if cutting.ways is not None else {}
    turned = {name for _, name in _turned_in(plan) if plan.family.track(name).face == BACK}
    return any(cutting.goes_across or ACROSS in ways[name].also for name in turned if name in ways)


def _turned_in(plan: Plan) -> frozenset[tuple[int, str]]:
    lays = lays_by_clamping(plan)
    every = ((clamping.number, name) for clamping in plan.clampings for name in clamping.tracks)
    return frozenset((n, name) for n, name in every if is_mirrored(lays.get(n), plan.family.track(name)))


def told_across(plan: Plan, lay: Lay | None, track: Track, value: float, height: float | None = None) -> float:
    """What lies ``value`` from a track's reference, as far from the fixed jaw as the key lies; family unit.

    Arguments: a ``lay`` of the ``plan``, the blank's measured ``height``, its own without. Raises nothing.

    >>> from keycore.cutting.plan import plan_cuts
    >>> from keycore.documents.family import read_family
    >>> plan = plan_cuts(read_family("capstan-five"), {"B": ["1"] * 4})  # on the back: turned over first of all
    >>> round(told_across(plan, plan.lays[0], plan.tracks[0].track, 5.4), 3)
    2.8
    """
    if not is_mirrored(lay, track):
        return value
    is_edge = track.face in (TOP, BOTTOM)
    return (plan.blank.across(track.face) if height is None or is_edge else height) - value


def ways_of(plan: Plan, offsets: MachineOffsets = AS_TOLD, height: float | None = None) -> dict[str, Way]:
    """The way of each track of a plan as a machine is told it: millimetres, its offsets put in.

    Measured from the fixed jaw as the key lies while the track is cut; for the arguments see ``moves_of``. Empty for a
    kind whose moves say all there is. Raises nothing.

    >>> from keycore.cutting.plan import plan_cuts
    >>> from keycore.documents.family import read_family
    >>> plan = plan_cuts(read_family("capstan-five"), {"A": ["1"] * 5, "B": ["1"] * 4})
    >>> {name: dict(way.also) for name, way in ways_of(plan).items()}  # the back's row is 5.4 from the reference edge
    {'A': {'Y': 3.0}, 'B': {'Y': 2.8}}
    """
    ways = cutting_of(plan.family).ways
    if ways is None:
        return {}
    lays, tracks = lays_by_clamping(plan), {each.track.name: each.track for each in plan.tracks}
    lies = {name: lays[c.number] for c in reversed(plan.clampings) for name in c.tracks}
    found = {}
    for name, way in ways(plan).items():
        lay, track = lies[name], tracks[name]
        is_turned = is_mirrored(lay, track)
        also = {a: told_across(plan, lay, track, n, height) if a == ACROSS else n for a, n in way.also.items()}
        path = tuple((x, told_across(plan, lay, track, y, height)) for x, y in way.path)
        metal = IN_THE_MIRROR.get(way.metal, "") if is_turned else way.metal
        found[name] = _in_mm(plan, Way(also, path, way.across, metal), offsets)
    return found


def _in_mm(plan: Plan, way: Way, offsets: MachineOffsets) -> Way:
    to_mm = plan.family.lengths.to_machine
    return Way(
        {axis: round(to_mm(number), 9) for axis, number in way.also.items()},
        tuple((to_mm(x) + offsets.space, to_mm(y) + offsets.value) for x, y in way.path),
        to_mm(way.across),
        way.metal,
    )


def stretches(way: Way, positions: Sequence[float]) -> list[tuple[tuple[float, float], ...]]:
    """A way in one stretch for each cut along it, from halfway to the cut before to halfway to the one after.

    The first begins where the way does, the last ends where it ends; each begins where the one before it ended.
    Arguments: a ``way`` with a path, and ``positions`` (n,) of its cuts along it, rising, mm. Returns n stretches of
    at least two points. Raises nothing.

    >>> stretches(Way({}, ((0.0, 1.0), (4.0, 1.0), (10.0, 4.0))), [2.0, 6.0])
    [((0.0, 1.0), (4.0, 1.0)), ((4.0, 1.0), (10.0, 4.0))]
    """
    xs, ys = np.array(way.path, dtype=float).T
    middles = [(a + b) / 2 for a, b in pairwise(positions)]
    ends = [float(xs[0]), *(min(max(middle, float(xs[0])), float(xs[-1])) for middle in middles), float(xs[-1])]
    found = []
    for low, high in pairwise(ends):
        at = [low, *(float(x) for x in xs if low < x < high), high]
        found.append(tuple((x, float(np.interp(x, xs, ys))) for x in at))
    return found
