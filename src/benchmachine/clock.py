"""The machine's own clock: the wall's, or one that stands still until it is told that time has passed."""

from __future__ import annotations

import time
from datetime import UTC, datetime


class Clock:
    """Seconds since 1970, UTC."""

    def __init__(self, *, is_stepped: bool = False) -> None:
        self.is_stepped = is_stepped
        self._stands_at = time.time()

    def now(self) -> float:
        """The time."""
        return self._stands_at if self.is_stepped else time.time()

    def step(self, seconds: float) -> None:
        """Let time pass, where it only does so when told."""
        self._stands_at += seconds

    def stamp(self) -> str:
        """The time as it is written into the log."""
        return datetime.fromtimestamp(self.now(), UTC).isoformat(timespec="milliseconds")
