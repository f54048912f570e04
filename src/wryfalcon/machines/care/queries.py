"""The care of a machine: when each thing was last done, and what made it lose its place."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from django.db.models import Max
from django.utils import timezone

from wryfalcon.machines.models import Machine, MachineWork, Work

LOST_ITS_PLACE = (Work.JAM, Work.THUMPED)
# How often and how: common practice, no source. The maker's own book comes first.
SCHEDULE = (
    (Work.BRUSHED, 1, "Spindle off. A brush, never a hand or compressed air; chips away from the works."),
    (Work.CLEANED, 7, "Unplug it. Jaws open, slides wiped and oiled lightly, nothing left between jaw and key."),
    (Work.TIGHTENED, 30, "Unplug it. The wheel nut may be left-handed; take the hex key out at once."),
    (Work.HOMED, 7, "Hands away, spindle off. After every jam as well."),
)


@dataclass(frozen=True)
class CareDue:
    """One thing to be done regularly, and when it last was."""

    work: Work
    every_days: int
    how: str
    last: datetime | None

    @property
    def is_due(self) -> bool:
        """Whether it has not been done for so long."""
        return self.last is None or timezone.now() - self.last > timedelta(days=self.every_days)


def care_of(machine: Machine) -> list[CareDue]:
    """What a machine needs, and when it last had it."""
    done = dict(MachineWork.objects.filter(machine=machine).values_list("what").annotate(last=Max("at")).order_by())
    return [CareDue(work, days, how, done.get(work)) for work, days, how in SCHEDULE]


def lost_its_place(works: Sequence[MachineWork]) -> MachineWork | None:
    """What made a machine lose its place since it was last homed, None for nothing. Works newest first."""
    told = next((work for work in works if work.what in (*LOST_ITS_PLACE, Work.HOMED)), None)
    return None if told is None or told.what == Work.HOMED else told
