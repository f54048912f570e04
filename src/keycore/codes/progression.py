"""The bittings still possible, and the fewest blanks that try them all: a key is cut again only deeper."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import maximum_flow

from keycore.errors import BeyondReach, InputError
from keycore.family import Rules, Track
from keycore.rules import NO_RULES, keep_rules, neighbours_allowed

MOST_CANDIDATES = 20_000
MOST_LOOKED_AT = 4_000_000  # beginnings written out before the rules that are no chain are asked

Steps = tuple[int, ...]


@dataclass(frozen=True)
class Progression:
    """Every bitting still possible, each on one of as few blanks as can be."""

    chains: tuple[tuple[Steps, ...], ...]  # on each blank in the order it is cut, only ever deeper

    @property
    def blanks(self) -> int:
        """How many blanks it takes: the least there can be."""
        return len(self.chains)

    @property
    def candidates(self) -> int:
        """How many bittings there are to try."""
        return sum(len(chain) for chain in self.chains)


def candidates_of(
    track: Track,
    known: Sequence[frozenset[int]],
    *,
    obey_macs: bool = True,
    rules: Rules = NO_RULES,
    among: Sequence[Steps] | None = None,
) -> NDArray[np.int8]:
    """The bittings that what is known leaves, (b, n) steps in lexicographic order.

    Arguments: ``known`` (n,) the steps each space may have, empty where nothing is known; whether
    MACS is obeyed; other ``rules``; ``among`` a closed list. Raises InputError when ``known`` is
    not one entry for each space, BeyondReach beyond 20,000, with the count where it is known.

    >>> from keycore.family import Depth
    >>> table = tuple(Depth(str(k), 0.33 - 0.015 * k) for k in range(3))
    >>> candidates_of(Track("A", (0.2, 0.35), table, macs=1), [frozenset({0}), frozenset()]).tolist()
    [[0, 0], [0, 1]]
    """
    spaces, depths = len(track.spaces), len(track.depths)
    if len(known) != spaces:
        raise InputError("known", f"{len(known)} entries for {spaces} spaces")
    may = [sorted(each) if each else list(range(depths)) for each in known]
    allowed = neighbours_allowed(track, obey_macs) > 0
    if among is not None:
        return _among(among, may, allowed, rules)
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


def fewest_blanks(candidates: NDArray[np.int8]) -> Progression:
    """Put every candidate on as few blanks as can be, each blank only ever cut deeper.

    A blank can serve a chain of the order "no cut shallower". The fewest chains that cover a finite
    order equal its largest set of bittings none of which can follow another (Dilworth, *Annals of
    Mathematics* 51, 1950, 161-166), and are the candidates less the most of them that can be given
    a follower of their own (Fulkerson, *Proc. AMS* 7, 1956, 701-702). A chain may pass through
    bittings tried on another blank, so the flow that finds the followers runs along the covering
    relation alone: a handful of edges for each bitting.

    Arguments: ``candidates`` (b, n) different bittings. Returns a Progression; the shallowest
    blanks come first. Raises nothing.

    >>> four = np.indices((4, 4)).reshape(2, -1).T.astype(np.int8)
    >>> fewest_blanks(four).blanks
    4
    >>> fewest_blanks(four[:0]).chains
    ()
    """
    if not len(candidates):
        return Progression(())
    ordered = candidates[np.lexsort((*candidates.T[::-1], candidates.sum(axis=1)))]
    follower = _followers(len(ordered), *_covers(ordered))
    begun = np.ones(len(ordered), dtype=bool)
    begun[follower[follower >= 0]] = False
    rows = [tuple(map(int, row)) for row in ordered]
    return Progression(tuple(_chain(rows, follower, first) for first in np.flatnonzero(begun).tolist()))


def _chain(rows: Sequence[Steps], follower: NDArray[np.intp], first: int) -> tuple[Steps, ...]:
    chain, at = [rows[first]], int(follower[first])
    while at >= 0:
        chain.append(rows[at])
        at = int(follower[at])
    return tuple(chain)


def _covers(ordered: NDArray[np.int8]) -> tuple[list[int], list[int]]:
    """The covering relation: pairs (b, c), c deeper than b with no candidate between; indices by rising sum.

    Sets of bittings are whole numbers, bit i for bitting i, so that the next deeper one is the
    lowest bit and everything beyond it goes at once.
    """
    at_least = [_at_least(column) for column in ordered.T]
    beyond: list[int] = []
    for index, row in enumerate(ordered.tolist()):
        deeper = -1
        for place, step in enumerate(row):
            deeper &= at_least[place][step]
        beyond.append(deeper & ~(1 << index))
    above, below = [], []
    for index, left in enumerate(beyond):
        while left:
            lowest = left & -left
            cover = lowest.bit_length() - 1
            above.append(index)
            below.append(cover)
            left &= ~(beyond[cover] | lowest)
    return above, below


def _at_least(column: NDArray[np.int8]) -> list[int]:
    """For each step, the set of bittings at least so deep at a space."""
    return [
        int.from_bytes(np.packbits(column >= step, bitorder="little").tobytes(), "little")
        for step in range(int(column.max()) + 1)
    ]


def _followers(count: int, above: Sequence[int], below: Sequence[int]) -> NDArray[np.intp]:
    """The bitting that follows each on its blank, -1 where the blank ends: a maximum flow.

    Nodes: a source, each bitting as one to be followed, each as a follower, a sink. From a
    follower the flow may go on as if from a bitting to be followed: the chain passes through.
    """
    lead, follow, sink = 1 + np.arange(count), 1 + count + np.arange(count), 2 * count + 1
    tails = np.concatenate([np.zeros(count, np.int32), follow, lead[above], follow])
    heads = np.concatenate([lead, np.full(count, sink), follow[below], lead])
    sizes = np.concatenate([np.ones(2 * count), np.full(len(above) + count, count)]).astype(np.int32)
    size = 2 * count + 2
    network = coo_array((sizes, (tails.astype(np.int32), heads.astype(np.int32))), shape=(size, size)).tocsr()
    flow = maximum_flow(network, 0, sink).flow.tocsr()
    return _paths(flow, count, sink)


def _paths(flow: object, count: int, sink: int) -> NDArray[np.intp]:
    """Take the flow apart into one path for each bitting that has a follower."""
    indptr, heads, left = flow.indptr, flow.indices, flow.data.copy()  # type: ignore[attr-defined]
    follower = np.full(count, -1, dtype=np.intp)
    next_edge = indptr[:-1].copy()
    led = [int(head) - 1 for head, size in zip(heads[: indptr[1]], left[: indptr[1]], strict=True) if size > 0]
    for bitting in led:
        at = 1 + bitting
        while at != sink:
            edge = next_edge[at]
            while left[edge] <= 0:
                edge += 1
            next_edge[at] = edge
            left[edge] -= 1
            if heads[edge] == sink:
                follower[bitting] = at - 1 - count
            at = int(heads[edge])
    return follower
