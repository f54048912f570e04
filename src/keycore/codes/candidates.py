"""The bittings still possible, given what is known, the rules and a series."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from keycore.bittings import keep_rules, neighbours_allowed
from keycore.errors import BeyondReach, InputError
from keycore.family import Rules, Track
from keycore.rules import NO_RULES

MOST_CANDIDATES = 20_000
MOST_LOOKED_AT = 4_000_000  # prefixes written out before the rules that are no chain are asked

Steps = tuple[int, ...]


def candidates_of(
    track: Track,
    known: Sequence[frozenset[int]],
    *,
    obey_macs: bool = True,
    rules: Rules = NO_RULES,
    among: Sequence[Steps] | None = None,
) -> NDArray[np.int8]:
    """The bittings that what is known leaves, (b, n) steps in lexicographic order.

    Arguments: ``known`` (n,) the steps each space may have, empty where nothing is known; ``obey_macs``
    whether MACS is obeyed; other ``rules``; ``among`` a closed list. Raises InputError when ``known`` is
    not one entry for each space, BeyondReach beyond 20,000, with the count where it is known.

    >>> from keycore.family import Depth
    >>> table = tuple(Depth(str(k), 0.33 - 0.015 * k) for k in range(3))
    >>> candidates_of(Track("A", (0.2, 0.35), table, macs=1), [frozenset({0}), frozenset()]).tolist()
    [[0, 0], [0, 1]]
    """
    spaces, depths = len(track.spaces), len(track.depths)
    if len(known) != spaces:
        raise InputError("known", f"{len(known)} entries for {spaces} spaces")
    held = dict(track.fixed)
    every = [set(each) if each else set(range(depths)) for each in known]
    may = [sorted(each & {held.get(space, step) for step in each}) for space, each in enumerate(every, start=1)]
    allowed = neighbours_allowed(track, obey_macs) > 0
    if among is not None:
        return _among(among, may, allowed, rules)
    if not all(may):
        return np.empty((0, spaces), dtype=np.int8)
    count = _count(may, allowed)
    if count > (MOST_LOOKED_AT if rules.any else MOST_CANDIDATES):
        raise BeyondReach("known", f"{count:,} bittings are still possible, more than {MOST_CANDIDATES:,}")
    found = np.array(may[0], dtype=np.int8)[:, None]
    for place in range(1, spaces):
        onward = np.zeros(depths, dtype=bool)
        onward[may[place]] = True
        before, after = np.nonzero(allowed[found[:, -1]] & onward)
        found = np.column_stack([found[before], after.astype(np.int8)])
    found = found[keep_rules(found, rules)]
    if len(found) > MOST_CANDIDATES:
        raise BeyondReach("known", f"{len(found):,} bittings are still possible, more than {MOST_CANDIDATES:,}")
    return found


def _among(
    among: Sequence[Steps], may: Sequence[Sequence[int]], allowed: NDArray[np.bool_], rules: Rules
) -> NDArray[np.int8]:
    kept = sorted(
        steps
        for steps in set(among)
        if all(step in may[place] for place, step in enumerate(steps))
        and all(allowed[a, b] for a, b in pairwise(steps))
    )
    found = np.array(kept, dtype=np.int8).reshape(len(kept), len(may))
    found = found[keep_rules(found, rules)] if len(found) else found
    if len(found) > MOST_CANDIDATES:
        raise BeyondReach("among", f"{len(found):,} bittings are still possible, more than {MOST_CANDIDATES:,}")
    return found


def _count(may: Sequence[Sequence[int]], allowed: NDArray[np.bool_]) -> int:
    """How many bittings neighbours allow: exact, in whole numbers of any size."""
    ways = dict.fromkeys(may[-1], 1)
    for steps in reversed(may[:-1]):
        ways = {step: sum(count for after, count in ways.items() if allowed[step, after]) for step in steps}
    return sum(ways.values())
