"""Log-ins that fail: a name and an address together are locked out soon, either alone far later.

Alone, a name would be locked out everywhere by whoever knows it, and everybody behind one address by one of them.
"""

from __future__ import annotations

from typing import Any

from axes.handlers.database import AxesDatabaseHandler
from django.db.models import Sum
from django.http import HttpRequest

SLOWER = (1, 5, 10)
"""How many times as many failures each of ``AXES_LOCKOUT_PARAMETERS`` may have: together, the name, the address."""


class SlowerAlone(AxesDatabaseHandler):  # type: ignore[misc]
    """Counts failures against a limit for each way of telling who tries."""

    def get_failures(self, request: HttpRequest, credentials: dict[str, Any] | None = None) -> int:
        """The failures that count against the limit, by whichever way they count most."""
        ways = self.get_user_attempts(request, credentials)
        counts = [attempts.aggregate(n=Sum("failures_since_start"))["n"] or 0 for attempts in ways]
        return max(count // times for count, times in zip(counts, SLOWER, strict=True))

    def reset_user_attempts(self, request: HttpRequest, credentials: dict[str, Any] | None = None) -> int:
        """Forget this name's failures at this address; what others failed there still counts."""
        together = self.filter_user_attempts(request, credentials)[0]
        forgotten: int = together.delete()[0]
        return forgotten
