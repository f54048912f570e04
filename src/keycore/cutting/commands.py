"""From a plan to what a machine is told: millimetres and degrees, its own offsets put in, clamping by clamping."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from keycore.cutting.plan import Plan, cutting_of
from keycore.family import Place
from keycore.kind import Way


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


def moves_of(plan: Plan, offsets: MachineOffsets = AS_TOLD) -> tuple[Move, ...]:
    """The cuts of a plan in the order the machine makes them: clamping by clamping, from the gauge outwards.

    A double-edge family with one track is cut on both edges, the second with the key turned over.
    Arguments: a Plan, the machine's offsets in mm. Returns one Move for each cut and clamping.
    Raises nothing.

    >>> from keycore.cutting.plan import plan_cuts
    >>> from keycore.documents.family import read_family
    >>> plan = plan_cuts(read_family("chandler-ten"), {"A": ["1", "2"] * 5})
    >>> [(m.clamping, m.place.space, m.position, round(m.value, 3)) for m in moves_of(plan, MachineOffsets(0.01))][9:11]
    [(1, 10, 23.9, 7.31), (2, 1, 3.2, 7.91)]
    """
    family, planned = plan.family, {each.track.name: each for each in plan.tracks}
    return tuple(
        Move(
            clamping=clamping.number,
            place=Place(track, cut.space),
            position=family.space.to_machine(cut.from_gauge) + offsets.space,
            value=family.depth.to_machine(cut.value) + offsets.value,
        )
        for clamping in plan.clampings
        for track in clamping.tracks
        for cut in sorted(planned[track].cuts, key=lambda cut: cut.from_gauge)
    )


def ways_of(plan: Plan, offsets: MachineOffsets = AS_TOLD) -> dict[str, Way]:
    """The way of each track of a plan as a machine is told it: millimetres, its offsets put in.

    Empty for a kind whose moves say all there is. Raises nothing.

    >>> from keycore.cutting.plan import plan_cuts
    >>> from keycore.documents.family import read_family
    >>> plan = plan_cuts(read_family("capstan-five"), {"A": ["1"] * 5})
    >>> ways_of(plan)["A"].also
    {'Y': 3.0}
    """
    ways = cutting_of(plan.family).ways
    to_mm = plan.family.lengths.to_machine
    return {
        name: Way(
            {axis: to_mm(number) for axis, number in way.also.items()},
            tuple((to_mm(x) + offsets.space, to_mm(y) + offsets.value) for x, y in way.path),
            to_mm(way.across),
            way.metal,
        )
        for name, way in (ways(plan) if ways is not None else {}).items()
    }


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
