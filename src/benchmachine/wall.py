"""A wall as a mill truly leaves it: stretch by stretch, and where it stands then."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from math import ceil, hypot, sqrt


@dataclass(frozen=True)
class Milled:
    """A stretch of a wall as it was truly milled: the way of the mill's middle, and what the mill truly measures."""

    clamping: int
    run: str  # the stretches of one wall share it
    metal: str  # the side of the wall that metal stays on: below or above
    radius: float
    way: tuple[tuple[float, float], ...]


def wall_at(milled: list[Milled], of: Milled, x: float) -> float:
    """Where a wall stands at ``x``: the edge of all that the mill took off, on the side that metal is left."""
    sign = 1.0 if of.metal == "below" else -1.0
    edge = [
        sign * y - sqrt(max(0.0, each.radius**2 - (px - x) ** 2))
        for each in milled
        if (each.clamping, each.run) == (of.clamping, of.run)
        for px, y in _close_together(each.way, each.radius / STEPS)
        if abs(px - x) <= each.radius
    ]
    return sign * min(edge) if edge else sign * float("inf")


STEPS = 40  # of a mill's radius: how finely its way is looked along


def _close_together(way: tuple[tuple[float, float], ...], apart: float) -> list[tuple[float, float]]:
    """A way with points no further apart than that along it."""
    found = [way[0]]
    for (x, y), (x_next, y_next) in pairwise(way):
        parts = max(1, ceil(hypot(x_next - x, y_next - y) / apart))
        found += [(x + (x_next - x) * n / parts, y + (y_next - y) * n / parts) for n in range(1, parts + 1)]
    return found
