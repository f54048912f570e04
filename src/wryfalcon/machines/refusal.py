"""What the machine room will not do, and why."""

from __future__ import annotations


class NotKept(Exception):
    """Something about a machine that cannot be kept; the text says why and what to do."""

    def __init__(self, says: str) -> None:
        super().__init__(says)
        self.says = says


class OnlyPartly(NotKept):
    """Some of it is missing: it is kept as it is only when that is said."""
