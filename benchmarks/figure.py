"""One measured figure and whether its goal is met."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from statistics import median


@dataclass(frozen=True)
class Figure:
    """What was measured, in words, and whether it is good enough."""

    says: str
    met: bool


def seconds(act: Callable[[], object], times: int = 15) -> float:
    """The median time of an act, once warm."""
    act()
    taken = []
    for _ in range(times):
        begun = time.perf_counter()
        act()
        taken.append(time.perf_counter() - begun)
    return median(taken)
