"""The machines as the pages show them."""

from __future__ import annotations

from dataclasses import dataclass

from django.db.models import Count, Q

from wryfalcon.machines.following import Contact, look_at
from wryfalcon.machines.models import DriverKind, Machine, RunState

STATE_WORDS = {
    "unhomed": "not homed yet",
    "idle": "idle",
    "loaded": "holds a key, waiting to be clamped",
    "cutting": "cutting",
    "held": "held",
    "turn": "waiting for the key to be turned over",
    "stalled": "stalled",
    "stopped": "stopped",
    "done": "finished its last key",
}


@dataclass(frozen=True)
class MachineLine:
    """One machine in a line: its name, its state in words, and whether that needs a hand."""

    machine: Machine
    contact: Contact
    words: str
    needs_hand: bool


def machines_in_a_line(*related: str) -> list[MachineLine]:
    """Every machine and how it is now, with what is asked for of it."""
    machines = (
        Machine.objects.select_related("fitted")
        .prefetch_related(*related)
        .annotate(keys=Count("runs", filter=Q(runs__state=RunState.FINISHED)))
    )
    return [_line(machine) for machine in machines]


def _line(machine: Machine) -> MachineLine:
    if machine.driver == DriverKind.NONE:
        return MachineLine(machine, Contact(None), "worked by hand", False)
    contact = look_at(machine)
    if contact.status is None:
        return MachineLine(machine, contact, "no answer", True)
    words = STATE_WORDS.get(contact.status.state, contact.status.state)
    if contact.status.state == "cutting":
        words = f"cutting {contact.status.cut + 1} of {contact.status.of}"
    lid = ", lid open" if contact.status.lid_open else ""
    needs_hand = contact.status.state in ("unhomed", "held", "turn", "stalled") or contact.status.lid_open
    return MachineLine(machine, contact, words + lid, needs_hand)
