"""What a machine's keys are counted from, in words."""

from __future__ import annotations

from wryfalcon.keeping.fittings.queries import Counters

SINCE = {"trim": "the last trim", "wheel": "the wheel was changed", "jaw": "the jaw was changed or squared"}


def since_words(counters: Counters) -> list[tuple[str, int]]:
    """How many keys since what."""
    return [(SINCE[name], keys) for name, keys in counters.since]
