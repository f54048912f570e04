"""Practice on the simulated machine: a hidden fault to find and trim."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from random import Random

from django.utils import timezone

from keycore.cutting.commands import MachineOffsets
from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.bench.models import PieceState
from wryfalcon.lengths import say_mm
from wryfalcon.machines.line.orders import Press, place_order
from wryfalcon.machines.line.queries import line_of
from wryfalcon.machines.models import HiddenFault, Machine, Practice
from wryfalcon.machines.offsets import offsets_for
from wryfalcon.refusal import NotDone

GOOD = 0.015  # mm left over at most, and no more keys than
FEW_KEYS = 3


@dataclass(frozen=True)
class Fault:
    """A fault of the simulated machine: what it calls it, and between what sizes it is hidden."""

    name: str
    smallest: float
    largest: float
    unit: str


FAULTS = {
    HiddenFault.DEPTH: Fault("depth_offset", 0.05, 0.15, "mm"),
    HiddenFault.GAUGE: Fault("space_offset", 0.10, 0.25, "mm"),
    HiddenFault.JAW: Fault("jaw_angle", 0.006, 0.012, "mm for each mm along the blade"),
    HiddenFault.WHEEL: Fault("wheel_wear", 0.004, 0.008, "mm for each cut"),
}
"""A learner is also shown a machine with nothing wrong, now and then: it must be left alone."""


@action
def begin_practice(actor: User, machine: Machine, random: Random | None = None) -> Practice:
    """Hide a fault in the simulated machine, or none. Raises NotDone for a real one, or while a practice is on."""
    if machine.practices.filter(ended_at=None).exists():
        raise NotDone("A practice is on already: find what is wrong, then say what it was.")
    chance = random or Random()
    hidden = chance.choice(list(HiddenFault))
    kind = FAULTS.get(hidden)
    size = chance.uniform(kind.smallest, kind.largest) if kind else 0.0
    if hidden != HiddenFault.WHEEL:  # a wheel only ever wears away
        size *= chance.choice((-1, 1))
    _set_faults(actor, machine, {kind.name: size} if kind else {})
    keys = machine.pieces.filter(state=PieceState.FINISHED).count()
    return Practice.objects.create(machine=machine, hidden=hidden, fault=size, keys_before=keys, by=actor)


@action
def end_practice(practice: Practice, named: str) -> Practice:
    """Score a practice by what the learner says it was, and make the simulated machine true again.

    Raises NotDone for one that is over, or where nothing is named.
    """
    if practice.ended_at is not None:
        raise NotDone("That practice is over.")
    if named not in HiddenFault.values:
        raise NotDone("Say what it was.")
    machine = practice.machine
    now, then = offsets_for(machine, "shoulder"), _offsets_then(practice)
    moved = MachineOffsets(now.value - then.value, now.space - then.space)
    practice.named = named
    practice.keys_used = machine.pieces.filter(state=PieceState.FINISHED).count() - practice.keys_before
    practice.left_over = {
        HiddenFault.DEPTH: practice.fault + moved.value, HiddenFault.GAUGE: practice.fault + moved.space,
    }.get(HiddenFault(practice.hidden), max(moved.value, moved.space, key=abs))  # fmt: skip
    practice.ended_at = timezone.now()
    practice.save()
    _set_faults(practice.by, machine, {})
    return practice


def score_words(practice: Practice) -> str:
    """How it went, in a sentence or three."""
    if practice.left_over is None or practice.keys_used is None:
        return ""
    hidden, kind = HiddenFault(practice.hidden), FAULTS.get(HiddenFault(practice.hidden))
    was = f"It was {hidden.label}" + (f", {abs(practice.fault):.3f} {kind.unit}" if kind else "")
    keys = f"{practice.keys_used} key{'' if practice.keys_used == 1 else 's'} in {practice.minutes} min"
    named = HiddenFault(practice.named or hidden)  # practices of old hid one kind, and nothing was named
    if named != hidden:
        return f"{was}, not {named.label}. {keys}. Look at how the errors go along the blade, and where the cuts sit."
    if hidden.is_trimmed and abs(practice.left_over) > GOOD:
        return f"{was}, as you say; {say_mm(abs(practice.left_over))} left over. {keys}. Trust the interval, then trim."
    if not hidden.is_trimmed and abs(practice.left_over) > GOOD:
        return f"{was}, as you say; but no adjustment mends that, and one was made. {keys}."
    thrift = "thriftily" if practice.keys_used <= FEW_KEYS else "with more keys than it takes"
    left = f" {say_mm(abs(practice.left_over))} left over." if hidden.is_trimmed else ""
    return f"Found, and {thrift}: {was[0].lower()}{was[1:]}.{left} {keys}."


def _offsets_then(practice: Practice) -> MachineOffsets:
    """The machine's own shoulder offsets when the practice began, mm: later changes taken back."""
    machine = practice.machine
    now = offsets_for(machine, "shoulder")
    own = machine.offsets.filter(gauge="shoulder", jaw_side=None, family_record=None).first()
    if own is None:
        return now
    changes = list(own.changes.filter(at__gte=practice.began_at))
    return MachineOffsets(
        now.value - sum(change.value_after - change.value_before for change in changes),
        now.space - sum(change.space_after - change.space_before for change in changes),
    )


def _set_faults(actor: User, machine: Machine, wanted: Mapping[str, float]) -> None:
    """Make the simulated machine true under the offsets in force, but for what is wanted."""
    if not machine.is_simulated:
        raise NotDone("Practice is for the simulated machine; a real one is not put out of true.")
    offsets = offsets_for(machine, "shoulder")
    true = {"depth_offset": -offsets.value, "space_offset": -offsets.space, "jaw_angle": 0.0, "wheel_wear": 0.0}
    line = line_of(machine)
    if line.is_silent or not line.is_followed:
        raise NotDone("The simulated machine does not play along: it does not answer.")
    faults = {"new-wheel": 0.0} | {fault: at_rest + wanted.get(fault, 0.0) for fault, at_rest in true.items()}
    for fault, value in faults.items():
        place_order(Press(actor), machine, "inject", data={"fault": fault, "value": value})
