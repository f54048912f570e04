"""Touching clamp faces off, by the machine or with a dial in hand: each step with what must be in the clamp."""

from __future__ import annotations

from math import isfinite

from keycore.machines.faces import FaceStep, FaceTouched, judge_face
from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.machines.faces.queries import face_now, has_faces
from wryfalcon.machines.line.orders import Press, place_order
from wryfalcon.machines.models import DriverKind, FaceTouch, JawSide, Order
from wryfalcon.refusal import NotDone

TOUCH_OFF = "touch"
FARTHEST_MM = 20.0
THICKEST_MM = 10.0


def ask_to_touch(press: Press, side: JawSide, step: str, thickness: float = 0.0) -> Order:
    """Ask the machine to touch a face off at both ends; what it touched is kept when it answers.

    Raises NotDone for a step out of order, a flat of no thickness, or a machine that is not on the line.
    """
    _check(side, step, thickness)
    if side.machine.driver != DriverKind.BENCH:
        raise NotDone("This machine touches nothing by itself: type what its dial says.")
    data = {"face": str(side), "at": step, "side": side.pk, "thickness": thickness}
    return place_order(press, side.machine, TOUCH_OFF, data=data)


@action
def note_touched(actor: User, side: JawSide, step: str, touched: FaceTouched, thickness: float = 0.0) -> FaceTouch:
    """Keep where a dial says that a face was touched. Raises NotDone as asking the machine does, and for no number."""
    _check(side, step, thickness)
    figures = (touched.near, touched.far, touched.apart)
    if not all(isfinite(each) and abs(each) <= FARTHEST_MM * 5 for each in figures) or touched.apart < 1:
        raise NotDone("Two readings in millimetres, and how far they are apart.", "near")
    return _keep(actor, side, FaceStep(step), touched, thickness)


def keep_touch_told(order: Order) -> None:
    """What a machine answered, of a face that is still there and whose steps before it still hold."""
    told = order.result or {}
    side = JawSide.objects.select_related("clamp", "machine__fitted").filter(pk=told.get("side", 0)).first()
    if side is None or order.by is None:
        return
    step = FaceStep(told["at"])
    if step == FaceStep.TOP and FaceStep.FLOOR not in face_now(side).held:
        return
    _keep(order.by, side, step, FaceTouched(told["near"], told["far"], told["apart"]), float(told["thickness"]))


def _keep(actor: User, side: JawSide, step: FaceStep, touched: FaceTouched, thickness: float) -> FaceTouch:
    faults = judge_face(step, touched, face_now(side).held, thickness)
    kept = FaceTouch.objects.create(
        side=side, step=step, thickness=thickness, near=touched.near, far=touched.far, apart=touched.apart,
        faults=list(faults), cutter=side.machine.fitted, by=actor,
    )  # fmt: skip
    write_down(Event.FACE_TOUCHED, actor, machine=str(side.machine), what=f"{side}, {step}")
    return kept


def _check(side: JawSide, step: str, thickness: float) -> None:
    if not has_faces(side):
        raise NotDone("That is no face that a blade lies flat on.")
    if step not in list(FaceStep):
        raise NotDone("Say what is touched: the floor, a flat's top, or a key's edge.")
    face = face_now(side)
    before = list(FaceStep)[: list(FaceStep).index(FaceStep(step))]
    if any(each not in face.held for each in before):
        raise NotDone("First what it rests on: the empty floor, then a flat, then a key.")
    if step == FaceStep.TOP and not 0 < thickness <= THICKEST_MM:
        raise NotDone("Say how thick the flat is that lies there.", "thickness")
