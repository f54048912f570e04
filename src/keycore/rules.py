"""What a family allows a bitting to be, and how many bittings that leaves.

A bitting here is a tuple of steps (places in the depth table), one for each space.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from math import comb

from keycore.budget import STEP, Budget
from keycore.family import Rules, Track

NO_RULES = Rules()


@dataclass(frozen=True, slots=True)
class Break:
    """One rule that a bitting breaks, and the spaces (from 1) that break it."""

    rule: str  # "macs", "fixed", "most_alike" or "fewest_depths"
    spaces: tuple[int, ...]


def breaks(track: Track, rules: Rules, steps: Sequence[int | None]) -> list[Break]:
    """The rules a bitting breaks; spaces that are None are passed over.

    Arguments: ``steps`` (n,) places in the depth table. Returns one Break for each pair of
    neighbours that differ by more than MACS, one for each space not as it is held, then one for each
    broken rule. Raises nothing.
    """
    found = [
        Break("macs", (place, place + 1))
        for place, (a, b) in enumerate(pairwise(steps), start=1)
        if track.macs is not None and a is not None and b is not None and abs(a - b) > track.macs
    ]
    found += [Break("fixed", (space,)) for space, step in track.fixed if steps and steps[space - 1] not in (None, step)]
    seen = Counter(step for step in steps if step is not None)
    if rules.most_alike is not None:
        for step, times in sorted(seen.items()):
            if times > rules.most_alike:
                alike = tuple(place for place, s in enumerate(steps, start=1) if s == step)
                found.append(Break("most_alike", alike))
    if rules.fewest_depths is not None and None not in steps and len(seen) < rules.fewest_depths:
        found.append(Break("fewest_depths", tuple(range(1, len(steps) + 1))))
    return found


def count_bittings(track: Track, rules: Rules = NO_RULES, budget: Budget | None = None) -> int:
    """How many bittings MACS, the rules and the spaces held fixed allow, exactly.

    Arguments: a track; the family's Rules; a Budget. Returns a Python integer of any size. Raises BeyondReach where
    the rules are no chain and counting would cost more than the budget.

    >>> from keycore.family import Depth
    >>> table = tuple(Depth(str(k), 0.33 - 0.015 * k) for k in range(4))
    >>> count_bittings(Track("A", (0.2, 0.35, 0.5), table, macs=1))
    26
    >>> count_bittings(Track("A", (0.2, 0.35), table, fixed=((2, 0),)))
    4
    """
    if not rules.any:
        return count_chain(track)
    if track.macs is None or track.macs >= len(track.depths) - 1:
        return _count_free(track, rules)
    return _count_ruled(track, rules, budget or Budget())


def count_chain(track: Track, obey_macs: bool = True) -> int:
    """How many bittings MACS, where ``obey_macs``, and the spaces held fixed allow. Raises nothing."""
    depths = range(len(track.depths))
    limit = track.macs if obey_macs and track.macs is not None else len(track.depths)
    held = dict(track.fixed)
    ways = [int(held.get(1, k) == k) for k in depths]
    for space in range(2, len(track.spaces) + 1):
        ways = [sum(ways[max(0, k - limit) : k + limit + 1]) if held.get(space, k) == k else 0 for k in depths]
    return sum(ways)


def _count_free(track: Track, rules: Rules) -> int:
    """No MACS: hand the spaces out depth by depth, those with a space held fixed first, the others so many of them.

    Depths that nothing is held at are all alike: j of them, each used at least once, take n spaces in as many ways
    as any other j do.
    """
    held = Counter(step for _, step in track.fixed)
    most = len(track.spaces) if rules.most_alike is None else rules.most_alike
    ways = [1] + [0] * (len(track.spaces) - len(track.fixed))
    for times in held.values():
        ways = _hand_out(ways, range(most - times + 1))
    alike, count = len(track.depths) - len(held), 0
    for used in range(alike + 1):
        if used + len(held) >= (rules.fewest_depths or 0):
            count += comb(alike, used) * ways[-1]
        ways = _hand_out(ways, range(1, most + 1))
    return count


def _hand_out(ways: Sequence[int], times: range) -> list[int]:
    """The ways to use n spaces, by n, once another depth takes as many of them as ``times`` allows."""
    return [sum(comb(n, more) * ways[n - more] for more in times if more <= n) for n in range(len(ways))]


def _count_ruled(track: Track, rules: Rules, budget: Budget) -> int:
    """MACS and rules together: state (last depth, how often each depth was used so far)."""
    depths, limit = len(track.depths), track.macs or 0
    most = rules.most_alike or len(track.spaces)
    cap = most if rules.most_alike is not None else 1  # without it only "used at all" matters
    may = [range(depths)] * len(track.spaces)
    for space, step in track.fixed:
        may[space - 1] = range(step, step + 1)
    ways = {(k, tuple(int(j == k) for j in range(depths))): 1 for k in may[0]}
    for here in may[1:]:
        onward = min(len(here), 2 * limit + 1)
        states = len(ways) * onward
        budget.take(states * STEP * 2, states * 2 * depths, "rules", "too many combinations of depths to count exactly")
        following: defaultdict[tuple[int, tuple[int, ...]], int] = defaultdict(int)
        for (last, used), count in ways.items():
            for k in range(max(here.start, last - limit), min(here.stop, last + limit + 1)):
                if used[k] < most or rules.most_alike is None:
                    following[k, (*used[:k], min(used[k] + 1, cap), *used[k + 1 :])] += count
        ways = dict(following)
    wanted = rules.fewest_depths or 0
    return sum(count for (_, used), count in ways.items() if sum(u > 0 for u in used) >= wanted)
