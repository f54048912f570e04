"""Exact weighing one bitting at a time: for a closed list, few bittings, or rules that are no chain."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from keycore.budget import EXP, Budget
from keycore.errors import InputError
from keycore.logs import log_sum, log_sums
from keycore.reading.elimination import UNEXPLAINED, order_by_probability
from keycore.reading.evidence import Spread
from keycore.reading.grid import Weighed
from keycore.reading.likelihood import LEAST, Array, Ties

NUMBERS_AT_ONCE = 2_000_000
FAR_BELOW = 500.0  # logs below the best bound beyond which products are taken as sums of logs
LARGEST_NUMBER = 2**62  # steps of a half are told apart by one whole number where they fit
MOST_KEPT = 60_000  # a list so long is weighed again for each source that is turned round
FAINT = 1e-9  # a bitting less likely than this moves no mean
TOO_MANY = "too many bittings are open to be weighed one by one"

Bittings = NDArray[np.int8]


@dataclass
class Halves:
    """One source and a list of bittings cut in two, so that what many begin or end with is worked out once.

    ``begin`` (p, g) and ``end`` (q, g) are what each first and second half gives at each node, the node's best
    being 1; ``begins`` and ``ends`` (b,) say which halves a bitting has.
    """

    source: Weighed
    begin: Array
    end: Array
    begins: NDArray[np.intp]
    ends: NDArray[np.intp]
    log_start: Array  # (g,)

    def log_each(self) -> Array:
        """What each bitting gets, offsets summed over: (b,) logs."""
        scale = float(self.log_start.max())
        weights = np.exp(self.log_start - scale)
        with np.errstate(divide="ignore"):
            if self._is_dense:
                return np.asarray(scale + np.log((self.begin * weights) @ self.end.T)[self.begins, self.ends])
            found = np.empty(len(self.begins))
            for part in self._parts():
                rows = self.begin[self.begins[part]] * self.end[self.ends[part]]
                found[part] = rows @ weights
            return scale + np.log(found)

    def node_share(self, share: Array) -> Array:
        """The posterior probability of each node, from ``share`` (b,): probability over ``exp(log_each)``."""
        total = np.zeros(len(self.log_start))
        if self._is_dense:
            table = np.zeros((len(self.begin), len(self.end)))
            table[self.begins, self.ends] = share
            total = (self.begin * (table @ self.end)).sum(axis=0)
        else:
            for part in self._parts():
                total += share[part] @ (self.begin[self.begins[part]] * self.end[self.ends[part]])
        weights = np.exp(self.log_start - self.log_start.max())
        return np.asarray(total * weights / max(float(total @ weights), 1e-300))

    @property
    def _is_dense(self) -> bool:
        return len(self.begin) * len(self.end) <= 4 * len(self.begins) + 4_000

    def _parts(self) -> list[slice]:
        at_once = max(1, NUMBERS_AT_ONCE // len(self.log_start))
        return [slice(begin, begin + at_once) for begin in range(0, len(self.begins), at_once)]


@dataclass(frozen=True)
class Listed:
    """The posterior over a written-out list of bittings (b, n)."""

    bittings: Bittings
    depths: int
    probability: Array  # (b,)
    log_total: float
    log_of_source: tuple[Array, ...]  # per source (b,)
    sources: tuple[Weighed, ...]

    def marginals(self) -> Array:
        """The probability of each depth at each space, (n, d)."""
        columns = [np.bincount(column, weights=self.probability, minlength=self.depths) for column in self.bittings.T]
        return np.asarray(columns)

    def likeliest(self, wanted: int) -> list[tuple[tuple[int, ...], float]]:
        """The most probable bittings, those within 1e-9 of each other shallower first."""
        if len(self.bittings) > wanted:
            worst = np.partition(self.probability, -wanted)[-wanted]
            near = np.flatnonzero(self.probability >= worst - 1e-9)
            if len(near) > 100 * wanted:  # a multitude alike: the list's own order has the shallower first
                near = near[np.lexsort((near, -np.round(self.probability[near], 9)))[: 100 * wanted]]
        else:
            near = np.arange(len(self.bittings))
        pairs = [(tuple(map(int, self.bittings[b])), float(self.probability[b])) for b in near]
        return order_by_probability(pairs)[:wanted]

    def chance_of(self, steps: tuple[int, ...]) -> float:
        """The probability of one whole bitting, 0 where it is not among those that matter."""
        return float(self.probability[(self.bittings == np.array(steps)).all(axis=1)].sum())

    def moments(self, s: int) -> tuple[Spread, Spread]:
        """Mean and sd of source ``s``'s offset and tip wear."""
        log_own = self.log_of_source[s]
        matters = self.probability > 0
        share = np.where(matters, np.exp(np.where(matters, log_own.max() - log_own, 0.0).clip(max=700.0)), 0.0)
        weights = halve(self.sources[s], self.bittings).node_share(self.probability * share)
        if not weights.any():
            weights = self._node_share_by_logs(s)
        return _spread(self.sources[s].offset, weights), _spread(self.sources[s].tip, weights)

    def _node_share_by_logs(self, s: int) -> Array:
        """The posterior of source ``s``'s nodes where products come to nothing, one bitting that matters at a time."""
        source, total = self.sources[s], np.zeros(len(self.sources[s].log_prior))
        for b in np.flatnonzero(self.probability > FAINT):
            logs = source.log_prior + sum(source.log_emission[i, step] for i, step in enumerate(self.bittings[b]))
            total += self.probability[b] * np.exp(logs - log_sum(logs))
        return np.asarray(total / total.sum())

    def log_of_rank(self, rank: int) -> float:
        """The log total of the bitting of that rank, -inf when there are fewer."""
        if len(self.probability) < rank:
            return -np.inf
        chance = float(np.partition(self.probability, -rank)[-rank])
        return self.log_total + float(np.log(chance)) if chance > 0 else -np.inf


def _spread(values: Array, weights: Array) -> Spread:
    mean = float(values @ weights)
    return Spread(mean, max(float(np.square(values - mean) @ weights), 0.0) ** 0.5)


def halve(source: Weighed, bittings: Bittings) -> Halves:
    """Cut a list of ``bittings`` (b, n) in two for one source. Raises nothing."""
    top = np.maximum(source.log_emission.max(axis=1), LEAST)
    cut = np.exp(source.log_emission - top[:, None, :])
    middle = max(1, bittings.shape[1] // 2)
    begin, begins = _products(cut[:middle], bittings[:, :middle])
    end, ends = _products(cut[middle:], bittings[:, middle:])
    return Halves(source, begin, end, begins, ends, source.log_prior + top.sum(axis=0))


def _products(cut: Array, steps: Bittings) -> tuple[Array, NDArray[np.intp]]:
    if not steps.shape[1]:
        return np.ones((1, cut.shape[2])), np.zeros(len(steps), dtype=np.intp)
    different, which = _different(steps, cut.shape[1])
    product = cut[0][different[:, 0]]
    for place in range(1, steps.shape[1]):
        product = product * cut[place][different[:, place]]
    return product, which


def _different(steps: Bittings, depths: int) -> tuple[Bittings, NDArray[np.intp]]:
    """The different rows of (b, n) steps, and which of them each row is."""
    if depths ** steps.shape[1] > LARGEST_NUMBER:
        different, which = np.unique(steps, axis=0, return_inverse=True)
        return different, which.ravel()
    numbers = steps.astype(np.int64) @ (depths ** np.arange(steps.shape[1], dtype=np.int64))
    _, first, which = np.unique(numbers, return_index=True, return_inverse=True)
    return steps[first], which


def weigh_list(sources: Sequence[Weighed], bittings: Bittings, ties: Ties, budget: Budget) -> Listed:
    """Weigh every bitting of a list by every source; sources are independent given the bitting.

    Arguments: Weighed sources, ``bittings`` (b, n) steps in lexicographic order, b at least 1; ``ties`` of
    compared spaces; a Budget. Returns a Listed. Raises InputError when no bitting of the list can explain the
    evidence at all, BeyondReach where that costs more than the budget.

    >>> from keycore.reading.grid import without_offset
    >>> seen = without_offset(np.log(np.array([[0.9, 0.1], [0.2, 0.8]])))
    >>> found = weigh_list([seen], np.array([[0, 1], [1, 0]], dtype=np.int8), {}, Budget())
    >>> found.probability.round(3).tolist()
    [0.973, 0.027]
    """
    log_ties = log_of_ties(bittings, ties)
    each = tuple(log_of_each(source, bittings, budget) for source in sources)
    log_each = np.asarray(sum(each, start=log_ties))
    log_total = log_sum(log_each) if len(log_each) else -np.inf
    best = sum(source.log_most for source in sources)
    if log_total < best - FAR_BELOW:
        each = tuple(_by_logs(source, bittings, budget) for source in sources)
        log_each = np.asarray(sum(each, start=log_ties))
        log_total = log_sum(log_each)
    if log_total == -np.inf:
        raise InputError("evidence", UNEXPLAINED)
    depths = sources[0].log_emission.shape[1]
    return Listed(bittings, depths, np.exp(log_each - log_total), log_total, each, tuple(sources))


def log_of_ties(bittings: Bittings, ties: Ties) -> Array:
    """What comparisons, ``ties``, give to each of ``bittings`` (b, n), (b,) logs. Raises nothing."""
    found = np.zeros(len(bittings))
    for (a, b), table in ties.items():
        found += table[bittings[:, a], bittings[:, b]]
    return found


def log_of_each(source: Weighed, bittings: Bittings, budget: Budget) -> Array:
    """What one source gives to each of ``bittings`` (b, n), its offset summed over: (b,) logs. Raises BeyondReach."""
    if id(bittings) in source.kept:  # the list itself is kept with what was worked out, so that its id stays its own
        return source.kept[id(bittings)][1]
    nodes, count = len(source.log_prior), len(bittings)
    depths = source.log_emission.shape[1]
    halves = float(depths) ** ((bittings.shape[1] + 1) // 2)
    halves = min(halves, count) * nodes
    dense = min(float(depths) ** bittings.shape[1], 4 * count + 4_000)
    budget.take(
        12 * halves + min(dense, 3 * count) * nodes + 20 * EXP * count, 3 * halves + dense, "evidence", TOO_MANY
    )
    found = halve(source, bittings).log_each()
    if count <= MOST_KEPT:
        source.kept[id(bittings)] = (bittings, found)
    return found


def _by_logs(source: Weighed, bittings: Bittings, budget: Budget) -> Array:
    """The same where products would come to nothing: sums of logs, slower."""
    nodes, found = len(source.log_prior), np.empty(len(bittings))
    budget.take(float(nodes) * len(bittings) * (2 * EXP + bittings.shape[1]), 0, "evidence", TOO_MANY)
    at_once = max(1, NUMBERS_AT_ONCE // nodes)
    for begin in range(0, len(bittings), at_once):
        part = slice(begin, begin + at_once)
        logs = source.log_prior[:, None] + sum(
            source.log_emission[place, column].T for place, column in enumerate(bittings[part].T)
        )
        found[part] = log_sums(np.maximum(logs, LEAST), 0)
    return np.where(found <= LEAST / 2, -np.inf, found)
