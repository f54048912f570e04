"""Care of a machine, its particulars, and how well hands measure at it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

import numpy as np
from django.utils import timezone

from keycore.errors import InputError
from keycore.machines.study import gauge_study
from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.machines.models import HandStudy, Machine, MachineWork, Work
from wryfalcon.refusal import NotDone

PARTICULARS = (
    "kind",
    "depth_step",
    "space_step",
    "screw_lead",
    "depth_dial",
    "space_dial",
    "closer",
    "space_axis",
    "depth_axis",
    "note",
)
OF_THE_CUTTER = {Work.WHEEL, Work.SWAPPED, Work.BURRS, Work.SHOOK}


@dataclass(frozen=True)
class Particulars:
    """How a machine is adjusted; mm."""

    kind: str
    depth_step: float
    space_step: float
    screw_lead: float | None
    depth_dial: float | None
    space_dial: float | None
    closer: str
    space_axis: str
    depth_axis: str
    note: str


@action
def describe_machine(actor: User, machine: Machine, particulars: Particulars) -> None:
    """Write a machine's particulars down. Raises NotDone for one axis that makes both space and depth."""
    if particulars.space_axis == particulars.depth_axis:
        raise NotDone("One axis cannot make both space and depth.")
    before = {name: getattr(machine, name) for name in PARTICULARS}
    for name in PARTICULARS:
        setattr(machine, name, getattr(particulars, name))
    machine.save()
    write_down(Event.MACHINE_WORKED, actor, machine=str(machine), before=before)


@action
def note_work(
    actor: User | None, machine: Machine, what: str, note: str = "", *, at: datetime | None = None
) -> MachineWork:
    """Note what was done to a machine, now or when the machine says it was. Raises NotDone for nothing known."""
    if what not in Work.values:
        raise NotDone("Say what was done.")
    cutter = machine.fitted if what in OF_THE_CUTTER else None
    work = MachineWork.objects.create(
        machine=machine, what=what, cutter=cutter, note=note.strip()[:200], by=actor, at=at or timezone.now()
    )
    write_down(Event.MACHINE_WORKED, actor, machine=str(machine), what=what, work=work.pk)
    return work


@action
def keep_study(
    actor: User, instrument: str, people: Sequence[str], readings: Sequence[Sequence[Sequence[float]]]
) -> HandStudy:
    """Keep a study of hands and an instrument; from now on readings and proofs use it.

    ``readings`` people by cuts by repeats, mm. Raises NotDone for one with gaps or too small.
    """
    names = [name.strip() for name in people]
    if not instrument.strip() or not all(names) or len(set(names)) < len(names):
        raise NotDone("Name the caliper, and each person once.")
    try:
        found = gauge_study(np.array(readings, dtype=float))
    except (InputError, ValueError) as error:
        reason = error.reason if isinstance(error, InputError) else "everyone must measure every cut as often"
        raise NotDone(f"The study is not complete: {reason}.") from None
    if found.whole == 0:
        raise NotDone("Every reading is the same: type what the caliper said each time, unrounded.")
    study = HandStudy.objects.create(
        instrument=instrument.strip()[:40], people=names, readings=[[list(c) for c in p] for p in readings],
        repeatability=found.repeatability, reproducibility=found.reproducibility, by=actor,
    )  # fmt: skip
    write_down(Event.HAND_STUDIED, actor, study=study.pk, sd=round(found.whole, 5))
    return study
