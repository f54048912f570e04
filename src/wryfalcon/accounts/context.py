"""What every page knows of the person looking at it."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.http import HttpRequest

from wryfalcon.accounts.models import Theme, UnitShown


def shop(request: HttpRequest) -> dict[str, Any]:
    """The unit and theme in force, and whether this is the demonstration."""
    user = getattr(request, "user", None)
    return {
        "unit": getattr(user, "unit", UnitShown.INCH),
        "fine": getattr(user, "fine", False),
        "theme": getattr(user, "theme", Theme.AUTO),
        "demonstration": settings.DEMONSTRATION,
    }
