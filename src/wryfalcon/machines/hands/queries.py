"""How well hands and calipers measure here: the last study, or common practice until there is one."""

from __future__ import annotations

from django.db.models import QuerySet

from keycore.reading.instruments import CALIPER_SD
from keycore.units import Unit, convert
from wryfalcon.machines.models import HandStudy


def studied_sd_mm() -> float | None:
    """One reading of a caliper by hand as it was last studied, sd, mm; None before any study."""
    study = _studies().first()
    return study.whole if study else None


def _studies() -> QuerySet[HandStudy]:
    return HandStudy.objects.all()


def caliper_sd_mm() -> float:
    """One reading of a caliper by hand, sd, mm."""
    return studied_sd_mm() or convert(CALIPER_SD, Unit.INCH, Unit.MILLIMETRE)
