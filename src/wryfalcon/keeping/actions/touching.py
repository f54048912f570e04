"""Trimming by touch: each try kept with what it showed and what was turned."""

from __future__ import annotations

from django.db import transaction

from keycore.machines.touch import Move, Touch, TouchMark, next_move
from wryfalcon.accounts.models import User
from wryfalcon.machines.actions.care import note_work
from wryfalcon.machines.models import Machine, TouchTry, Work
from wryfalcon.refusal import NotDone


def touches_of(machine: Machine) -> list[TouchTry]:
    """The tries of the trim under way."""
    return list(machine.touches.filter(is_done=False).select_related("by"))


@transaction.atomic
def note_touch(actor: User, machine: Machine, showed: str) -> Move:
    """Note what the blanks showed; the move it asks for is taken to be made. Raises NotDone for no such mark.

    A hairline nick ends the trim: what is left is to lock it and to prove it with a cut.
    """
    if showed not in list(TouchMark):
        raise NotDone("Say what the blank shows: nothing, a nick, a line or a cut.")
    before = [Touch(TouchMark(touch.showed), touch.moved) for touch in touches_of(machine)]
    move = next_move(before, TouchMark(showed), machine.depth_step)
    TouchTry.objects.create(machine=machine, showed=showed, moved=move.by, by=actor)
    if move.is_right:
        machine.touches.update(is_done=True)
        note_work(actor, machine, Work.TOUCHED, f"after {len(before) + 1} tries")
    return move


@transaction.atomic
def begin_anew(machine: Machine) -> None:
    """Forget the tries of the trim under way: the follower was changed, or the jaws moved."""
    machine.touches.filter(is_done=False).update(is_done=True)
