"""Exact weighing along the blade, for rules that link neighbouring cuts only.

For a fixed offset the spaces form a chain, so sums over all bittings need O(n d**2) steps
(forward-backward; Rabiner, Proc. IEEE 77 (1989) 257-286). The offsets themselves are a grid of
nodes; nodes that cannot matter are left out by an upper bound, and what was left out is checked
against the total afterwards.
"""

from __future__ import annotations

import heapq
from collections.abc import Sequence
from dataclasses import dataclass
from math import exp, log

import numpy as np
from numpy.typing import NDArray

from keycore.errors import BeyondReach, InputError
from keycore.reading.evidence import Spread
from keycore.reading.likelihood import Array, Weighed

NEGLIGIBLE = 1e-7  # share of the total that left-out nodes may carry
MOST_NUMBERS = 12_000_000  # in the table of joint nodes, 100 MB
TIE = 1.1e-9  # chances nearer to each other than this are ordered by depth
SMALL = 20_000  # numbers in a table that is not worth thinning out
MANY = 3_000  # beginnings grown at once
MOST_EXPANDED = 60_000  # prefixes looked at for the likeliest bittings
FIRST_MARGIN = 24.0  # logs below the best bound at which nodes are left out at first
SURELY_ENOUGH = 700.0


@dataclass(frozen=True)
class Joint:
    """All sources together: one node for each combination of their offsets that matters.

    ``log_weight`` (g,), ``log_emission`` (n, d, g); ``node`` (s, g) which node of each source.
    """

    log_weight: Array
    log_emission: Array
    node: NDArray[np.intp]
    log_left_out: float


@dataclass(frozen=True)
class Passed:
    """The forward and backward sums of a Joint: the posterior of a chain."""

    sources: Sequence[Weighed]
    allowed: Array
    joint: Joint
    forward: Array  # (n, d, g) log sums up to and with the space
    backward: Array  # (n, d, g) log sums after the space
    log_node: Array  # (g,) log total of the node, its weight included
    log_total: float

    @property
    def node_share(self) -> Array:
        """The posterior probability of each node."""
        return np.asarray(np.exp(self.log_node - self.log_total))

    def likeliest(self, wanted: int) -> list[tuple[tuple[int, ...], float]]:
        """The most probable bittings; see the function of that name."""
        return likeliest(self, wanted)

    def moments(self, s: int) -> tuple[Spread, Spread]:
        """Mean and sd of source ``s``'s offset and tip wear."""
        source, node, share = self.sources[s], self.joint.node[s], self.node_share
        return spread_of(source.offset[node], share), spread_of(source.tip[node], share)

    def chance_of(self, steps: tuple[int, ...]) -> float:
        """The probability of one whole bitting; 0 where its neighbours are not allowed."""
        bitting = np.array([steps])
        may = (self.allowed[bitting[0, :-1], bitting[0, 1:]] > 0).all()
        return float(np.exp(log_of_bittings(self, bitting)[0])) if may else 0.0

    def marginals(self) -> Array:
        """The probability of each depth at each space, (n, d)."""
        log_each = self.forward + self.backward + (self.joint.log_weight - self.log_total)
        table = np.exp(log_each).sum(axis=2)
        return np.asarray(table / table.sum(axis=1, keepdims=True))


def weigh_together(sources: Sequence[Weighed], allowed: Array) -> Passed:
    """Combine sources exactly and sum over every bitting the neighbours allow.

    Arguments: Weighed sources of one track, ``allowed`` (d, d) which depth may follow which.
    Returns a Passed whose left-out nodes carry less than 1e-7 of the total. Raises InputError
    when no allowed bitting can explain the evidence at all, BeyondReach when too many
    combinations of offsets matter to be held at once.
    """
    margin = FIRST_MARGIN
    while True:
        joint = _combine(sources, margin)
        passed = _pass_both_ways(sources, joint, allowed)
        if joint.log_left_out <= passed.log_total + np.log(NEGLIGIBLE):
            return passed
        if margin > SURELY_ENOUGH:
            raise InputError("evidence", "no allowed bitting can explain it: check each source")
        gap = joint.log_left_out - passed.log_total - np.log(NEGLIGIBLE)
        margin = min(margin + max(float(gap), 20.0) + 5.0, 2 * SURELY_ENOUGH)


def spread_of(values: Array, share: Array) -> Spread:
    """Mean and sd of values (g,) that carry shares (g,) of a probability.

    >>> spread_of(np.array([1.0, 3.0]), np.array([0.5, 0.5]))
    Spread(mean=2.0, sd=1.0)
    """
    mean = float(values @ share) / float(share.sum())
    return Spread(mean, float(np.square(values - mean) @ share / share.sum()) ** 0.5)


def _combine(sources: Sequence[Weighed], margin: float) -> Joint:
    """Multiply the sources in, those without an unknown offset first; one alone that is small is kept whole."""
    if len(sources) == 1 and sources[0].log_emission.size <= SMALL:
        every = np.arange(len(sources[0].log_prior))[None, :]
        return Joint(sources[0].log_prior, sources[0].log_emission, every, -np.inf)
    order = sorted(range(len(sources)), key=lambda s: len(sources[s].offset))
    still_to_come = sum(_best_possible(sources[s]) for s in order)
    joint = _nothing_yet(sources, len(sources))
    for s in order:
        still_to_come -= _best_possible(sources[s])
        joint = _multiply_in(joint, s, sources[s], margin, still_to_come)
    return joint


def _nothing_yet(sources: Sequence[Weighed], count: int) -> Joint:
    spaces, depths, _ = sources[0].log_emission.shape
    return Joint(np.zeros(1), np.zeros((spaces, depths, 1)), np.zeros((count, 1), np.intp), -np.inf)


def _best_possible(source: Weighed) -> float:
    """The log of the most any bitting can get from a source."""
    return float(source.log_emission.max(axis=(1, 2)).sum())


def _multiply_in(joint: Joint, s: int, source: Weighed, margin: float, to_come: float) -> Joint:
    bound = _log_bound(joint, source)
    keep = bound >= bound.max() - margin
    dropped = bound[~keep]
    left_out = joint.log_left_out
    if dropped.size:
        left_out = np.logaddexp(left_out, _log_sum(dropped) + to_come)
    old, new = np.nonzero(keep)
    spaces, depths = source.log_emission.shape[:2]
    if len(old) * spaces * depths > MOST_NUMBERS:
        raise BeyondReach("evidence", "too many sources with an unknown offset to weigh together exactly")
    node = joint.node[:, old]
    node[s] = new
    return Joint(
        joint.log_weight[old] + source.log_prior[new],
        joint.log_emission[:, :, old] + source.log_emission[:, :, new],
        node,
        float(left_out),
    )


def _log_bound(joint: Joint, source: Weighed) -> Array:
    """An upper bound of each combination's total: the sum over all bittings, rules ignored."""
    if len(joint.log_weight) * len(source.log_prior) > 4 * MOST_NUMBERS:
        raise BeyondReach("evidence", "too many combinations of offsets to weigh together exactly")
    top_old, top_new = joint.log_emission.max(axis=1), source.log_emission.max(axis=1)
    weight_old = joint.log_weight + top_old.sum(axis=0)
    weight_new = source.log_prior + top_new.sum(axis=0)
    old = np.exp(joint.log_emission - top_old[:, None, :])
    new = np.exp(source.log_emission - top_new[:, None, :])
    sums = np.ones((len(weight_old), len(weight_new)))
    for place in range(len(old)):
        sums *= old[place].T @ new[place]
    return np.asarray(np.log(np.maximum(sums, 1e-300)) + weight_old[:, None] + weight_new[None, :])


def _log_sum(logs: Array) -> float:
    top = float(logs.max())
    if top == -np.inf:
        return top
    return top + float(np.log(np.exp(logs - top).sum()))


def _step(logs: Array, allowed: Array) -> Array:
    """log(allowed.T @ exp(logs)), each column scaled by its largest entry."""
    top = np.maximum(logs.max(axis=0), -1e290)
    with np.errstate(divide="ignore"):
        return np.asarray(np.log(allowed.T @ np.exp(logs - top)) + top)


def _log_sum_columns(logs: Array) -> Array:
    """The log of the sum of each column, (d, g) to (g,)."""
    top = np.maximum(logs.max(axis=0), -1e290)
    with np.errstate(divide="ignore"):
        return np.asarray(top + np.log(np.exp(logs - top).sum(axis=0)))


def _pass_both_ways(sources: Sequence[Weighed], joint: Joint, allowed: Array) -> Passed:
    emission = joint.log_emission
    spaces = len(emission)
    forward, backward = np.empty_like(emission), np.zeros_like(emission)
    forward[0] = emission[0]
    for i in range(1, spaces):
        forward[i] = emission[i] + _step(forward[i - 1], allowed)
    for i in range(spaces - 2, -1, -1):
        backward[i] = _step(emission[i + 1] + backward[i + 1], allowed.T)
    log_node = joint.log_weight + _log_sum_columns(forward[-1])
    return Passed(sources, allowed, joint, forward, backward, log_node, _log_sum(log_node))


def log_of_bittings(passed: Passed, bittings: NDArray[np.integer]) -> Array:
    """The log probability of each whole bitting, offsets summed over.

    Arguments: ``bittings`` (b, n) steps. Returns (b,) posterior logs, rules not applied. Raises
    nothing.
    """
    emission = passed.joint.log_emission
    logs = emission[np.arange(len(emission))[:, None], bittings.T].sum(axis=0)
    return _log_sum_columns((logs + passed.joint.log_weight - passed.log_total).T)


def likeliest(passed: Passed, wanted: int = 5) -> list[tuple[tuple[int, ...], float]]:
    """The most probable whole bittings with their probabilities, likeliest first.

    A search over bittings begun from space 1, all at once where few can matter and best-first where
    many do. What a beginning can still become is bounded by the sum over nodes of its best
    completion there, so nothing better is ever missed: the k likeliest at one offset need not be
    the k likeliest overall. Bittings within 1e-9 of
    each other are ordered by the shallower at the first space where they differ.

    Arguments: a Passed, how many are ``wanted``. Raises BeyondReach when more
    than 60,000 beginnings would have to be looked at.
    """
    opened = _opened(passed, passed.allowed, wanted)
    found = _all_above(opened, passed.allowed)
    if found is None or len(found) < wanted:
        found = _best_first(opened, passed.allowed, wanted)
    probabilities = np.exp(log_of_bittings(passed, found))
    each = zip(map(tuple, found.tolist()), probabilities.tolist(), strict=True)
    return order_by_probability(list(each))[:wanted]


def order_by_probability(
    bittings: Sequence[tuple[tuple[int, ...], float]], tie: float = 1e-9
) -> list[tuple[tuple[int, ...], float]]:
    """Likeliest first; those within ``tie`` of their group's first go shallower first.

    >>> order_by_probability([((1, 0), 0.2), ((0, 1), 0.2), ((2, 2), 0.6)])
    [((2, 2), 0.6), ((0, 1), 0.2), ((1, 0), 0.2)]
    """
    ordered: list[tuple[tuple[int, ...], float]] = []
    group: list[tuple[tuple[int, ...], float]] = []
    for bitting in sorted(bittings, key=lambda b: -b[1]):
        if group and group[0][1] - bitting[1] > tie:
            ordered += sorted(group)
            group = []
        group.append(bitting)
    return ordered + sorted(group)


def _best_with_what_follows(at_once: Array, allowed: Array) -> Array:
    """What each cut gives times the best that can follow it, (n, d, g)."""
    best, may = at_once.copy(), allowed[:, :, None] > 0
    for i in range(len(best) - 2, -1, -1):
        best[i] *= np.where(may, best[i + 1][None, :, :], 0.0).max(axis=1)
    return best


def _nodes_that_matter(passed: Passed) -> NDArray[np.intp]:
    share = passed.node_share
    order = np.argsort(-share)
    kept = int(np.searchsorted(np.cumsum(share[order]), 1 - 1e-11)) + 1
    return np.asarray(order[:kept])


def _surely_reached(passed: Passed, allowed: Array, wanted: int) -> float:
    """A chance that as many bittings as are wanted have at least: some likely ones, weighed exactly."""
    likely = passed.marginals().argsort(axis=1)[:, ::-1]
    if likely.shape[1] < 2:
        return 0.0
    tried = np.tile(likely[:, 0], (len(likely) + 1, 1))
    np.fill_diagonal(tried[1:], likely[:, 1])  # the best cuts, and each in turn second best
    kept = tried[(allowed[tried[:, :-1], tried[:, 1:]] > 0).all(axis=1)]
    if len(kept) < wanted:
        return 0.0
    return float(np.sort(np.exp(log_of_bittings(passed, kept)))[-wanted])


@dataclass(frozen=True)
class _Open:
    """What a search for the likeliest bittings needs of a Passed, weights scaled by ``scale`` logs."""

    start: Array  # (g,)
    at_once: Array  # (n, d, g) what a cut gives, its node's best depth being 1
    promise: Array  # (n, d, g) the same times the best that can follow
    scale: float
    faint: float  # bittings below this chance are not wanted


def _opened(passed: Passed, allowed: Array, wanted: int) -> _Open:
    nodes = _nodes_that_matter(passed)
    emission = passed.joint.log_emission[:, :, nodes]
    top = emission.max(axis=1)
    log_start = passed.joint.log_weight[nodes] - passed.log_total + top.sum(axis=0)
    scale = float(log_start.max())
    at_once = np.exp(emission - top[:, None, :])
    faint = max(0.0, _surely_reached(passed, allowed, wanted) - TIE) * exp(-scale)
    return _Open(np.exp(log_start - scale), at_once, _best_with_what_follows(at_once, allowed), scale, faint)


def _all_above(opened: _Open, allowed: Array) -> NDArray[np.intp] | None:
    """Every bitting that may be likelier than the faint, all beginnings at once; None when they are many."""
    begun, weights = np.zeros((1, 0), dtype=np.intp), opened.start[None, :]
    for place, promise in enumerate(opened.promise):
        likely = weights @ promise.T > opened.faint
        if place:
            likely &= allowed[begun[:, -1]] > 0
        if likely.sum() > MANY:
            return None
        before, step = np.nonzero(likely)
        weights = weights[before] * opened.at_once[place][step]
        begun = np.column_stack([begun[before], step])
    return begun


def _best_first(opened: _Open, allowed: Array, wanted: int) -> NDArray[np.intp]:
    """Best-first over beginnings; a heap entry is (-log bound, beginning, weights before its last cut).

    The rounding makes equal chances compare equal, so that ties come out shallower first.
    """
    may_follow = [np.flatnonzero(row > 0).tolist() for row in allowed]
    heap: list[tuple[float, tuple[int, ...], Array]] = [(-np.inf, (), opened.start)]
    found: list[tuple[int, ...]] = []
    worst_wanted, expanded, spaces = np.inf, 0, len(opened.at_once)
    while heap:
        key, begun, weights = heapq.heappop(heap)
        chance = exp(opened.scale - key) if begun else np.inf
        if len(found) >= wanted and (chance < worst_wanted - TIE or len(found) >= wanted + 40):
            break
        place = len(begun)
        if place:
            weights = weights * opened.at_once[place - 1, begun[-1]]
        if place == spaces:
            found.append(begun)
            worst_wanted = chance if len(found) == wanted else worst_wanted
            continue
        expanded += 1
        if expanded > MOST_EXPANDED:
            raise BeyondReach("evidence", "too little is known to say which bittings are likeliest")
        bounds = (opened.promise[place] @ weights).tolist()
        for step in may_follow[begun[-1]] if place else range(len(bounds)):
            if bounds[step] > opened.faint:
                heapq.heappush(heap, (-round(log(bounds[step]), 9), (*begun, step), weights))
    return np.array(found)
