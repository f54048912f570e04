"""The set-up card: machine, cutter, jaw, and everything checked before the spindle starts."""

from __future__ import annotations

from dataclasses import dataclass

from django.db import transaction
from django.utils import timezone

from keycore.cutting.commands import machine_cuts
from keycore.errors import InputError
from wryfalcon.accounts.models import User
from wryfalcon.bench.actions.take_in import check_open
from wryfalcon.bench.models import SetUp, Tag
from wryfalcon.bench.queries.planning import plan_of
from wryfalcon.bench.refusal import NotDone
from wryfalcon.machines.actions.fitting import fit_cutter
from wryfalcon.machines.models import Cutter, JawSide, Machine
from wryfalcon.machines.queries.offsets import offsets_for
from wryfalcon.records.actions import write_down
from wryfalcon.records.models import Event

TICKS = {
    "glasses": "Glasses on; no gloves, sleeves, hair or rings near the wheel",
    "guard": "Guard down, spindle off while hands are in",
    "cutter": "The cutter named here is the one fitted",
    "bottomed": "Blank bottomed against the back of the jaw, at its stop",
    "tugged": "Tugged: it does not move",
    "stop-away": "Shoulder gauge or tip stop swung away",
}
"""What is checked by hand before a key is cut."""


@dataclass(frozen=True)
class Fitting:
    """What the key is to be cut on."""

    machine: Machine
    cutter: Cutter
    jaw_side: JawSide | None
    style: str = "plunged"


@transaction.atomic
def set_up(actor: User, tag: Tag, fitting: Fitting) -> SetUp:
    """Write a card for the settlement in force. Raises NotDone naming the field."""
    check_open(tag)
    settlement = tag.settlement
    if settlement is None or settlement.read_back_at is None:
        raise NotDone("Read the settled bitting back against its source first.")
    if fitting.jaw_side is not None and fitting.jaw_side.machine_id != fitting.machine.pk:
        raise NotDone("That jaw side belongs to another machine.", "jaw_side")
    try:
        plan = plan_of(tag, settlement, style=fitting.style, cutter=fitting.cutter)
    except InputError as error:
        raise NotDone(f"It cannot be cut from here: {error.reason}.") from None
    offsets = offsets_for(fitting.machine, tag.family.gauge, fitting.jaw_side, tag.family_record)
    card = SetUp.objects.create(
        tag=tag,
        settlement=settlement,
        machine=fitting.machine,
        cutter=fitting.cutter,
        jaw_side=fitting.jaw_side,
        style=fitting.style,
        commands=[
            {"side": c.side, "track": c.track, "space": c.space, "position": c.position, "value": c.value}
            for c in machine_cuts(plan, offsets)
        ],
        by=actor,
    )
    write_down(Event.SET_UP, actor, tag, machine=str(fitting.machine), cutter=str(fitting.cutter))
    return card


@transaction.atomic
def tick(actor: User, tag: Tag, done: list[str]) -> SetUp:
    """Keep which checks are done; once all are, cutting may begin."""
    check_open(tag)
    card = tag.set_up
    if card is None:
        raise NotDone("Choose the machine, cutter and jaw first.")
    card.ticks = [name for name in TICKS if name in done]
    card.checked_at = timezone.now() if len(card.ticks) == len(TICKS) else None
    card.by = actor
    card.save()
    if "cutter" in card.ticks and card.machine.fitted_id != card.cutter_id:
        fit_cutter(actor, card.machine, card.cutter)  # a changed wheel is noted, and makes a check due
    return card
