"""Putting in force what touching a face off asks for."""

from __future__ import annotations

from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.keeping.faces.presenters import face_shown
from wryfalcon.keeping.trimming.actions import change_offset
from wryfalcon.machines.faces.queries import face_now
from wryfalcon.machines.models import JawSide, MachineOffset
from wryfalcon.refusal import NotDone

GAUGES = ("shoulder", "tip")


@action
def put_face_offset_in(actor: User, side: JawSide, seen: str) -> None:
    """The offset across of a face, for keys gauged either way, as the page that was pressed had ``seen`` it.

    Raises NotDone before its edge was touched, or where it was touched anew meanwhile.
    """
    face = face_now(side)
    if face.offset is None:
        raise NotDone("Touch it off first, to its edge: nothing says yet how far it is off.")
    if seen != face_shown(face).offset:
        raise NotDone("It was touched anew since this page was shown: look again.")
    for gauge in GAUGES:
        row, _ = MachineOffset.objects.get_or_create(
            machine=side.machine, gauge=gauge, jaw_side=side, family_record=None
        )
        change_offset(actor, row, face.offset, row.space, why=f"{side} touched off")
