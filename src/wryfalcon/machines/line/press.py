"""The press of a button that asks something of a machine, read from its form."""

from __future__ import annotations

from uuid import UUID

from django.http import HttpRequest

from wryfalcon.accounts.models import User
from wryfalcon.machines.line.orders import Press


def press_of(request: HttpRequest) -> Press:
    """Who pressed; which form it was, so that one sent twice is one press; what it showed of the machine's log."""
    by = request.user if isinstance(request.user, User) else None
    log, _, number = request.POST.get("seen", "").rpartition(":")
    is_number = number.isascii() and number.isdecimal() and len(number) < 16
    return Press(by, _uuid(request.POST.get("press", "")), (log[:40], int(number)) if is_number and log else None)


def _uuid(text: str) -> UUID | None:
    try:
        return UUID(text) if len(text) == 36 else None
    except ValueError:
        return None
