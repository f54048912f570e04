"""Practice on the simulated machine: a hidden fault to find and trim."""

from __future__ import annotations

from random import Random

from django.db import transaction
from django.utils import timezone

from wryfalcon.accounts.models import User
from wryfalcon.machines.drivers import MachineRefused, MachineUnreachable, driver_of
from wryfalcon.machines.drivers.bench import BenchDriver
from wryfalcon.machines.models import Machine, Practice, RunState
from wryfalcon.machines.queries.offsets import offsets_for
from wryfalcon.machines.refusal import NotKept

SMALLEST, LARGEST = 0.05, 0.15  # mm
GOOD = 0.015  # mm left over at most, and no more keys than
FEW_KEYS = 3


def begin_practice(actor: User, machine: Machine, random: Random | None = None) -> Practice:
    """Hide a fault in the simulated machine. Raises NotKept for a real one, or while a practice is on."""
    if machine.practices.filter(ended_at=None).exists():
        raise NotKept("A practice is on already: trim the machine, then press Done.")
    chance = random or Random()
    fault = chance.uniform(SMALLEST, LARGEST) * chance.choice((-1, 1))
    _set_fault(machine, fault - offsets_for(machine, "shoulder").value)
    keys = machine.runs.filter(state=RunState.FINISHED).count()
    return Practice.objects.create(machine=machine, fault=fault, keys_before=keys, by=actor)


@transaction.atomic
def end_practice(practice: Practice) -> Practice:
    """Score a practice and make the simulated machine true again. Raises NotKept for one that is over."""
    if practice.ended_at is not None:
        raise NotKept("That practice is over.")
    machine = practice.machine
    moved = offsets_for(machine, "shoulder").value - _offset_then(practice)
    practice.keys_used = machine.runs.filter(state=RunState.FINISHED).count() - practice.keys_before
    practice.left_over = practice.fault + moved
    practice.ended_at = timezone.now()
    practice.save()
    _set_fault(machine, -offsets_for(machine, "shoulder").value)
    return practice


def score_words(practice: Practice) -> str:
    """How it went, in a sentence."""
    if practice.left_over is None or practice.keys_used is None:
        return ""
    was = f"{abs(practice.fault):.3f} mm {'shallow' if practice.fault > 0 else 'deep'}"
    left = f"{abs(practice.left_over):.3f} mm left over"
    keys = f"{practice.keys_used} key{'' if practice.keys_used == 1 else 's'} in {practice.minutes} min"
    if abs(practice.left_over) > GOOD:
        return f"It was {was}; {left} after {keys}. Measure two clampings and trust the interval."
    thrift = "and thriftily" if practice.keys_used <= FEW_KEYS else "with more keys than it takes"
    return f"Found and trimmed, {thrift}: it was {was}; {left} after {keys}."


def _offset_then(practice: Practice) -> float:
    """The machine's own shoulder offset when the practice began, mm: later changes taken back."""
    machine = practice.machine
    now = offsets_for(machine, "shoulder").value
    own = machine.offsets.filter(gauge="shoulder", jaw_side=None, family_record=None).first()
    if own is None:
        return now
    changes = own.changes.filter(at__gte=practice.began_at)
    return now - sum(change.value_after - change.value_before for change in changes)


def _set_fault(machine: Machine, depth_offset: float) -> None:
    driver = driver_of(machine)
    if not isinstance(driver, BenchDriver):
        raise NotKept("Practice is for the simulated machine; a real one is not put out of true.")
    try:
        for fault in ("space_offset", "jaw_angle", "wheel_wear"):
            driver.panel(do="inject", fault=fault, value=0.0)
        driver.panel(do="inject", fault="depth_offset", value=depth_offset)
    except (MachineRefused, MachineUnreachable) as error:
        raise NotKept(f"The simulated machine does not play along: {error}.") from None
