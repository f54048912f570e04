"""What is fitted to a machine: wheel, follower, clamps and their faces."""

from __future__ import annotations

from dataclasses import dataclass

from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.machines.care.actions import note_work
from wryfalcon.machines.models import Clamp, Cutter, Follower, JawSide, Machine, Work
from wryfalcon.refusal import NotDone


@action
def fit_cutter(actor: User, machine: Machine, cutter: Cutter) -> None:
    """Note that another of the wheels, or a new one of the same name, was fitted: the machine is checked anew.

    Raises NotDone for a wheel that does not go on it, where its book says which do.
    """
    if machine.cutters.exists() and not machine.cutters.filter(pk=cutter.pk).exists():
        raise NotDone(f"{cutter} does not go on {machine}.")
    what = Work.WHEEL if machine.fitted == cutter else Work.SWAPPED
    machine.fitted = cutter
    machine.save()
    note_work(actor, machine, what, f"{cutter}")


@action
def fit_follower(actor: User, machine: Machine, follower: Follower) -> None:
    """Note which follower is fitted; the trim by touch begins anew."""
    machine.followers.update(is_fitted=False)
    follower.is_fitted = True
    follower.save()
    machine.touches.filter(is_done=False).update(is_done=True)
    write_down(Event.MACHINE_WORKED, actor, machine=str(machine), follower=follower.name)


@dataclass(frozen=True)
class NewClamp:
    """A clamp or adapter and its first face."""

    name: str
    space_axis: str
    depth_axis: str
    face: str
    slot_depth: float
    note: str


@action
def add_clamp(actor: User, machine: Machine, new: NewClamp) -> JawSide:
    """Add a face to a clamp, and the clamp where it is new; no name is one more side of the machine's own jaw.

    Raises NotDone for a face that is there already, or one axis for both.
    """
    clamp = None
    if new.name.strip():
        if new.space_axis == new.depth_axis:
            raise NotDone("One axis cannot make both space and depth.")
        axes = {"space_axis": new.space_axis, "depth_axis": new.depth_axis, "note": new.note.strip()}
        clamp, _ = Clamp.objects.update_or_create(machine=machine, name=new.name.strip(), defaults=axes)
    if machine.jaw_sides.filter(clamp=clamp, name=new.face.strip()).exists():
        raise NotDone(f"There is a face {new.face.strip()} there already.")
    side = JawSide.objects.create(machine=machine, clamp=clamp, name=new.face.strip(), slot_depth=new.slot_depth)
    write_down(Event.MACHINE_WORKED, actor, machine=str(machine), clamp=new.name, face=side.name)
    return side


@action
def add_follower(actor: User, machine: Machine, name: str, flat: float, angle: float) -> Follower:
    """Add a follower, or a mill's tracer. Raises NotDone for a name that is there already."""
    if machine.followers.filter(name=name.strip()).exists():
        raise NotDone(f"There is a follower {name.strip()} already.")
    follower = Follower.objects.create(machine=machine, name=name.strip(), flat=flat, angle=angle)
    write_down(Event.MACHINE_WORKED, actor, machine=str(machine), follower_added=follower.name)
    return follower
