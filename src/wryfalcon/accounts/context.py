"""What every page knows of the person looking at it."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.http import HttpRequest

from wryfalcon.accounts.models import Theme, UnitShown

ROOMS = {
    "bench": "bench", "library": "library", "codes": "library", "machines": "machines", "keeping": "machines",
    "records": "records", "editions": "library",
}  # fmt: skip
FINEST = {
    (UnitShown.INCH, False): "0.001", (UnitShown.INCH, True): "0.0001",
    (UnitShown.MILLIMETRE, False): "0.01", (UnitShown.MILLIMETRE, True): "0.001",
}  # fmt: skip
"""The last decimal that lengths are shown to."""


def shop(request: HttpRequest) -> dict[str, Any]:
    """The unit and theme in force, and whether this is the demonstration."""
    user = getattr(request, "user", None)
    unit, fine = UnitShown(getattr(user, "unit", UnitShown.INCH)), bool(getattr(user, "fine", False))
    theme = Theme(getattr(user, "theme", Theme.AUTO))
    return {
        "unit": unit,
        "unit_name": unit.label.lower(),
        "other_unit": UnitShown.MILLIMETRE if unit == UnitShown.INCH else UnitShown.INCH,
        "fine": fine,
        "finest": FINEST[unit, fine],
        "theme": "" if theme == Theme.AUTO else theme,
        "other_theme": Theme.LIGHT if theme == Theme.DARK else Theme.DARK,
        "room": _room(request),
        "demonstration": settings.DEMONSTRATION,
    }


def _room(request: HttpRequest) -> dict[str, bool]:
    """Which of the rooms named at the head of a page this address is in."""
    match = getattr(request, "resolver_match", None)
    return {ROOMS[match.app_name]: True} if match is not None and match.app_name in ROOMS else {}
