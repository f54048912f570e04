"""Bittings as arrays of steps: which depths may be neighbours, every bitting that the rules allow, one by one."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from keycore.errors import BeyondReach
from keycore.family import Rules, Track

MOST_LISTED = 1_000_000
"""Bittings are written out one by one up to so many."""


def neighbours_allowed(track: Track, obey_macs: bool = True) -> NDArray[np.float64]:
    """Which depth may stand next to which: a (d, d) matrix of 1 and 0.

    Raises nothing. Without a MACS, or with ``obey_macs`` false, everything is allowed.
    """
    step = np.arange(len(track.depths))
    limit = track.macs if obey_macs and track.macs is not None else len(step)
    return np.asarray(np.abs(step[:, None] - step[None, :]) <= limit, dtype=float)


@lru_cache(maxsize=4)
def list_bittings(track: Track, rules: Rules, obey_macs: bool) -> NDArray[np.int8]:
    """Every allowed bitting, a read-only (b, n) array of steps in lexicographic order, kept for the next reading.

    Raises BeyondReach when more than a million would have to be written out on the way.
    """
    depths = len(track.depths)
    allowed = neighbours_allowed(track, obey_macs) > 0
    held = dict(track.fixed)
    found = np.arange(depths, dtype=np.int8)[:, None]
    found = found[found[:, 0] == held[1]] if 1 in held else found
    for space in range(2, len(track.spaces) + 1):
        onward = np.arange(depths) == held[space] if space in held else np.ones(depths, dtype=bool)
        before, after = np.nonzero(allowed[found[:, -1]] & onward)
        if len(before) > 4 * MOST_LISTED:
            raise BeyondReach("obey", "more than a million bittings to weigh one by one under these rules")
        found = np.column_stack([found[before], after.astype(np.int8)])
        found = found[_within(found, rules.most_alike)]
    found = found[keep_rules(found, rules)]
    if len(found) > MOST_LISTED:
        raise BeyondReach("obey", "more than a million bittings to weigh one by one under these rules")
    found.flags.writeable = False
    return found


def keep_rules(bittings: NDArray[np.int8], rules: Rules) -> NDArray[np.bool_]:
    """Which of some bittings (b, n) keep the rules that are no chain, MACS aside. Raises nothing.

    >>> keep_rules(np.array([[0, 0, 1], [0, 0, 0]], dtype=np.int8), Rules(fewest_depths=2)).tolist()
    [True, False]
    """
    kept = _within(bittings, rules.most_alike)
    if rules.fewest_depths is not None and len(bittings):
        kinds = sum((bittings == k).any(axis=1).astype(int) for k in np.unique(bittings))
        kept &= np.asarray(kinds) >= rules.fewest_depths
    return kept


def _within(bittings: NDArray[np.int8], most_alike: int | None) -> NDArray[np.bool_]:
    if most_alike is None:
        return np.ones(len(bittings), dtype=bool)
    alike = [(bittings == k).sum(axis=1) for k in np.unique(bittings)]
    return np.asarray(np.max(alike, axis=0) <= most_alike) if alike else np.ones(0, dtype=bool)
