"""Cuts that the lock at hand does not have, filled with the shallowest that the family allows."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from keycore.bittings import neighbours_allowed
from keycore.errors import NothingAllowed
from keycore.family import Family, Track


def fill_shallowest(track: Track, known: Mapping[int, int]) -> tuple[int, ...]:
    """The bitting that keeps the known cuts and leaves the most metal everywhere else.

    The sum of steps over the unknown cuts is the least that MACS allows; of equals, the shallower
    at the first space where they differ. A key can be cut again only deeper, so a cut filled this
    way can still become any other.

    Arguments: ``known`` steps by space (from 1). Returns (n,) steps. Raises NothingAllowed when
    no bitting with those cuts keeps MACS.

    >>> from keycore.family import Depth
    >>> table = tuple(Depth(str(k), 0.33 - 0.02 * k) for k in range(5))
    >>> fill_shallowest(Track("A", (0.1, 0.2, 0.3, 0.4), table, macs=2), {2: 4})
    (2, 4, 2, 0)
    """
    allowed = neighbours_allowed(track) > 0
    spaces, depths = len(track.spaces), len(track.depths)
    cost = np.full((spaces, depths), np.inf)
    held = {**dict(track.fixed), **known}
    for place in range(spaces):
        step = held.get(place + 1)
        cost[place, slice(None) if step is None else step] = np.arange(depths) if step is None else 0.0
    onward = cost.copy()
    for place in range(spaces - 2, -1, -1):
        onward[place] += np.where(allowed, onward[place + 1][None, :], np.inf).min(axis=1)
    if not np.isfinite(onward[0]).any():
        raise NothingAllowed("bitting", "no bitting with those cuts keeps MACS")
    steps = [int(np.argmin(onward[0]))]
    for place in range(1, spaces):
        steps.append(int(np.argmin(np.where(allowed[steps[-1]], onward[place], np.inf))))
    return tuple(steps)


def locks_worked(family: Family, track: str, known: Sequence[int]) -> dict[str, bool]:
    """For each lock the family names, whether every cut it has of a ``track`` is among the ``known`` (k,) ones, from 1.

    A lock that has none of that track asks nothing of it. Raises nothing.
    """
    return {lock: set(spaces.get(track, ())) <= set(known) for lock, spaces in family.positions.items()}
