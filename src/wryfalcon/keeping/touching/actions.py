"""Trimming by touch: each try kept with what it showed and what was turned."""

from __future__ import annotations

from keycore.machines.touch import Move, Touch, TouchMark, move_after_cylinder, next_move
from keycore.proving.lock import Feel
from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.machines.care.actions import note_work
from wryfalcon.machines.models import Machine, TouchTry, Work
from wryfalcon.machines.touches import is_to_be_proven, touches_of
from wryfalcon.refusal import NotDone


@action
def note_touch(actor: User, machine: Machine, showed: str) -> Move:
    """Note what the blanks showed; the move it asks for is taken to be made. Raises NotDone for no such mark.

    A hairline nick is not the end: it is locked then, and proven by a key that is cut and tried in its cylinder.
    """
    if showed not in list(TouchMark):
        raise NotDone("Say what the blank shows: nothing, a nick, a line or a cut.")
    before = [Touch(TouchMark(touch.showed), touch.moved) for touch in touches_of(machine)]
    move = next_move(before, TouchMark(showed), machine.depth_step)
    TouchTry.objects.create(machine=machine, showed=showed, moved=move.by, by=actor)
    if move.is_right:
        note_work(actor, machine, Work.TOUCHED, f"after {len(before) + 1} tries; to be proven in a cylinder")
    return move


@action
def note_cylinder(actor: User, machine: Machine, felt: str) -> Move:
    """Note how the proving key went in its cylinder: freely ends the trim, else the move it asks for is made.

    Raises NotDone before there was a nick, and for no such answer.
    """
    if felt not in list(Feel):
        raise NotDone("Say how the proving key went in its cylinder.")
    tries = touches_of(machine)
    if not is_to_be_proven(tries):
        raise NotDone("Set it by touch first: two like blanks, until the wheel leaves a hairline nick.")
    move = move_after_cylinder(Feel(felt), machine.depth_step)
    last = tries[-1] if not tries[-1].cylinder else TouchTry(machine=machine, showed=TouchMark.NICK, by=actor)
    last.cylinder, last.moved = felt, move.by
    last.save()
    if move.is_right:
        machine.touches.update(is_done=True)
        write_down(Event.MACHINE_WORKED, actor, machine=str(machine), proven_by_touch=True)
    elif move.by:
        note_work(actor, machine, Work.TOUCHED, "moved after its proving key; to be proven again")
    return move


@action
def begin_anew(machine: Machine) -> None:
    """Forget the tries of the trim under way: the follower was changed, or the jaws moved."""
    machine.touches.filter(is_done=False).update(is_done=True)
