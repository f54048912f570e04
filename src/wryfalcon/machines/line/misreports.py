"""What a machine said that cannot be so: kept, named, and never believed in silence."""

from __future__ import annotations

from django.db.models import F
from django.utils import timezone

from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.machines.models import Machine, Misreport

RAW_KEPT = 1_000


def note_misreport(machine: Machine, says: str, raw: str = "", job: str = "") -> None:
    """Keep what was said; said again before anybody noted it, it is counted."""
    known = Misreport.objects.filter(machine=machine, says=says[:300], job=job, noted_by=None)
    if not known.update(times=F("times") + 1, last_at=timezone.now()):
        Misreport.objects.create(machine=machine, says=says[:300], raw=raw[:RAW_KEPT], job=job)


@action
def note_as_seen(actor: User, machine: Machine) -> None:
    """Somebody has looked at what a machine said; it is kept, and no longer stands on its pages."""
    Misreport.objects.filter(machine=machine, noted_by=None).update(noted_by=actor)
