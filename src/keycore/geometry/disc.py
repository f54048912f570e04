"""A disc rolled along a line from above: where its centre goes, and what it leaves in corners it cannot reach.

In the language of images a dilation and a closing by a disc (Serra, "Image Analysis and Mathematical Morphology",
1982, from memory), here without a grid.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

CELLS = 8
"""Pieces of a radius in which the contact is looked at first."""
NEWTON = 8
SAMPLES = 9
"""Points by which an arc is drawn and a round tumbler is stood on it."""


@dataclass(frozen=True)
class Rolled:
    """A line and the disc of a ``radius`` that was rolled along it, all in one unit.

    ``x`` and ``w`` (m,) are the corners of the line, level beyond the first and the last. ``arcs`` (k, 4) are the
    corners that the disc spans: from where, to where, and its centre there, across and up.
    """

    x: Array
    w: Array
    radius: float
    arcs: Array

    @cached_property
    def _samples(self) -> Array:
        """Points of all arcs, by which they are drawn."""
        if not len(self.arcs):
            return np.empty(0)
        return np.concatenate([np.linspace(start, end, SAMPLES) for start, end, _, _ in self.arcs])

    def line(self, at: Array) -> Array:
        """The line itself. Arguments: ``at`` (n,). Returns (n,). Raises nothing."""
        return np.interp(at, self.x, self.w)

    def centre(self, at: Array) -> Array:
        """How high the centre stands when it is at these places. Arguments: ``at`` (n,). Returns (n,). Raises nothing.

        >>> level = roll(np.array([0.0, 1.0]), np.array([2.0, 2.0]), 0.5)
        >>> level.centre(np.array([0.3])).tolist()
        [2.5]
        """
        return _centre(self.x, self.w, self.radius, at)[0]

    def left(self, at: Array) -> Array:
        """What the disc leaves: the line, and the arcs over corners that it spans.

        Arguments: ``at`` (n,). Returns (n,), never below the line. Raises nothing.

        >>> groove = roll(np.array([-1.0, 0.0, 1.0]), np.array([1.0, 0.0, 1.0]), 0.5)
        >>> round(float(groove.left(np.array([0.0]))[0]), 9)  # r (sqrt 2 - 1) above the corner
        0.207106781
        """
        found = self.line(at)
        near = (self.arcs[:, 0] < at.max(initial=-np.inf)) & (self.arcs[:, 1] > at.min(initial=np.inf))
        for start, end, across, up in self.arcs[near]:
            inside = (at > start) & (at < end)
            arc = up - np.sqrt(np.maximum(0.0, self.radius**2 - (at[inside] - across) ** 2))
            found[inside] = np.maximum(found[inside], arc)
        return found

    def marks(self, low: float, high: float) -> Array:
        """Where the line, what is left of it, or the centre's way may turn, from ``low`` to ``high``: (k,), rising.

        Corners and a radius to either side of them, each arc's ends, middle and samples. Raises nothing.
        """
        corners = [self.x, self.x - self.radius, self.x + self.radius]
        at = np.unique(np.concatenate([[low, high], *corners, self._samples, self.arcs[:, 2]]))
        return at[(at >= low) & (at <= high)]

    def points(self, low: float, high: float) -> Array:
        """What the disc leaves from ``low`` to ``high`` as points (p, 2), arcs by chords. Raises nothing."""
        corners = self.x[(self.x > low) & (self.x < high)]
        samples = self._samples[(self._samples > low) & (self._samples < high)]
        at = np.unique(np.concatenate([[low, high], corners, samples]))
        return np.column_stack((at, self.left(at)))

    def path(self, low: float, high: float, step: float) -> Array:
        """Where the centre goes from ``low`` to ``high``, a point at least each ``step``, (p, 2). Raises nothing."""
        at = np.unique(np.concatenate([np.arange(low, high, step), [high], self.arcs[:, 2]]))
        at = at[(at >= low) & (at <= high)]
        return np.column_stack((at, self.centre(at)))


def roll(x: Array, w: Array, radius: float) -> Rolled:
    """Roll a disc along a line from above.

    Arguments: the line's corners ``x`` (m,), rising, and ``w`` (m,), and the disc's ``radius``, in one unit; the line
    goes on level at both ends. Returns the Rolled. Raises nothing.
    """
    x, w = np.asarray(x, dtype=float), np.asarray(w, dtype=float)
    return Rolled(x, w, radius, _arcs(x, w, radius))


@dataclass(frozen=True)
class _Pieces:
    """The straight pieces of a line: where each starts, how long it runs, how high it starts, how steep it is."""

    start: Array
    run: Array
    low: Array
    slope: Array
    reach: Array  # how far along from the centre a disc touches it where it is long enough

    def of(self, which: NDArray[np.intp]) -> _Pieces:
        """Some of them."""
        return _Pieces(self.start[which], self.run[which], self.low[which], self.slope[which], self.reach[which])

    def up(self, at: Array, radius: float) -> tuple[Array, Array]:
        """How high the centre stands on each piece, and where it touches; minus infinity where it is out of reach."""
        u = np.clip(at + self.reach, self.start, self.start + self.run)
        away = u - at
        room = radius**2 - away**2
        up = self.low + self.slope * (u - self.start) + np.sqrt(np.maximum(room, 0.0))
        return np.where(room >= 0.0, up, -np.inf), u


def _pieces(x: Array, w: Array, radius: float, at: Array) -> _Pieces:
    """The pieces of a line, level beyond its ends as far as a disc at these places can touch.

    A disc touches a slope m where its radius stands square on it, m r / sqrt(1 + m^2) along, or at an end of it.
    """
    far = 2 * radius
    ends = np.concatenate([[min(x[0], at.min()) - far], x, [max(x[-1], at.max()) + far]])
    heights = np.concatenate([[w[0]], w, [w[-1]]])
    run = np.diff(ends)
    slope = np.divide(np.diff(heights), run, out=np.zeros_like(run), where=run > 0)
    return _Pieces(ends[:-1], run, heights[:-1], slope, slope * radius / np.sqrt(1 + slope**2))


def _highest(pieces: _Pieces, at: Array, radius: float) -> tuple[Array, Array, NDArray[np.intp]]:
    """How high the centre stands at these places, where the disc touches, and which piece."""
    up, u = pieces.up(at[:, None], radius)
    best = np.argmax(up, axis=1)
    rows = np.arange(len(at))
    return up[rows, best], u[rows, best], best


def _centre(x: Array, w: Array, radius: float, at: Array) -> tuple[Array, Array]:
    up, touched, _ = _highest(_pieces(x, w, radius, at), at, radius)
    return up, touched


def _arcs(x: Array, w: Array, radius: float) -> Array:
    """The corners that the disc spans: where its contact jumps from one side of a corner to the other.

    The contact only ever moves onwards, along a slope as fast as the centre, round a peak not at all: where it moves
    further than the centre it has jumped. Where it does, the heights over the two pieces are equal, which Newton's
    steps find; a third piece that stands higher there parts the jump in two, which smaller cells then find.
    """
    cells = max(2, int(np.ceil((x[-1] - x[0] + 2 * radius) / radius * CELLS)))
    at = np.linspace(x[0] - radius, x[-1] + radius, cells + 1)
    pieces = _pieces(x, w, radius, at)
    arcs = _between(pieces, radius, at)
    return arcs[arcs[:, 1] - arcs[:, 0] > 1e-9 * radius]


def _between(pieces: _Pieces, radius: float, at: Array) -> Array:
    """The arcs (k, 4) over which the contact jumps from one of the places ``at`` to the next."""
    _, touched, best = _highest(pieces, at, radius)
    jump = np.diff(touched) > np.diff(at) * (1 + 1e-9) + 1e-12
    return _spans(pieces, radius, at[:-1][jump], at[1:][jump], best[:-1][jump], best[1:][jump])


def _spans(
    pieces: _Pieces, radius: float, low: Array, high: Array, first: NDArray[np.intp], other: NDArray[np.intp]
) -> Array:
    """The arcs (k, 4) over which the contact jumps between ``low`` and ``high``, from piece ``first`` to ``other``."""
    if not len(low):
        return np.empty((0, 4))
    left, right = pieces.of(first), pieces.of(other)
    across = (low + high) / 2
    for _ in range(NEWTON):
        (a, ua), (b, ub) = left.up(across, radius), right.up(across, radius)
        steep = _steepness(ua - across, radius) - _steepness(ub - across, radius)
        step = np.divide(a - b, steep, out=np.zeros_like(across), where=np.isfinite(a) & np.isfinite(b) & (steep != 0))
        across = np.clip(across - step, low, high)
    (a, ua), (b, ub) = left.up(across, radius), right.up(across, radius)
    up, _, _ = _highest(pieces, across, radius)
    is_third = ~(np.isfinite(a) & np.isfinite(b)) | (up > np.maximum(a, b) + 1e-9 * radius) | (np.abs(a - b) > 1e-8)
    done = np.column_stack((ua, ub, across, up))[~is_third]
    if not is_third.any() or (high - low).max() < 1e-9 * radius:
        return done
    eighths = np.linspace(low[is_third], high[is_third], 9, axis=1)  # of each cell in which more than one corner lies
    parts = [_between(pieces, radius, at) for at in eighths]
    return np.concatenate([done, *parts])


def _steepness(away: Array, radius: float) -> Array:
    """How fast the centre rises along while it touches so far away: the tangent of the touching radius."""
    return away / np.sqrt(np.maximum(radius**2 - away**2, 1e-18))
