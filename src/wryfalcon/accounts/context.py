"""What every page knows of the person looking at it."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.http import HttpRequest

from wryfalcon.accounts.models import Theme, UnitShown

FINEST = {
    (UnitShown.INCH, False): "0.001", (UnitShown.INCH, True): "0.0001",
    (UnitShown.MILLIMETRE, False): "0.01", (UnitShown.MILLIMETRE, True): "0.001",
}  # fmt: skip
"""The last decimal that lengths are shown to."""


def shop(request: HttpRequest) -> dict[str, Any]:
    """The unit and theme in force, and whether this is the demonstration."""
    user = getattr(request, "user", None)
    return {
        "unit": getattr(user, "unit", UnitShown.INCH),
        "fine": getattr(user, "fine", False),
        "finest": FINEST[getattr(user, "unit", UnitShown.INCH), bool(getattr(user, "fine", False))],
        "theme": getattr(user, "theme", Theme.AUTO),
        "demonstration": settings.DEMONSTRATION,
    }
