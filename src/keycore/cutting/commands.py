"""From a plan to what a machine is told: millimetres, its own offsets put in, side by side."""

from __future__ import annotations

from dataclasses import dataclass

from keycore.cutting.plan import Plan
from keycore.family import Kind
from keycore.units import Unit, convert

TURNED = "turned"


@dataclass(frozen=True, slots=True)
class MachineOffsets:
    """What is added to every command so that a machine cuts true; millimetres."""

    value: float = 0.0
    space: float = 0.0


AS_TOLD = MachineOffsets()
"""No offsets: the machine is told the plan's own figures."""


@dataclass(frozen=True, slots=True)
class MachineCut:
    """One cut as a machine is told it: ``side`` names the track, and whether the key is turned over."""

    side: str
    track: str
    space: int  # counted from 1, family order
    position: float  # mm from the gauge, offset put in
    value: float  # mm, offset put in


def machine_cuts(plan: Plan, offsets: MachineOffsets = AS_TOLD) -> tuple[MachineCut, ...]:
    """The cuts of a plan in the order the machine makes them: side by side, from the gauge outwards.

    A double-edge family with one track is cut on both edges, the second with the key turned over.
    Arguments: a Plan, the machine's offsets in mm. Returns one MachineCut for each cut and edge.
    Raises nothing.

    >>> from keycore.cutting.plan import plan_cuts
    >>> from keycore.documents.family import read_family
    >>> plan = plan_cuts(read_family("boathouse-four"), {"A": ["1", "2", "3", "4"]})
    >>> [(c.space, c.position, round(c.value, 3)) for c in machine_cuts(plan, MachineOffsets(0.01))][:2]
    [(1, 4.0, 7.81), (2, 7.0, 7.21)]
    """
    made: list[MachineCut] = []
    for planned in plan.tracks:
        name = planned.track.name
        both_edges = plan.family.kind == Kind.DOUBLE_EDGE and len(plan.family.tracks) == 1
        sides = [name, f"{name} {TURNED}"] if both_edges else [name]
        for side in sides:
            made += [
                MachineCut(
                    side=side,
                    track=name,
                    space=cut.space,
                    position=convert(cut.from_gauge, plan.family.unit, Unit.MILLIMETRE) + offsets.space,
                    value=convert(cut.value, plan.family.unit, Unit.MILLIMETRE) + offsets.value,
                )
                for cut in sorted(planned.cuts, key=lambda cut: cut.from_gauge)
            ]
    return tuple(made)
