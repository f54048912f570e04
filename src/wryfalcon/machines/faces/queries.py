"""Which faces of a machine's clamps are touched off, what of it holds, and what comes next."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime

from keycore.machines.faces import FaceFault, FaceStep, FaceTouched, offset_across
from wryfalcon.machines.models import ACROSS_AXES, FaceTouch, JawSide, Machine, MachineWork, Work

MOVES_FACES = frozenset(work for work in Work if work.moves_it or work == Work.SWAPPED)
"""After any of it every face is touched off anew: another tool is of another length, another jaw lies elsewhere."""


@dataclass(frozen=True)
class StepHeld:
    """One step of a face: the touch that holds, what was wrong with the last, or what was done to the machine since."""

    step: FaceStep
    touch: FaceTouch | None  # the last there was
    moved_by: str = ""  # what was done to the machine since, that it must be touched again for

    @property
    def holds(self) -> bool:
        """Whether what comes after may rest on it."""
        return self.touch is not None and not self.touch.faults and not self.moved_by

    @property
    def faults(self) -> tuple[FaceFault, ...]:
        """What the last touch said is wrong."""
        return tuple(FaceFault(each) for each in self.touch.faults) if self.touch is not None else ()


@dataclass(frozen=True)
class FaceNow:
    """A face as it stands."""

    side: JawSide
    steps: tuple[StepHeld, ...]

    @property
    def next_step(self) -> FaceStep | None:
        """What is to be touched next; None once all holds."""
        return next((each.step for each in self.steps if not each.holds), None)

    @property
    def is_true(self) -> bool:
        """Whether all of it holds."""
        return self.next_step is None

    @property
    def offset(self) -> float | None:
        """What is to be added across so that keys on it come out true, mm; None before its edge was touched."""
        edge = self.steps[-1]
        return offset_across(edge.touch.touched) if edge.holds and edge.touch is not None else None

    @property
    def held(self) -> dict[FaceStep, FaceTouched]:
        """The touches that hold."""
        return {each.step: each.touch.touched for each in self.steps if each.holds and each.touch is not None}


def has_faces(side: JawSide) -> bool:
    """Whether a blade lies flat on it, so that its height and its edge can be touched off."""
    return side.clamp is not None and side.clamp.depth_axis in ACROSS_AXES


def faces_of(machine: Machine) -> list[FaceNow]:
    """Every such face of a machine's clamps."""
    sides = machine.jaw_sides.filter(clamp__depth_axis__in=ACROSS_AXES).select_related("clamp")
    return [face_now(side) for side in sides.order_by("clamp", "name")]


def face_now(side: JawSide) -> FaceNow:
    """One face: a step holds only while those before it do."""
    touches = list(side.touches.select_related("by", "cutter"))
    works = list(side.machine.work.filter(what__in=MOVES_FACES).order_by("at")) if touches else []
    steps: list[StepHeld] = []
    for step in FaceStep:
        last = next((touch for touch in reversed(touches) if touch.step == step), None)
        moved = _moved_since(works, last.at) if last is not None else ""
        before = steps[-1] if steps else None
        if last is not None and not moved and before is not None and not _rests(before, last):
            moved = "what it rests on was touched anew"
        steps.append(StepHeld(step, last, moved))
    return FaceNow(side, tuple(steps))


def _rests(before: StepHeld, touch: FaceTouch) -> bool:
    """Whether a touch came after the one it rests on, and that one holds."""
    return before.holds and before.touch is not None and before.touch.pk < touch.pk


def _moved_since(works: Sequence[MachineWork], at: datetime) -> str:
    done: Iterable[MachineWork] = (work for work in works if work.at > at)
    return next((Work(work.what).done for work in done), "")
