"""The lock simulation: where tumblers stand on a key's real profile, and the chance that it turns."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr

from keycore.errors import InputError
from keycore.family import Family, Play
from keycore.reading.evidence import Spread

Array = NDArray[np.float64]
SHIFT_NODES = 97
COMMON_NODES = 31
SHIFT_REACH = 6.0  # prior standard deviations either side
MISTAKEN = 0.3
"""How often a feel comes from something else (dirt, a dry lock): common practice, no source."""


class Feel(StrEnum):
    """How a tumbler, or a whole key, goes in a lock."""

    FREE = "free"
    RUBS = "rubs"
    SNAGS = "snags"
    STUCK = "stuck"


def play_of(family: Family) -> Play:
    """The lock's play; if the family names none, its value tolerance. InputError where it has neither."""
    play = family.lock_play
    if play is None:
        raise InputError("play", f"family {family.id} names neither play nor tolerance")
    return play


def feel_of(deviation: float, play: Play) -> Feel:
    """What one tumbler does when it stands ``deviation`` above (+) or below (-) its place, in the play's unit.

    Raises nothing.

    >>> feel_of(0.004, Play(high=0.003, low=0.002)).value
    'rubs'
    """
    if deviation > play.high:
        return Feel.RUBS
    return Feel.SNAGS if deviation < -play.low else Feel.FREE


@dataclass(frozen=True)
class LockShift:
    """What is known of a lock's own wear: a shift on all its tumblers, as nodes and weights (g,)."""

    nodes: Array
    weights: Array

    @property
    def mean(self) -> float:
        """The expected shift."""
        return float(self.nodes @ self.weights)


NEW_LOCK = LockShift(np.zeros(1), np.ones(1))


@dataclass(frozen=True)
class Making:
    """How far a key may come out from what was asked: each cut alone, and all cuts alike."""

    sd_each: float
    sd_common: float


def lock_prior(prior: Spread) -> LockShift:
    """What is thought of a lock's wear before anything is known of it: a normal ``prior``, as nodes. Raises nothing.

    >>> round(lock_prior(Spread(-0.001, 0.002)).mean, 6)
    -0.001
    """
    z = np.linspace(-SHIFT_REACH, SHIFT_REACH, SHIFT_NODES)
    weights = np.exp(-0.5 * z**2)
    return LockShift(prior.mean + z * prior.sd, weights / weights.sum())


def lock_shift(old: Sequence[float], making: Making, play: Play, felt: Feel, prior: Spread) -> LockShift:
    """What an old key's feel in a lock says about the lock's wear.

    Arguments: ``old`` (n,) how far the old key's tumblers stand from their factory places, family unit, how
    well that is known (``making``), the play, the feel, and what was thought of the shift before.
    Three feels in ten are taken to come from something else, so a feel that no likely shift explains
    leaves the prior much as it was. Returns a LockShift. Raises nothing.
    """
    nodes = prior.mean + np.linspace(-SHIFT_REACH, SHIFT_REACH, SHIFT_NODES) * prior.sd
    weights = np.exp(-0.5 * np.linspace(-SHIFT_REACH, SHIFT_REACH, SHIFT_NODES) ** 2)
    away = np.array(old)[None, :] - nodes[:, None]
    weights = weights * ((1 - MISTAKEN) * _chance_of_feel(away, making, play, felt) + MISTAKEN / len(Feel))
    return LockShift(nodes, weights / weights.sum())


def _chance_of_feel(away: Array, making: Making, play: Play, felt: Feel) -> Array:
    """P(felt) for each row of ``away`` (s, n), (s,)."""
    if felt == Feel.STUCK:
        return 1 - _all_within(away, making, 2 * play.low, 2 * play.high)
    free = _all_within(away, making, play.low, play.high)
    if felt == Feel.FREE:
        return free
    low, high = (play.low, np.inf) if felt == Feel.RUBS else (np.inf, play.high)
    return _all_within(away, making, low, high) - free


def _all_within(away: Array, making: Making, low: float, high: float) -> Array:
    """P(every tumbler within -low .. high) for each row of ``away`` (s, n), the common error integrated out."""
    z = np.linspace(-5, 5, COMMON_NODES) if making.sd_common else np.zeros(1)
    weights = np.exp(-0.5 * z**2)
    at = away[:, None, :] + (z * making.sd_common)[None, :, None]
    sd = max(making.sd_each, 1e-9)
    each = ndtr((high - at) / sd) - ndtr((-low - at) / sd)
    return np.asarray(each.prod(axis=2) @ weights / weights.sum())


def chance_of_turning(deviations: Sequence[float], making: Making, play: Play, lock: LockShift = NEW_LOCK) -> float:
    """The chance that a key turns freely.

    P = sum over shifts c of w(c) P(-low <= dev_i + e_i + e - c <= high for every i), with e_i and
    e normal (each cut's own error and the clamping's). Tumblers are taken to follow their own
    root one for one, which holds while they stand on its flat.

    Arguments: ``deviations`` (n,) of each tumbler's stand from its factory place, family unit.
    Returns a probability. Raises nothing.

    >>> round(chance_of_turning([0.0], Making(0.001, 0.0), Play(0.00196, 0.00196)), 2)
    0.95
    """
    matters = lock.weights > 1e-6
    away = np.array(deviations, dtype=float)[None, :] - lock.nodes[matters][:, None]
    chances = _all_within(away, making, play.low, play.high)
    return float(chances @ lock.weights[matters] / lock.weights[matters].sum())
