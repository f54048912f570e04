"""The fewest blanks that try every bitting still possible: a key is cut again only deeper."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import maximum_flow

from keycore.codes.candidates import Steps

Chain = tuple[Steps, ...]
"""The keys of one blank in the order it is cut, only ever deeper."""


@dataclass(frozen=True)
class Progression:
    """Every bitting still possible, each on one of as few new blanks as can be."""

    chains: tuple[Chain, ...]  # a new blank each
    begun: tuple[Chain, ...] = ()  # what is still tried on each blank already begun

    @property
    def blanks(self) -> int:
        """How many new blanks it takes: the least there can be."""
        return len(self.chains)

    @property
    def candidates(self) -> int:
        """How many bittings there are to try."""
        return sum(map(len, self.chains)) + sum(map(len, self.begun))


def fewest_blanks(candidates: NDArray[np.integer], begun: Sequence[Steps] = ()) -> Progression:
    """Put every candidate on as few new blanks as can be, each blank only ever cut deeper.

    A blank can serve a chain of the order "no cut shallower". The fewest chains that cover a finite
    order equal its largest set of bittings none of which can follow another (Dilworth, *Annals of
    Mathematics* 51, 1950, 161-166), and are the candidates less the most of them that can be given
    a follower of their own (Fulkerson, *Proc. AMS* 7, 1956, 701-702). A chain may pass through
    bittings tried on another blank, so the flow that finds the followers runs along the covering
    relation alone: a handful of edges for each bitting. A blank already begun is followed and
    follows nothing.

    Arguments: ``candidates`` (b, n) different bittings; ``begun`` what each blank in hand is cut to
    now. Returns a Progression; the shallowest blanks come first. Raises nothing.

    >>> four = np.indices((4, 4)).reshape(2, -1).T.astype(np.int8)
    >>> fewest_blanks(four).blanks
    4
    >>> fewest_blanks(four[:0]).chains
    ()
    >>> found = fewest_blanks(four[-2:], begun=[(0, 2), (3, 3)])
    >>> found.blanks, found.candidates, len(found.begun)
    (0, 2, 2)
    """
    if not len(candidates):
        return Progression((), ((),) * len(begun))
    states = np.array(begun, dtype=candidates.dtype).reshape(len(begun), candidates.shape[1])
    rows = np.concatenate([states, candidates])
    is_candidate = np.arange(len(rows)) >= len(begun)
    # Of equal rows a blank in hand comes before the candidate that it is cut to.
    order = np.lexsort((is_candidate, *rows.T[::-1], rows.sum(axis=1)))
    ordered, fresh = rows[order], is_candidate[order]
    follower = _followers(fresh, *_covers(ordered, fresh))
    first = fresh.copy()
    first[follower[follower >= 0]] = False
    keys = [tuple(map(int, row)) for row in ordered]
    place_of = np.argsort(order)[: len(begun)]
    return Progression(
        tuple(_chain(keys, follower, start) for start in np.flatnonzero(first).tolist()),
        tuple(_chain(keys, follower, start)[1:] for start in place_of.tolist()),
    )


def one_blank_each(candidates: NDArray[np.integer], begun: Sequence[Steps] = ()) -> Progression:
    """Put every candidate on a blank of its own: a family whose cuts are never cut again has no other way.

    Arguments: ``candidates`` (b, n) different bittings; ``begun`` the blanks in hand, which serve nothing any more.
    Returns a Progression, shallowest first. Raises nothing.

    >>> one_blank_each(np.array([[0, 1], [0, 0]], np.int8), begun=[(0, 0)]).chains
    (((0, 0),), ((0, 1),))
    """
    keys = sorted((tuple(map(int, row)) for row in candidates), key=lambda steps: (sum(steps), steps))
    return Progression(tuple((steps,) for steps in keys), ((),) * len(begun))


def blanks_for(
    candidates: NDArray[np.integer], begun: Sequence[Steps] = (), *, can_be_recut: bool = True
) -> Progression:
    """The fewest blanks for a family whose keys can be cut again, and a blank for each key of one whose cannot.

    Arguments: ``candidates`` (b, n), what the blanks ``begun`` are cut to, (n,) each, and whether they
    ``can_be_recut``. Returns a Progression. Raises nothing.

    >>> four = np.indices((4, 4)).reshape(2, -1).T.astype(np.int8)
    >>> blanks_for(four).blanks, blanks_for(four, can_be_recut=False).blanks
    (4, 16)
    """
    return fewest_blanks(candidates, begun) if can_be_recut else one_blank_each(candidates, begun)


def _chain(rows: Sequence[Steps], follower: NDArray[np.intp], first: int) -> tuple[Steps, ...]:
    chain, at = [rows[first]], int(follower[first])
    while at >= 0:
        chain.append(rows[at])
        at = int(follower[at])
    return tuple(chain)


def _covers(ordered: NDArray[np.integer], fresh: NDArray[np.bool_]) -> tuple[list[int], list[int]]:
    """The covering relation: pairs (b, c), c deeper than b with no candidate between; indices by rising sum.

    The cut of a blank in hand, which is not ``fresh``, is below something and above nothing.

    Sets of bittings are whole numbers, bit i for bitting i, so that the next deeper one is the
    lowest bit and everything beyond it goes at once.
    """
    at_least = [_at_least(column) for column in ordered.T]
    may_follow = _as_bits(fresh)
    beyond: list[int] = []
    for index, row in enumerate(ordered.tolist()):
        deeper = may_follow
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


def _at_least(column: NDArray[np.integer]) -> list[int]:
    """For each step, the set of bittings at least so deep at a space."""
    return [_as_bits(column >= step) for step in range(int(column.max()) + 1)]


def _as_bits(members: NDArray[np.bool_]) -> int:
    return int.from_bytes(np.packbits(members, bitorder="little").tobytes(), "little")


def _followers(fresh: NDArray[np.bool_], above: Sequence[int], below: Sequence[int]) -> NDArray[np.intp]:
    """The bitting that follows each on its blank, -1 where the blank ends: a maximum flow.

    Nodes: a source, each bitting as one to be followed, each as a follower, a sink. From a
    follower the flow may go on as if from a bitting to be followed: the chain passes through.
    Only what is ``fresh``, not the cut of a blank in hand, can follow.
    """
    count = len(fresh)
    lead, follow, sink = 1 + np.arange(count), 1 + count + np.arange(count), 2 * count + 1
    tails = np.concatenate([np.zeros(count, np.int32), follow, lead[above], follow])
    heads = np.concatenate([lead, np.full(count, sink), follow[below], lead])
    sizes = np.concatenate([np.ones(count), fresh, np.full(len(above) + count, count)]).astype(np.int32)
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
