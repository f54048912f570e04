"""Keeping a run's record in step with the machine, which goes on whether anyone watches or not."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.db import transaction
from django.utils import timezone

from wryfalcon.machines.drivers import MachineUnreachable, Status, driver_of
from wryfalcon.machines.drivers.interface import MachineEvent
from wryfalcon.machines.models import Machine, Run, RunEvent, RunState

STATE_AFTER = {
    "loaded": RunState.LOADED,
    "clamped": RunState.CLAMPED,
    "started": RunState.CUTTING,
    "resumed": RunState.CUTTING,
    "held": RunState.HELD,
    "turn-wanted": RunState.TURN,
    "stalled": RunState.STALLED,
    "stopped": RunState.STOPPED,
    "finished": RunState.FINISHED,
}
OVER = {RunState.FINISHED, RunState.LOST}


@dataclass(frozen=True)
class Contact:
    """What the machine said when asked, or why it said nothing."""

    status: Status | None
    problem: str = ""


def look_at(machine: Machine) -> Contact:
    """How a machine is now, whatever it holds."""
    try:
        return Contact(driver_of(machine).status())
    except MachineUnreachable as error:
        return Contact(None, str(error))


def catch_up(run: Run) -> Contact:
    """Ask the machine what happened since it was last asked, and record it once.

    The machine is asked before the transaction opens, so that a slow line blocks nobody; events
    another request has recorded meanwhile are passed over by their numbers.
    """
    driver = driver_of(run.machine)
    try:
        status = driver.status()
        events = driver.events(run.last_event) if status.boot == run.boot else []
    except MachineUnreachable as error:
        return Contact(None, str(error))
    with transaction.atomic():
        kept = Run.objects.get(pk=run.pk)
        if kept.boot and status.boot != kept.boot and kept.state not in OVER:
            kept.state = RunState.LOST
        else:
            _record(kept, [event for event in events if event.number > kept.last_event])
            if kept.state not in OVER and status.job != kept.job:
                kept.state = RunState.LOST  # another key took its place
        kept.save()
    run.refresh_from_db()
    return Contact(status)


def _record(run: Run, events: Sequence[MachineEvent]) -> None:
    """Add a run's own events and fold them into its state; others only move the count on."""
    for event in events:
        run.last_event = event.number
        if event.job != run.job:
            continue
        RunEvent.objects.create(run=run, boot=run.boot, number=event.number, kind=event.kind, data=event.data)
        run.state = STATE_AFTER.get(event.kind, run.state)
        if event.kind == "homed" and event.data.get("freed"):
            run.state = RunState.HELD
        if event.kind == "cut-done":
            run.done += 1
        if event.kind == "finished":
            run.finished_at = timezone.now()
