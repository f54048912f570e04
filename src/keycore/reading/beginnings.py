"""Exact weighing from a bitting's beginnings, for several instruments or rules that are no chain.

Given the bitting, sources know nothing of each other, so each keeps its own grid of offsets and
their grids need never be multiplied. Beginnings grow cut by cut. What a beginning can still become
is bounded from above, and one that cannot matter is dropped; the bounds of all that were dropped
are added up and held under a share of the total that was found.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from math import log

import numpy as np
from numpy.typing import NDArray

from keycore.errors import BeyondReach, InputError
from keycore.reading.likelihood import Array, Weighed
from keycore.reading.listed import Listed, log_sum, log_totals, log_weights, weigh_each, without_faint_nodes

NEGLIGIBLE = 1e-5  # share of the total that dropped beginnings may carry
LIKELIEST = 5  # nothing likelier than the last of these is ever dropped
MOST_BEGINNINGS = 40_000  # grown in one round
NUMBERS_AT_ONCE = 4_000_000
FIRST_BEGINNINGS = 64  # kept at each cut when the first guess at the total is made
FAINT = 1e-10  # of the total: so little that 40,000 of them carry next to nothing
NODE_MARGIN = 45.0  # logs below the best at which an offset is left out

Steps = NDArray[np.int8]
Keeps = Callable[[Steps], NDArray[np.bool_]]
"""Which of some whole bittings (b, n) keep the rules that are no chain."""


@dataclass(frozen=True)
class Promise:
    """One source made ready: per node what a cut gives and the most, or the sum, that may follow it."""

    start: Array  # (g,) weight of each node, scaled so that the greatest is 1
    log_scale: float
    cut: Array  # (n, d, g) what a cut gives, the node's best depth being 1
    ahead: Array  # (n, d, g) the cut and what may follow it: the best of it, or all of it

    def grow(self, weights: Array, place: int, parents: NDArray[np.intp], depths: NDArray[np.intp]) -> Array:
        """The weights (b, g) of beginnings once a cut is added to each."""
        return np.asarray(weights[parents] * self.cut[place][depths])


def weigh_beginnings(sources: Sequence[Weighed], allowed: Array, keeps: Keeps | None = None) -> Listed:
    """Weigh every bitting that can matter, exactly; the rest carries less than 2e-5 of the total.

    Arguments: Weighed sources of one track, ``allowed`` (d, d) which depth may follow which,
    ``keeps`` the rules that are no chain, if any. Returns a Listed of the bittings that matter, the
    five likeliest among them for certain. Raises BeyondReach when more than 40,000 beginnings
    matter at one cut (too little was seen), InputError when nothing allowed explains what was seen.

    >>> from keycore.reading.likelihood import Weighed
    >>> one = np.zeros(1)
    >>> seen = Weighed(one, np.log(np.array([[[0.9], [0.1]], [[0.2], [0.8]]])), one, one)
    >>> found = weigh_beginnings([seen, seen], np.ones((2, 2)))
    >>> found.likeliest(1)[0][0], round(found.likeliest(1)[0][1], 3)
    ((0, 1), 0.93)
    """
    merged = _merge_plain(sources)
    if any(np.isneginf(source.log_emission.max(axis=(1, 2))).any() for source in merged):
        raise InputError("evidence", "no allowed bitting can explain it: check each source")
    near, log_left = without_faint_nodes(merged, NODE_MARGIN)
    kept = _that_matter(near, allowed, keeps)
    sources_near, log_left_of_each = without_faint_nodes(sources, NODE_MARGIN)
    listed = weigh_each(sources_near, kept)
    if log_left > listed.log_total + log(NEGLIGIBLE):
        kept = _that_matter(merged, allowed, keeps)
    if max(log_left, log_left_of_each) > listed.log_total + log(NEGLIGIBLE):
        listed = weigh_each(sources, kept)
    return listed


def log_bound(sources: Sequence[Weighed]) -> float:
    """A cheap upper bound of the log total over any set of bittings. Raises nothing."""
    first, *others = _merge_plain(sources)
    return log_sum(log_totals(first)) + sum(log_sum(log_weights(source)) for source in others)


def _that_matter(sources: Sequence[Weighed], allowed: Array, keeps: Keeps | None) -> Steps:
    """The bittings that carry all but 1e-5 of the total, none likelier than the fifth left out."""
    promises = _promises(sources, allowed)
    log_total, fifth = _first_guess(promises, allowed, keeps, sources)
    floor = min(fifth, log_total + log(NEGLIGIBLE) - 5.0)
    while True:
        grown, log_dropped = _grow(promises, allowed, floor)
        kept = grown if keeps is None else grown[keeps(grown)]
        if not len(kept):
            if log_dropped == -np.inf:
                raise InputError("evidence", "no allowed bitting can explain it: check each source")
            floor -= 30.0
            continue
        listed = weigh_each(sources, kept)
        fifth = listed.log_of_rank(LIKELIEST)
        excess = log_dropped - listed.log_total - log(NEGLIGIBLE)
        if log_dropped == -np.inf or (excess <= 0 and floor <= fifth):
            return _without_faint(listed)
        floor = min(floor - 1.2 * max(excess, 0.0) - 1.0, fifth if fifth > -np.inf else floor - 20.0)


def _without_faint(listed: Listed) -> Steps:
    """Bittings whose share is not next to nothing, and the five likeliest in any case."""
    share = listed.probability
    if len(share) <= LIKELIEST:
        return listed.bittings
    return listed.bittings[share >= min(FAINT, float(np.partition(share, -LIKELIEST)[-LIKELIEST]))]


def _merge_plain(sources: Sequence[Weighed]) -> list[Weighed]:
    """Sources without an unknown offset put into one that has the fewest nodes."""
    plain = [source for source in sources if len(source.offset) == 1]
    others = sorted((source for source in sources if len(source.offset) > 1), key=lambda s: len(s.offset))
    if not plain:
        return others
    table = sum((source.log_emission for source in plain), start=np.zeros(()))
    constant = sum(float(source.log_prior[0]) for source in plain)
    if not others:
        first = plain[0]
        return [Weighed(np.array([constant]), np.asarray(table), first.offset, first.tip)]
    first = others[0]
    merged = Weighed(first.log_prior + constant, first.log_emission + table, first.offset, first.tip)
    return [merged, *others[1:]]


def _promises(sources: Sequence[Weighed], allowed: Array) -> list[Promise]:
    return [_promise(source, allowed, whole=place == 0) for place, source in enumerate(sources)]


def _promise(source: Weighed, allowed: Array, *, whole: bool) -> Promise:
    """Bounds of what may follow: summed for one source, the best alone for all others.

    The sum of products is at most the sum of one factor times the greatest of each of the rest.
    """
    top = np.maximum(source.log_emission.max(axis=1), -1e290)
    cut = np.exp(source.log_emission - top[:, None, :])
    ahead = cut.copy()
    for place in range(len(cut) - 2, -1, -1):
        if whole:
            ahead[place] *= allowed @ ahead[place + 1]
        else:
            barred = allowed[:, :, None] > 0
            ahead[place] *= np.where(barred, ahead[place + 1][None, :, :], 0.0).max(axis=1)
    weights = source.log_prior + top.sum(axis=0)
    scale = float(weights.max())
    return Promise(np.exp(weights - scale), scale, cut, ahead)


def _first_guess(
    promises: Sequence[Promise], allowed: Array, keeps: Keeps | None, sources: Sequence[Weighed]
) -> tuple[float, float]:
    """The log total of the likeliest few, and the log of the fifth of them: both from below."""
    beginnings, weights = _nothing(promises)
    for place in range(len(promises[0].cut)):
        parents, depths, bounds = _next(promises, allowed, beginnings, weights, place)
        best = np.argsort(-bounds, kind="stable")[:FIRST_BEGINNINGS]
        beginnings, weights = _extend(promises, beginnings, weights, place, parents[best], depths[best])
    kept = beginnings if keeps is None else beginnings[keeps(beginnings)]
    if not len(kept):
        return sum(p.log_scale for p in promises) - 200.0, -np.inf
    listed = weigh_each(sources, kept)
    fifth = listed.log_of_rank(LIKELIEST)
    return listed.log_total, fifth if fifth > -np.inf else listed.log_total - 100.0


def _grow(promises: Sequence[Promise], allowed: Array, floor: float) -> tuple[Steps, float]:
    """Every bitting whose beginnings all promise at least ``floor``; the log of what the others could add."""
    beginnings, weights = _nothing(promises)
    log_dropped = -np.inf
    for place in range(len(promises[0].cut)):
        parents, depths, bounds = _next(promises, allowed, beginnings, weights, place)
        keep = bounds >= floor
        if not keep.all():
            log_dropped = float(np.logaddexp(log_dropped, log_sum(bounds[~keep])))
        if keep.sum() * max(p.start.size for p in promises) > 40 * NUMBERS_AT_ONCE or keep.sum() > MOST_BEGINNINGS:
            raise BeyondReach("evidence", "too little was seen to weigh so many sources together exactly")
        beginnings, weights = _extend(promises, beginnings, weights, place, parents[keep], depths[keep])
    return beginnings, log_dropped


def _nothing(promises: Sequence[Promise]) -> tuple[Steps, list[Array]]:
    return np.zeros((1, 0), dtype=np.int8), [promise.start[None, :] for promise in promises]


def _next(
    promises: Sequence[Promise], allowed: Array, beginnings: Steps, weights: Sequence[Array], place: int
) -> tuple[NDArray[np.intp], NDArray[np.intp], Array]:
    """Each beginning with each depth that may follow: whose it is, the depth, the log of its bound."""
    bounds = np.full((len(beginnings), promises[0].cut.shape[1]), sum(p.log_scale for p in promises))
    with np.errstate(divide="ignore"):
        for promise, weight in zip(promises, weights, strict=True):
            bounds += np.log(weight @ promise.ahead[place].T)
    may = allowed[beginnings[:, -1]] > 0 if place else np.ones_like(bounds, dtype=bool)
    parents, depths = np.nonzero(may & (bounds > -np.inf))
    return parents, depths, bounds[parents, depths]


def _extend(
    promises: Sequence[Promise],
    beginnings: Steps,
    weights: Sequence[Array],
    place: int,
    parents: NDArray[np.intp],
    depths: NDArray[np.intp],
) -> tuple[Steps, list[Array]]:
    longer = np.column_stack([beginnings[parents], depths.astype(np.int8)])
    return longer, [p.grow(w, place, parents, depths) for p, w in zip(promises, weights, strict=True)]
