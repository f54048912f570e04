"""What is done with a run on a machine. Each asks the machine first and records what it did."""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.db import transaction
from django.utils.crypto import get_random_string

from wryfalcon.machines.drivers import driver_of
from wryfalcon.machines.drivers.interface import MachineRefused, MachineUnreachable
from wryfalcon.machines.following import OVER, catch_up
from wryfalcon.machines.models import Run, RunState

if TYPE_CHECKING:
    from wryfalcon.bench.models import SetUp

OPERATIONS = {
    "home": "Home the machine",
    "clamp": "It is clamped",
    "start": "Start",
    "hold": "Hold",
    "resume": "Go on",
    "stop": "Stop",
    "finish": "All cuts are made",
}


def plan_run(set_up: SetUp, key_number: int, *, cuts: list[dict[str, object]], touches_up: Run | None = None) -> Run:
    """Make a run that has not been sent yet; its job name is unique for ever."""
    kind = f"T{touches_up.pk}" if touches_up else f"K{key_number}"
    return Run.objects.create(
        set_up=set_up,
        machine=set_up.machine,
        key_number=key_number,
        job=f"{set_up.tag}-{kind}-{get_random_string(6, '23456789abcdefghjkmnpqrstuvwxyz')}",
        cuts=cuts,
        touches_up=touches_up,
    )


def send(run: Run, blank_height: float) -> None:
    """Send a run's cuts to its machine and remember where its log stood.

    Raises MachineRefused or MachineUnreachable; the run is then as it was and can be sent again.
    """
    driver = driver_of(run.machine)
    before = driver.status()
    onto = run.touches_up.job if run.touches_up else None
    driver.load(run.job, run.cuts, blank_height, onto)
    with transaction.atomic():
        kept = Run.objects.get(pk=run.pk)
        if kept.state == RunState.PLANNED:
            kept.boot, kept.last_event, kept.state = before.boot, before.last_event, RunState.LOADED
            kept.save()
    catch_up(run)


def operate(run: Run, operation: str) -> None:
    """Do one operation on the machine for this run, and catch up.

    Raises MachineRefused when the machine holds another job or will not, MachineUnreachable when
    it does not answer.
    """
    if operation not in OPERATIONS:
        raise MachineRefused(f"there is no operation {operation!r}")
    if operation != "home":
        _check_it_holds(run)
    try:
        driver_of(run.machine).operate(operation)
    finally:
        catch_up(run)


def _check_it_holds(run: Run) -> None:
    """Catch up first: another key may have taken this one's place, or the machine was switched off."""
    contact = catch_up(run)
    if contact.status is None:
        raise MachineUnreachable(contact.problem)
    if run.state in OVER or contact.status.job != run.job:
        other = contact.status.job
        raise MachineRefused("the machine holds another key now" if other else "the machine holds no key now")
