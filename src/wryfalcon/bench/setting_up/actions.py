"""The set-up card: machine, cutter, jaw, and everything checked before the spindle starts."""

from __future__ import annotations

from dataclasses import dataclass

from django.utils import timezone

from keycore.errors import InputError
from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.bench.cutting.actions import end_piece
from wryfalcon.bench.models import SetUp, Tag
from wryfalcon.bench.piece_states import OPEN
from wryfalcon.bench.setting_up.presenters import why_not_cut
from wryfalcon.bench.setting_up.queries import commands_of, hand_checks, last_work, rests_on, what_holds
from wryfalcon.bench.tags.actions import check_open
from wryfalcon.lengths import say_mm
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.machines.fittings.actions import fit_cutter
from wryfalcon.machines.fittings.queries import makes
from wryfalcon.machines.line.orders import Press
from wryfalcon.machines.models import Cutter, JawSide, Machine
from wryfalcon.machines.offsets import offsets_for
from wryfalcon.refusal import NotDone


@dataclass(frozen=True)
class Chosen:
    """What the key is to be cut on."""

    machine: Machine
    cutter: Cutter
    jaw_side: JawSide | None
    style: str = "plunged"
    height: float | None = None  # of this blank as it was measured, mm


FAR_OFF = 0.5  # mm: a blank further from its table's height is another one
FILED = "Keys of this family are filed by hand: no machine is set up for them."


@action
def set_up(actor: User, tag: Tag, fitting: Chosen) -> SetUp:
    """Write a card for the settlement in force. Raises NotDone naming the field."""
    check_open(tag)
    if tag.family.kind.is_filed:
        raise NotDone(FILED)
    settlement = tag.to_cut
    if settlement is None or settlement.read_back_at is None:
        raise NotDone("Read the settled bitting back against its source first.")
    if fitting.machine.cutters.exists() and not fitting.machine.cutters.filter(pk=fitting.cutter.pk).exists():
        raise NotDone(f"{fitting.cutter} does not go on {fitting.machine}.", "cutter")
    if fitting.jaw_side is not None and fitting.jaw_side.machine_id != fitting.machine.pk:
        raise NotDone("That jaw side belongs to another machine.", "jaw_side")
    if not makes(fitting.machine, fitting.jaw_side, tag.family):
        raise NotDone("Its axes do not make what the cuts of this key are: choose another jaw or clamp.", "jaw_side")
    last = tag.set_ups.order_by("-id").first()
    height = fitting.height
    if height is None and last is not None and not last.is_blank_used:
        height = last.height
    try:
        offsets = offsets_for(fitting.machine, tag.family.gauge, fitting.jaw_side, tag.family_record)
        commands = commands_of(tag, settlement, fitting.cutter, fitting.style, offsets, height)
    except InputError as error:
        raise NotDone(f"It cannot be cut from here: {error.reason}.") from None
    card = SetUp.objects.create(
        tag=tag,
        settlement=settlement,
        machine=fitting.machine,
        cutter=fitting.cutter,
        jaw_side=fitting.jaw_side,
        style=fitting.style,
        commands=commands,
        rests_on=rests_on(tag, fitting.cutter, fitting.jaw_side, height),
        work_seen=last_work(fitting.machine),
        by=actor,
    )
    write_down(Event.SET_UP, actor, tag, machine=str(fitting.machine), cutter=str(fitting.cutter))
    return card


@action
def measure_blank(press: Press, tag: Tag, height: float) -> SetUp:
    """Make the card anew for a blank of this height, mm: what is on a face turned over is told from its other edge.

    Raises NotDone for a height that no such blank has.
    """
    blank = tag.family.blank
    listed = tag.family.lengths.to_machine(blank.height) if blank is not None else height
    if abs(height - listed) > FAR_OFF:
        raise NotDone(f"{say_mm(height)} is no blank of this family, which is {say_mm(listed)} high.", "height")
    return remake(press, tag, height)


@action
def remake(press: Press, tag: Tag, height: float | None = None) -> SetUp:
    """Make the last card anew as things are now: same machine, cutter, jaw and path, other figures, nothing ticked.

    ``height`` is that of the blank where it was measured just now; else it stays what it was said to be, as long as
    that blank is there.

    A key that waits for the old card, no cut made yet, is given up, its blank still good. Raises NotDone
    where there was no card, or while a key is being cut.
    """
    check_open(tag)
    last = tag.set_ups.select_related("machine", "cutter", "jaw_side").order_by("-id").first()
    if last is None:
        raise NotDone("Choose the machine, cutter and jaw first.")
    for piece in tag.pieces.filter(state__in=OPEN, done=0, onto=None):
        end_piece(press, tag, piece, blank_used=False, why="the card was made anew")
    assert press.by is not None
    return set_up(press.by, tag, Chosen(last.machine, last.cutter, last.jaw_side, last.style, height))


@action
def tick(actor: User, tag: Tag, done: list[str], seen: str | None = None) -> SetUp:
    """Keep which checks are done; once all are, cutting may begin.

    ``seen`` is what the page that was ticked had seen of card and machine, see ``queries/cards.py``.
    Raises NotDone where that has changed since, or where the card no longer holds.
    """
    check_open(tag)
    card = tag.set_up
    if card is None:
        raise NotDone("Choose the machine, cutter and jaw first.")
    holding = what_holds(tag, card)
    if seen is not None and seen != holding.seen:
        raise NotDone("Card or machine changed while you ticked: look again, then go through the checks.")
    if holding.to_remake:
        raise NotDone(why_not_cut(holding, "Make the card anew first"))
    checks = [check.id for check in hand_checks(tag.family)]
    card.ticks = [check for check in checks if check in done]
    card.checked_at = timezone.now() if card.ticks == checks else None
    card.by = actor
    if "cutter" in card.ticks and card.machine.fitted_id != card.cutter_id:
        fit_cutter(actor, card.machine, card.cutter)  # a changed wheel is noted, and makes a check due
    card.work_seen = last_work(card.machine)
    card.save()
    return card
