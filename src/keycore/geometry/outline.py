"""Closed outlines, such as the cross-section of a blade: whether one crosses itself, and how unlike two are."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations
from math import hypot

Point = tuple[float, float]
STEP = 40
"""Points along the longest side of an outline at which two are compared."""


def crossing(outline: Sequence[Point]) -> tuple[int, int] | None:
    """Two sides, from 1, of a closed outline that cross or touch each other though they are no neighbours.

    Sides are tried pair by pair by the orientation of their ends (de Berg et al., Computational Geometry, chapter 2).
    Arguments: its corners (n,), one unit, the last joined to the first. Returns None where it is simple. Raises
    nothing.

    >>> crossing([(0, 0), (2, 0), (2, 1), (0, 1)]) is None, crossing([(0, 0), (2, 1), (2, 0), (0, 1)])
    (True, (1, 3))
    """
    sides = [(outline[i], outline[(i + 1) % len(outline)]) for i in range(len(outline))]
    sides = [(start, end) for start, end in sides if start != end]  # a corner said twice is one corner
    for (i, a), (j, b) in combinations(enumerate(sides), 2):
        are_neighbours = j - i == 1 or (i == 0 and j == len(sides) - 1)
        if _overlap(a, b) if are_neighbours else _meet(*a, *b):
            return i + 1, j + 1
    return None


def unlike(first: Sequence[Point], other: Sequence[Point]) -> float:
    """How far apart two outlines are at most, each moved so that its lowest left corner is at 0: Hausdorff's distance.

    Sampled along their sides, so that it is a little less than it is. A mirrored section is another section. Arguments:
    the ``first`` outline and the ``other``, corners (n,) and (m,), in one unit. Raises nothing.

    >>> square = [(0.0, 0.0), (2.0, 0.0), (2.0, 2.0), (0.0, 2.0)]
    >>> unlike(square, [(x + 5, y + 5) for x, y in square]), unlike(square, [(0, 0), (2, 0), (2, 2.5), (0, 2.5)])
    (0.0, 0.5)
    """
    a, b = _at_zero(first), _at_zero(other)
    return max(_farthest(a, b), _farthest(b, a))


def _at_zero(outline: Sequence[Point]) -> list[Point]:
    left, low = min(x for x, _ in outline), min(y for _, y in outline)
    return [(x - left, y - low) for x, y in outline]


def _farthest(points: Sequence[Point], outline: Sequence[Point]) -> float:
    """How far the farthest point along one outline is from the other."""
    sides = [(outline[i], outline[(i + 1) % len(outline)]) for i in range(len(outline))]
    return max(min(_from_side(point, *side) for side in sides) for point in _along(points))


def _along(outline: Sequence[Point]) -> list[Point]:
    sides = [(outline[i], outline[(i + 1) % len(outline)]) for i in range(len(outline))]
    longest = max(hypot(b[0] - a[0], b[1] - a[1]) for a, b in sides)
    found = []
    for a, b in sides:
        count = max(1, round(STEP * hypot(b[0] - a[0], b[1] - a[1]) / longest))
        found += [(a[0] + (b[0] - a[0]) * k / count, a[1] + (b[1] - a[1]) * k / count) for k in range(count)]
    return found


def _from_side(point: Point, a: Point, b: Point) -> float:
    dx, dy = b[0] - a[0], b[1] - a[1]
    whole = dx * dx + dy * dy
    share = 0.0 if whole == 0 else min(1.0, max(0.0, ((point[0] - a[0]) * dx + (point[1] - a[1]) * dy) / whole))
    return hypot(point[0] - a[0] - share * dx, point[1] - a[1] - share * dy)


def _turn(a: Point, b: Point, c: Point) -> float:
    return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])


def _is_between(a: Point, b: Point, c: Point) -> bool:
    """Whether c, on the line through a and b, lies between them."""
    return min(a[0], b[0]) <= c[0] <= max(a[0], b[0]) and min(a[1], b[1]) <= c[1] <= max(a[1], b[1])


def _meet(a: Point, b: Point, c: Point, d: Point) -> bool:
    """Whether the side from a to b and that from c to d have a point in common."""
    one, two, three, four = _turn(c, d, a), _turn(c, d, b), _turn(a, b, c), _turn(a, b, d)
    if one * two < 0 and three * four < 0:
        return True
    return (
        (one == 0 and _is_between(c, d, a))
        or (two == 0 and _is_between(c, d, b))
        or (three == 0 and _is_between(a, b, c))
        or (four == 0 and _is_between(a, b, d))
    )


def _overlap(a: tuple[Point, Point], b: tuple[Point, Point]) -> bool:
    """Whether two neighbouring sides fold back on each other."""
    (p, q), (r, s) = a, b
    shared, ends = (q, (p, s)) if q == r else (p, (q, r))
    if q != r and p != s:
        return False
    u, v = ((end[0] - shared[0], end[1] - shared[1]) for end in ends)
    return u[0] * v[1] - u[1] * v[0] == 0 and u[0] * v[0] + u[1] * v[1] > 0
