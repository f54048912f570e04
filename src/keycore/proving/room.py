"""How much may still be taken off each cut of a key before its tumbler snags."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr

from keycore.family import Play
from keycore.proving.lock import MISTAKEN, Feel, LockShift

Array = NDArray[np.float64]
SNAGS_AT_MOST = 0.03
"""So often a cut deepened by no more than is said may snag all the same: the promise is 5 in 100."""
MARK_MISTAKEN = 0.1
"""How often a mark seen on a cut comes from something else: rarer than a mere feel (3 in 10); a guess."""
SHIFTS, FINE, STEPS = 81, 161, 60
REACH = 5.0


@dataclass(frozen=True, slots=True)
class Stand:
    """How far a tumbler is thought to stand from its factory place, and the sd of that cut alone; positive is high."""

    mean: float
    sd: float


@dataclass(frozen=True, slots=True)
class Felt:
    """What a key did in its lock: freely, rubbing, snagging or not at all, and the cut (from 0) that asked for it."""

    feel: Feel
    at: int | None = None


@dataclass(frozen=True, slots=True)
class Room:
    """What may be taken off one cut: so much for sure as far as anything is, and the middle of what there may be."""

    safe: float
    middle: float


def room_left(
    stands: Sequence[Stand], common_sd: float, play: Play, lock: LockShift, felt: Felt | None = None
) -> tuple[Room, ...]:
    """How much may be taken off each cut before it would snag.

    Tumbler i stands at z_i = mean_i + e_i + e - c, with its own error e_i, the key's common error e and the lock's
    shift c; it snags below -low, so that its room is z_i + low. Given e - c the cuts are independent; what was felt
    weighs each e - c, and the cut it was felt at, which of those that rub is the highest. Three feels in ten, and one
    mark on a cut in ten, are taken to come from something else, and then to say nothing, of any cut alike. ``safe`` is
    the 3 in 100 quantile of the room, never below 0. Arguments: ``stands`` (n,), the sd of the error that all cuts
    share (``common_sd``), the ``play``, what is known of the ``lock``'s shift, what was ``felt``; one unit. Returns
    (n,). Raises nothing.

    >>> free = room_left([Stand(0.0, 0.0002)] * 3, 0.0, Play(0.003, 0.003), LockShift(np.zeros(1), np.ones(1)))
    >>> round(free[0].safe, 4), round(free[0].middle, 4)
    (0.0026, 0.003)
    """
    shift, weights = _shifts(common_sd, lock)
    mean = np.array([stand.mean for stand in stands])
    sd = np.maximum(np.array([stand.sd for stand in stands]), 1e-9)
    above = _Below(mean, sd, shift)
    whole = float(_felt(above, play, felt) @ weights)
    really, mistaken = _trusted(felt, len(stands))
    rooms = []
    for cut in range(len(stands)):
        low = float(mean[cut] + shift.min() - REACH * sd[cut])
        high = float(mean[cut] + shift.max() + REACH * sd[cut])
        at = np.linspace(low, high, FINE)
        by_feel = _cumulative(above, play, felt, cut, at, weights)
        cdf = (really * by_feel + mistaken * (above.at(cut, at) @ weights)) / (really * whole + mistaken)
        rooms.append(Room(_quantile(at, cdf, SNAGS_AT_MOST) + play.low, _quantile(at, cdf, 0.5) + play.low))
    return tuple(Room(max(0.0, room.safe), max(0.0, room.middle)) for room in rooms)


@dataclass(frozen=True)
class _Below:
    """The chance that a tumbler stands below a height, for every common shift (s,)."""

    mean: Array
    sd: Array
    shift: Array

    def one(self, cut: int, height: float) -> Array:
        """(s,) for one cut and height."""
        return np.asarray(ndtr((height - self.mean[cut] - self.shift) / self.sd[cut]))

    def at(self, cut: int, heights: Array) -> Array:
        """(h, s) for one cut and several heights."""
        return np.asarray(ndtr((heights[:, None] - self.mean[cut] - self.shift[None, :]) / self.sd[cut]))

    def several(self, heights: Array) -> Array:
        """(n, h, s) for several heights."""
        away = heights[None, :, None] - self.mean[:, None, None] - self.shift[None, None, :]
        return np.asarray(ndtr(away / self.sd[:, None, None]))

    def every(self, height: float) -> Array:
        """(n, s) for one height."""
        return np.asarray(ndtr((height - self.mean[:, None] - self.shift[None, :]) / self.sd[:, None]))


def _shifts(common_sd: float, lock: LockShift) -> tuple[Array, Array]:
    """What all tumblers are moved by alike, e - c, as nodes and weights."""
    z = np.linspace(-4, 4, 41) if common_sd else np.zeros(1)
    kept = lock.weights > 1e-6
    nodes = (z[:, None] * common_sd - lock.nodes[kept][None, :]).ravel()
    weights = (np.exp(-0.5 * z**2)[:, None] * lock.weights[kept][None, :]).ravel()
    low, high = float(nodes.min()), float(nodes.max())
    if high - low < 1e-12:
        return np.array([low]), np.ones(1)
    grid = np.linspace(low, high, SHIFTS)
    gathered = np.histogram(nodes, bins=_edges(grid), weights=weights)[0]
    return grid, gathered / gathered.sum()


def _edges(grid: Array) -> Array:
    half = (grid[1] - grid[0]) / 2
    return np.append(grid - half, grid[-1] + half)


def _trusted(felt: Felt | None, cuts: int) -> tuple[float, float]:
    """How much counts that it was really felt, and how much that it says nothing: any feel alike, at any cut."""
    if felt is None:
        return 1.0, 0.0
    if felt.at is None:
        return 1 - MISTAKEN, MISTAKEN / len(Feel)
    return 1 - MARK_MISTAKEN, MARK_MISTAKEN / len(Feel) / cuts


def _felt(above: _Below, play: Play, felt: Felt | None) -> Array:
    """P(felt) for each shift (s,)."""
    if felt is None:
        return np.ones(len(above.shift))
    not_low, inside = 1 - above.every(-play.low), above.every(play.high) - above.every(-play.low)
    if felt.feel == Feel.FREE:
        return np.asarray(inside.prod(axis=0))
    if felt.feel in (Feel.SNAGS, Feel.STUCK):
        low = above.every(-play.low)
        return np.asarray(low[felt.at] if felt.at is not None else 1 - not_low.prod(axis=0))
    if felt.at is None:
        return np.asarray(not_low.prod(axis=0) - inside.prod(axis=0))
    steps, own = _highest(above, play, felt.at)
    others = above.several(steps) - above.every(-play.low)[:, None, :]
    return np.asarray((own * np.delete(np.maximum(others, 0.0), felt.at, axis=0).prod(axis=0)).sum(axis=0))


def _highest(above: _Below, play: Play, cut: int) -> tuple[Array, Array]:
    """Where a cut that rubs may stand (g,), and the chance of each, for each shift (g, s)."""
    top = float(above.mean[cut] + above.shift.max() + REACH * above.sd[cut])
    edges = np.linspace(play.high, max(top, play.high + above.sd[cut]), STEPS + 1)
    return (edges[1:] + edges[:-1]) / 2, np.diff(above.at(cut, edges), axis=0)


def _cumulative(above: _Below, play: Play, felt: Felt | None, cut: int, at: Array, weights: Array) -> Array:
    """P(this tumbler stands below each height, and what was felt), (h,)."""
    if felt is None:
        return np.asarray(above.at(cut, at) @ weights)
    below, low, high = above.at(cut, at), above.one(cut, -play.low), above.one(cut, play.high)
    not_low = np.delete(1 - above.every(-play.low), cut, axis=0).prod(axis=0)
    inside = np.delete(above.every(play.high) - above.every(-play.low), cut, axis=0).prod(axis=0)
    from_low = np.maximum(below - low, 0.0)
    within = np.minimum(from_low, high - low)
    if felt.feel == Feel.FREE:
        return np.asarray(within * inside @ weights)
    if felt.feel in (Feel.SNAGS, Feel.STUCK):
        if felt.at is None:
            return np.asarray((below - from_low * not_low) @ weights)
        own = np.minimum(below, low) if felt.at == cut else below * above.one(felt.at, -play.low)
        return np.asarray(own @ weights)
    if felt.at is None:
        return np.asarray((from_low * not_low - within * inside) @ weights)
    steps, own = _highest(above, play, felt.at)
    others = np.maximum(above.several(steps) - above.every(-play.low)[:, None, :], 0.0)
    if felt.at == cut:
        each = own * np.delete(others, cut, axis=0).prod(axis=0) @ weights
        return np.asarray(np.interp(at, steps, np.cumsum(each), left=0.0))
    rest = own * np.delete(others, [cut, felt.at], axis=0).prod(axis=0)  # (g, s)
    # Below a height t this cut stands where t is below the one that rubs; else it is below that one as any other is.
    under = np.array([np.where(steps <= t, 1.0, 0.0) for t in at])
    capped = np.einsum("tg,gs,gs,s->t", under, rest, others[cut], weights, optimize=True)
    below_t = np.einsum("tg,gs,ts,s->t", 1 - under, rest, from_low, weights, optimize=True)
    return np.asarray(capped + below_t)


def _quantile(at: Array, cdf: Array, share: float) -> float:
    """Where a rising function reaches a share."""
    return float(np.interp(share, np.maximum.accumulate(cdf), at))
