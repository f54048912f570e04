"""The faces of a machine's clamps as their page shows them: what must be in the clamp, what holds, what it says."""

from __future__ import annotations

from dataclasses import dataclass

from django.utils import timezone

from keycore.machines.faces import BLADE_MM, FaceFault, FaceStep
from wryfalcon.lengths import say_mm
from wryfalcon.machines.faces.queries import FaceNow, StepHeld
from wryfalcon.machines.models import JawSide, MachineOffset

IN_CLAMP = {
    FaceStep.FLOOR: "Nothing in the clamp, the face brushed: touch its floor at both ends.",
    FaceStep.TOP: "A flat of known thickness on it: touch its top at both ends.",
    FaceStep.EDGE: "A key against its stop, flat on the face: touch its reference edge at both ends.",
}
WRONG = {
    FaceFault.NOT_EMPTY: "Something lies on it: clear the clamp, and touch the bare floor.",
    FaceFault.NOTHING_LIES: "No flat lies there, or another than was said.",
    FaceFault.CHIPS: "The flat stands off its own thickness: chips under it, or another flat. Brush it, lay it again.",
    FaceFault.TILTED: "The face is tilted: square the clamp, for no offset mends that. Then touch it again.",
}


@dataclass(frozen=True)
class StepShown:
    """One step: what must be in the clamp, and how far it is."""

    step: str
    asks: str
    holds: bool
    is_next: bool
    says: str
    wrong: tuple[str, ...]
    asks_thickness: bool


@dataclass(frozen=True)
class FaceShown:
    """A face, its steps, and the offset that they ask for."""

    side: JawSide
    steps: tuple[StepShown, ...]
    offset: str  # what is to be put in, "" before its edge was touched or where it is in already
    in_force: str


def face_shown(face: FaceNow) -> FaceShown:
    """A face in words."""
    now = MachineOffset.objects.filter(jaw_side=face.side, family_record=None).first()
    in_force = now.value if now is not None else 0.0
    wanted = face.offset
    return FaceShown(
        face.side,
        tuple(_step(each, is_next=each.step == face.next_step) for each in face.steps),
        say_mm(wanted) if wanted is not None and abs(wanted - in_force) > HARDLY_MM else "",
        say_mm(in_force),
    )


HARDLY_MM = 0.004
"""Offsets closer than this are the same: two touches of one edge differ by as much."""


def _step(held: StepHeld, *, is_next: bool) -> StepShown:
    return StepShown(
        held.step.value, IN_CLAMP[held.step], held.holds, is_next, _says(held),
        tuple(WRONG[fault] for fault in held.faults), asks_thickness=held.step == FaceStep.TOP,
    )  # fmt: skip


def _says(held: StepHeld) -> str:
    """When it was touched and what it said, or why it is to be touched again; "" before it ever was."""
    touch = held.touch
    if touch is None:
        return ""
    when = f"{timezone.localtime(touch.at):%-d %b, %H:%M}, {touch.by}"
    if held.moved_by:
        return f"touched {when}; since then {held.moved_by}"
    rises = say_mm(touch.touched.tilt * BLADE_MM)
    return f"touched {when}: {say_mm(touch.touched.mean)}, rising {rises} over {say_mm(BLADE_MM, 0)}"
