"""The edge a wheel leaves: its profile, the flats left, and where a tumbler stands on it.

Heights here are measured on one edge: families measured across both roots give half of every
value to each side.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from math import inf, sqrt

import numpy as np
from numpy.typing import NDArray

from keycore.errors import InputError
from keycore.family import Tumbler
from keycore.tools import Wheel
from keycore.units import NOTHING

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Profile:
    """The edge of a cut blade as a polyline from the gauge's end to the blade's other end.

    ``x`` (m,) distance from the gauge, never falling; ``h`` (m,) height of the edge.
    """

    x: Array
    h: Array

    def at(self, positions: Array) -> Array:
        """Height at any positions along the blade, (k,) in, (k,) out; beyond the ends, the end's."""
        return np.asarray(np.interp(positions, self.x, self.h))

    def area_below(self, height: float) -> float:
        """The area between a straight edge at ``height`` and the profile: what is cut away."""
        return float(np.trapezoid(height - self.h, self.x))


def profile_of(
    spaces: Sequence[float], heights: Sequence[float], cut: Wheel, height: float, length: float, style: str
) -> Profile:
    """The profile a cutter leaves when it goes to each space and height.

    Plunged: h(x) = min(H, min_i [v_i + max(0, |x - x_i| - f/2) / T]). Ramped: straight lines
    between neighbouring root flats, the cutter's own flank outside the first and last.

    Arguments: ``spaces`` and ``heights`` (n,) on one edge, the cutter's ``cut``, the blank's
    ``height`` on that edge and ``length``; lengths in one unit. Returns a Profile clipped to the
    blade, straight runs merged. Raises InputError for lists of unequal length or another style.

    >>> cut = Wheel(flat=0.02, angle=90)
    >>> p = profile_of([0.2], [0.25], cut, height=0.3, length=0.5, style="plunged")
    >>> [round(float(x), 3) for x in p.x], round(p.area_below(0.3), 6)
    ([0.0, 0.14, 0.19, 0.21, 0.26, 0.5], 0.0035)
    """
    if len(spaces) != len(heights):
        raise InputError("heights", f"{len(heights)} heights for {len(spaces)} spaces")
    order = np.argsort(spaces)
    x, v = np.array(spaces, dtype=float)[order], np.array(heights, dtype=float)[order]
    if style not in PATHS:
        raise InputError("style", f"must be {' or '.join(PATHS)}, not {style[:20]!r}")
    draw = PATHS[style]
    return _merged(*_clipped(*draw(x, v, cut, height, length), height, length))


def _plunged(x: Array, v: Array, cut: Wheel, height: float, length: float) -> tuple[Array, Array]:
    at = np.unique(np.clip(np.concatenate([[0.0, length], _corners(x, v, cut, height)]), 0.0, length))
    return at, _under_flanks(at, x, v, cut, height)


def _corners(x: Array, v: Array, cut: Wheel, height: float) -> Array:
    """Where the edge that single cuts leave may turn."""
    half, slope = cut.flat / 2, cut.slope
    rises = (v[None, :] - v[:, None]) * slope  # from i up to the level of j
    corners = [
        x - half, x + half, x - half - (height - v) * slope, x + half + (height - v) * slope,
        ((x[:, None] + x[None, :] + rises) / 2).ravel(),
        (x[:, None] + half + rises).ravel(), (x[:, None] - half - rises).ravel(),
    ]  # fmt: skip
    return np.concatenate(corners)


def _under_flanks(at: Array, x: Array, v: Array, cut: Wheel, height: float) -> Array:
    """What single cuts leave at these places: nothing stands above the root and flanks of any of them."""
    flanks = v[:, None] + np.maximum(0.0, np.abs(at[None, :] - x[:, None]) - cut.flat / 2) / cut.slope
    return np.asarray(np.minimum(height, flanks.min(axis=0)))


def _ramped(x: Array, v: Array, cut: Wheel, height: float, length: float) -> tuple[Array, Array]:
    half, slope = cut.flat / 2, cut.slope
    points = [(x[0] - half - max(0.0, height - v[0]) * slope, height)]
    for i in range(len(x)):
        begin, end = x[i] - half, x[i] + half
        if i > 0 and begin < x[i - 1] + half:  # flats overlap: the deeper one keeps its own
            begin = begin if v[i] < v[i - 1] else x[i - 1] + half
        if i + 1 < len(x) and end > x[i + 1] - half:
            end = end if v[i] < v[i + 1] else x[i + 1] - half
        points += [(begin, v[i]), (max(begin, end), v[i])]
    points.append((x[-1] + half + max(0.0, height - v[-1]) * slope, height))
    at, heights = np.array(points).T
    return _not_above(np.maximum.accumulate(at), heights, x, v, cut, height)


def _not_above(at: Array, heights: Array, x: Array, v: Array, cut: Wheel, height: float) -> tuple[Array, Array]:
    """A path's edge lowered to what single cuts leave, where a neighbour is steeper than the wheel's flank."""
    every = np.unique(np.concatenate([at, _corners(x, v, cut, height)]))
    way, left = np.interp(every, at, heights), _under_flanks(every, x, v, cut, height)
    above = way - left
    if (above <= NOTHING).all():
        return at, heights
    crosses = np.flatnonzero(above[:-1] * above[1:] < 0)
    share = above[crosses] / (above[crosses] - above[crosses + 1])
    between = every[crosses] + share * (every[crosses + 1] - every[crosses])
    every = np.unique(np.concatenate([every, between]))
    return every, np.minimum(np.interp(every, at, heights), _under_flanks(every, x, v, cut, height))


PATHS = {"plunged": _plunged, "ramped": _ramped}
"""How a wheel may go from space to space."""


def _clipped(x: Array, h: Array, height: float, length: float) -> tuple[Array, Array]:
    """Cut a polyline to 0 <= x <= length and h <= height, crossings included."""
    crossings = [
        a[0] + (height - a[1]) * (b[0] - a[0]) / (b[1] - a[1])
        for a, b in pairwise(zip(x, h, strict=True))
        if (a[1] - height) * (b[1] - height) < 0
    ]
    extra = np.array([0.0, length, *crossings])
    added = np.interp(extra, x, h, left=height, right=height)
    order = np.argsort(np.concatenate([x, extra]), kind="stable")
    x, h = np.concatenate([x, extra])[order], np.concatenate([h, added])[order]
    inside = (x >= 0) & (x <= length)
    return x[inside], np.minimum(h[inside], height)


def _merged(x: Array, h: Array) -> Profile:
    """Drop points that repeat or lie on the line between their neighbours."""
    kept = [0]
    for i in range(1, len(x)):
        if abs(x[i] - x[kept[-1]]) < NOTHING and abs(h[i] - h[kept[-1]]) < NOTHING:
            continue
        while len(kept) > 1 and _on_line(x, h, kept[-2], kept[-1], i):
            kept.pop()
        kept.append(i)
    return Profile(x[kept], h[kept])


def _on_line(x: Array, h: Array, a: int, b: int, c: int) -> bool:
    cross = (x[b] - x[a]) * (h[c] - h[a]) - (x[c] - x[a]) * (h[b] - h[a])
    return abs(float(cross)) < 1e-12


def flats_left(spaces: Sequence[float], heights: Sequence[float], cut: Wheel) -> tuple[float, ...]:
    """How much of each root's flat every deeper cut's flanks leave.

    Arguments: ``spaces`` and ``heights`` (n,) in one unit, as for ``profile_of``. Returns (n,): the length of [x_i -
    f/2, x_i + f/2] outside every deeper cut's reach |x - x_j| < f/2 + (v_i - v_j) T. Raises nothing.

    >>> flats_left([0.0, 0.1], [0.30, 0.22], Wheel(flat=0.03, angle=90))
    (0.02, 0.03)
    """
    return tuple(
        round(_uncovered(x - cut.flat / 2, x + cut.flat / 2, _reaches(spaces, heights, v, cut)), 12)
        for x, v in zip(spaces, heights, strict=True)
    )


def roots_gone(spaces: Sequence[float], heights: Sequence[float], cut: Wheel) -> tuple[bool, ...]:
    """Whether deeper neighbours' flanks leave nothing of each root; a V without a flat has a point.

    Arguments: ``spaces`` and ``heights`` (n,) in one unit, as for ``profile_of``. Returns (n,). Raises nothing.

    >>> roots_gone([0.0, 0.1], [0.30, 0.22], Wheel(flat=0.0, angle=90))
    (False, False)
    >>> roots_gone([0.0, 0.1], [0.34, 0.22], Wheel(flat=0.0, angle=90))
    (True, False)
    """
    if cut.flat > NOTHING:
        return tuple(left <= NOTHING for left in flats_left(spaces, heights, cut))
    return tuple(
        any(low < x - NOTHING and x + NOTHING < high for low, high in _reaches(spaces, heights, v, cut))
        for x, v in zip(spaces, heights, strict=True)
    )


def _reaches(spaces: Sequence[float], heights: Sequence[float], level: float, cut: Wheel) -> list[tuple[float, float]]:
    """What deeper cuts take away at a level, as intervals along the blade."""
    reach = []
    for x, v in zip(spaces, heights, strict=True):
        if v < level - NOTHING:
            half = cut.flat / 2 + (level - v) * cut.slope
            reach.append((x - half, x + half))
    return sorted(reach)


def _uncovered(begin: float, end: float, covered: list[tuple[float, float]]) -> float:
    left, at = 0.0, begin
    for low, high in [*covered, (inf, inf)]:
        left += max(0.0, min(low, end) - at)
        at = max(at, min(high, end))
    return left


def tumbler_heights(profile: Profile, spaces: Sequence[float], tumbler: Tumbler) -> tuple[float, ...]:
    """How high each tumbler stands on a profile.

    Round of radius r: the largest of h(x + d) - (r - sqrt(r**2 - d**2)) over |d| <= r; flat of
    width w: the largest of h(x + d) over |d| <= w/2. Exact: on a straight run of slope m the
    round end touches at d = m r / sqrt(1 + m**2). Arguments: ``spaces`` (n,). Returns (n,),
    family unit. Raises nothing.

    >>> flat = Profile(np.array([0.0, 1.0]), np.array([0.3, 0.3]))
    >>> tumbler_heights(flat, [0.5], Tumbler("round", 0.03))
    (0.3,)
    """
    rest = _rest_round if tumbler.shape == "round" else _rest_flat
    return tuple(rest(profile, x, tumbler.size) for x in spaces)


def _rest_flat(profile: Profile, x: float, width: float) -> float:
    low, high = x - width / 2, x + width / 2
    inside = profile.x[(profile.x > low) & (profile.x < high)]
    return float(profile.at(np.concatenate([[low, high], inside])).max())


def _rest_round(profile: Profile, x: float, radius: float) -> float:
    best = -np.inf
    ends = [
        (x - radius - 1.0, profile.h[0]),
        *zip(profile.x, profile.h, strict=True),
        (x + radius + 1.0, profile.h[-1]),
    ]
    for (x0, h0), (x1, h1) in pairwise(ends):
        low, high = max(x0, x - radius), min(x1, x + radius)
        if high < low or x1 <= x0:
            continue
        slope = (h1 - h0) / (x1 - x0)
        touch = min(max(x + slope * radius / sqrt(1 + slope * slope), low), high)
        dip = radius - sqrt(max(0.0, radius**2 - (touch - x) ** 2))
        best = max(best, h0 + slope * (touch - x0) - dip)
    return float(best)
