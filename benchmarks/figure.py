"""One measured figure and whether its goal is met."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from statistics import median

Clock = Callable[[], float]


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


def in_turn(
    one: Callable[[], object], other: Callable[[], object], times: int = 60, clock: Clock = time.perf_counter
) -> tuple[float, float]:
    """The median times of two acts done in turn, so that a noisy machine disturbs both alike."""
    one(), other()
    taken: tuple[list[float], list[float]] = ([], [])
    for _ in range(times):
        for act, kept in zip((one, other), taken, strict=True):
            begun = clock()
            act()
            kept.append(clock() - begun)
    return median(taken[0]), median(taken[1])
