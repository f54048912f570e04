"""Cutting: a run for each key, sent, started, held, taken up again, touched up."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.db.models import F

from keycore.units import Unit, convert
from wryfalcon.accounts.models import User
from wryfalcon.bench.actions.take_in import check_open
from wryfalcon.bench.models import SetUp, Tag
from wryfalcon.bench.queries.proving import cuts_to_deepen, proof_of
from wryfalcon.bench.refusal import NotDone
from wryfalcon.library.models import Blank
from wryfalcon.machines.actions.runs import operate, plan_run, send
from wryfalcon.machines.drivers import MachineRefused, MachineUnreachable
from wryfalcon.machines.models import Run, RunState
from wryfalcon.records.actions import write_down
from wryfalcon.records.models import Event

UNDER_WAY = set(RunState) - {RunState.PLANNED, RunState.LOST, RunState.FINISHED}


def cut_key(actor: User, tag: Tag) -> Run:
    """Make the next key of this tag: one run, sent to its machine. Raises NotDone."""
    check_open(tag)
    card = _checked_card(tag)
    with transaction.atomic():
        run = Run.objects.filter(set_up__tag=tag, state=RunState.PLANNED).last()
        if run is None:
            _refuse_while_cutting(tag)
            number = Run.objects.filter(set_up__tag=tag, touches_up=None).count() + 1
            run = plan_run(card, number, cuts=_told(card.commands))
            write_down(Event.RUN_STARTED, actor, tag, job=run.job, machine=str(card.machine))
    return _sent(tag, run)


def send_again(actor: User, tag: Tag, run: Run) -> Run:
    """Send a key the machine has forgotten again: cuts already made are only passed over."""
    check_open(tag)
    if run.state != RunState.LOST:
        raise NotDone("Only a key that its machine has forgotten is sent again.")
    with transaction.atomic():
        fresh = plan_run(run.set_up, run.key_number, cuts=run.cuts)
        Run.objects.filter(pk=fresh.pk).update(blank_taken=run.blank_taken)
        fresh.refresh_from_db()
        write_down(Event.RUN_STARTED, actor, tag, job=fresh.job, again=run.job)
    return _sent(tag, fresh)


def touch_up(actor: User, tag: Tag, run: Run) -> Run:
    """Cut the shallow cuts of a finished key again, deeper only. Raises NotDone when there are none."""
    check_open(tag)
    _refuse_while_cutting(tag)
    shallow = cuts_to_deepen(tag, proof_of(tag, run)) if run.state == RunState.FINISHED else []
    if not shallow:
        raise NotDone("No measured cut of this key is shallow; cutting can only ever take metal off.")
    wanted = {(cut.track, cut.space): cut.deepen_by_mm for cut in shallow}
    cuts = [
        {**command, "value": command["value"] + wanted[command["track"], command["space"]]}
        for command in run.set_up.commands
        if (command["track"], command["space"]) in wanted
    ]
    with transaction.atomic():
        fresh = plan_run(run.set_up, run.key_number, cuts=_told(cuts), touches_up=run)
        Run.objects.filter(pk=fresh.pk).update(blank_taken=True)
        fresh.refresh_from_db()
        write_down(Event.RUN_STARTED, actor, tag, job=fresh.job, touches_up=run.job)
    return _sent(tag, fresh)


def operate_run(actor: User, tag: Tag, run: Run, operation: str) -> Run:
    """Do one operation of the machine for this key. Raises NotDone with what the machine said."""
    check_open(tag)
    try:
        operate(run, operation)
    except MachineRefused as error:
        raise NotDone(f"The machine says: {error}.") from None
    except MachineUnreachable:
        raise NotDone("No answer from the machine. Look at it before you try again; it may be going on.") from None
    run.refresh_from_db()
    if operation == "start":
        _take_blank(tag, run)
    return run


def record_finish(actor: User | None, tag: Tag, run: Run) -> None:
    """Write a finished run down, once."""
    if run.state == RunState.FINISHED and not tag.audit.filter(event=Event.RUN_FINISHED, data__job=run.job).exists():
        write_down(Event.RUN_FINISHED, actor, tag, job=run.job, cuts=run.done)


def _checked_card(tag: Tag) -> SetUp:
    card = tag.set_up
    if card is None or card.checked_at is None:
        raise NotDone("Go through the set-up card first; every check on it has its reason.")
    if tag.blank is not None and tag.blank.left < 1:
        raise NotDone(f"There is no blank {tag.blank.code} left on hook {tag.blank.hook}.")
    return card


def _refuse_while_cutting(tag: Tag) -> None:
    if Run.objects.filter(set_up__tag=tag, state__in=UNDER_WAY).exists():
        raise NotDone("A key of this tag is still on the machine.")


def _told(commands: list[dict[str, Any]]) -> list[dict[str, Any]]:
    return [{name: command[name] for name in ("side", "position", "value")} for command in commands]


def _sent(tag: Tag, run: Run) -> Run:
    blank = tag.family.blank
    height = convert(blank.height, tag.family.unit, Unit.MILLIMETRE) if blank else 0.0
    try:
        send(run, height)
    except MachineRefused as error:
        raise NotDone(f"The machine says: {error}. Home it if it has not been homed.") from None
    except MachineUnreachable:
        raise NotDone("No answer from the machine. The key is kept ready; send it when the line is back.") from None
    run.refresh_from_db()
    return run


@transaction.atomic
def _take_blank(tag: Tag, run: Run) -> None:
    """Take one blank off its hook when the wheel first touches it."""
    if Run.objects.filter(pk=run.pk, blank_taken=False).update(blank_taken=True) and tag.blank_id:
        Blank.objects.filter(pk=tag.blank_id, left__gt=0).update(left=F("left") - 1)
