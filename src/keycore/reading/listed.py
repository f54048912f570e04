"""Exact weighing one bitting at a time: for a closed list, or rules that are no chain."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from keycore.errors import InputError
from keycore.reading.chain import order_by_probability
from keycore.reading.evidence import Spread
from keycore.reading.likelihood import Array, Weighed

NUMBERS_AT_ONCE = 2_000_000
FIRST_MARGIN = 24.0  # logs below the best bound at which nodes and bittings are left out at first
SURELY_ENOUGH = 700.0
NEGLIGIBLE = 1e-7  # share of the total that what is left out may carry
LEAST = -1e290  # stands for the log of nothing where logs are subtracted
FEW = 4_000  # so many bittings are all weighed
LIKELIEST = 5
BLOCKS_OFFSET, BLOCKS_TIP = 16, 4


@dataclass(frozen=True)
class Listed:
    """The posterior over a written-out list of bittings (b, n)."""

    bittings: NDArray[np.int8]
    depths: int
    probability: Array  # (b,)
    log_total: float
    about: tuple[Array, ...]  # per source (4, b): E[offset], E[offset^2], E[tip], E[tip^2] given b

    def marginals(self) -> Array:
        """The probability of each depth at each space, (n, d)."""
        columns = [np.bincount(column, weights=self.probability, minlength=self.depths) for column in self.bittings.T]
        return np.asarray(columns)

    def likeliest(self, wanted: int) -> list[tuple[tuple[int, ...], float]]:
        """The most probable bittings, those within 1e-9 of each other shallower first."""
        if len(self.bittings) > wanted:
            worst = np.partition(self.probability, -wanted)[-wanted]
            near = np.flatnonzero(self.probability >= worst - 1e-9)
        else:
            near = np.arange(len(self.bittings))
        pairs = [(tuple(map(int, self.bittings[b])), float(self.probability[b])) for b in near]
        return order_by_probability(pairs)[:wanted]

    def chance_of(self, steps: tuple[int, ...]) -> float:
        """The probability of one whole bitting, 0 where it is not among those that matter."""
        return float(self.probability[(self.bittings == np.array(steps)).all(axis=1)].sum())

    def moments(self, s: int) -> tuple[Spread, Spread]:
        """Mean and sd of source ``s``'s offset and tip wear."""
        offset, offset_square, tip, tip_square = (float(row @ self.probability) for row in self.about[s])
        return (
            Spread(offset, max(offset_square - offset**2, 0.0) ** 0.5),
            Spread(tip, max(tip_square - tip**2, 0.0) ** 0.5),
        )

    def log_of_rank(self, rank: int) -> float:
        """The log total of the bitting of that rank, -inf when there are fewer."""
        if len(self.probability) < rank:
            return -np.inf
        chance = float(np.partition(self.probability, -rank)[-rank])
        return self.log_total + float(np.log(chance)) if chance > 0 else -np.inf


def weigh_list(sources: Sequence[Weighed], bittings: NDArray[np.int8]) -> Listed:
    """Weigh every bitting of a list by every source; sources are independent given the bitting.

    Offset nodes and bittings that cannot matter are left out by upper bounds; what was left out
    carries less than 1e-7 of the total and hides none of the likeliest. Arguments: Weighed
    sources, ``bittings`` (b, n) steps, b at least 1. Returns a Listed of the bittings kept. Raises
    InputError when no bitting of the list can explain the evidence at all.
    """
    margin = FIRST_MARGIN
    while True:
        kept_sources, log_left_out = without_faint_nodes(sources, margin)
        listed = _weigh_those_that_matter(kept_sources, bittings)
        if log_left_out <= listed.log_total + np.log(NEGLIGIBLE) or margin > SURELY_ENOUGH:
            break
        margin *= 2
    if listed.log_total == -np.inf:
        raise InputError("evidence", "no allowed bitting can explain it: check each source")
    return listed


def _weigh_those_that_matter(sources: Sequence[Weighed], bittings: NDArray[np.int8]) -> Listed:
    """Weigh the bittings with the highest bounds, then as many more as could still matter."""
    if len(bittings) <= FEW:
        return weigh_each(sources, bittings)
    bounds = _log_bounds(sources, bittings)
    order = np.argsort(-bounds, kind="stable")
    first = weigh_each(sources, bittings[order[:FEW]])
    rest = bounds[order[FEW:]]
    tail = np.logaddexp.accumulate(rest[::-1])[::-1]  # what all from here on could add at most
    matter = (tail > first.log_total + np.log(NEGLIGIBLE)) | (rest >= first.log_of_rank(LIKELIEST))
    needed = FEW + int(np.flatnonzero(matter)[-1]) + 1 if matter.any() else FEW
    kept = np.sort(order[:needed])  # the list's own order
    return first if needed == FEW and first.log_total == -np.inf else weigh_each(sources, bittings[kept])


def log_weights(source: Weighed) -> Array:
    """The most each node can give to any bitting, (g,) logs. Raises nothing."""
    return np.asarray(source.log_prior + np.maximum(source.log_emission.max(axis=1), LEAST).sum(axis=0))


def log_totals(source: Weighed) -> Array:
    """What each node gives to all bittings together, rules ignored, (g,) logs. Raises nothing."""
    top = np.maximum(source.log_emission.max(axis=1), LEAST)
    sums = np.exp(source.log_emission - top[:, None, :]).sum(axis=1)
    with np.errstate(divide="ignore"):
        return np.asarray(source.log_prior + (top + np.log(sums)).sum(axis=0))


def without_faint_nodes(sources: Sequence[Weighed], margin: float) -> tuple[list[Weighed], float]:
    """The sources without the nodes that can hardly matter, and a bound of what those could have added.

    Arguments: Weighed sources, ``margin`` in logs below a source's best node. Returns the sources with
    fewer nodes and the log of the bound. Raises nothing.
    """
    totals = [log_totals(source) for source in sources]
    whole = [log_sum(logs) for logs in totals]
    kept, log_left = [], -np.inf
    for source, logs, log_whole in zip(sources, totals, whole, strict=True):
        keep = logs >= logs.max() - margin
        kept.append(
            Weighed(source.log_prior[keep], source.log_emission[:, :, keep], source.offset[keep], source.tip[keep])
        )
        if not keep.all():
            log_left = float(np.logaddexp(log_left, log_sum(logs[~keep]) + sum(whole) - log_whole))
    return kept, log_left


def _log_bounds(sources: Sequence[Weighed], bittings: NDArray[np.int8]) -> Array:
    """An upper bound of each bitting's log total: in each block of nodes, every cut at the one that likes it best."""
    bounds = np.zeros(len(bittings))
    for source in sources:
        weights, top = log_weights(source), source.log_emission.max(axis=1)
        relative = source.log_emission - top[:, None, :]
        peak, summed = float(weights.max()), np.zeros(len(bittings))
        for block in _blocks(source):
            best = relative[:, :, block].max(axis=2)
            of_block = np.full(len(bittings), log_sum(weights[block]) - peak)
            for place, column in enumerate(bittings.T):
                of_block += best[place, column]
            summed += np.exp(of_block)
        with np.errstate(divide="ignore"):
            bounds += peak + np.log(summed)
    return bounds


def _blocks(source: Weighed) -> list[NDArray[np.intp]]:
    """The nodes in blocks of like offset and tip wear, so that one bound serves a block well."""
    cells = [_cells(source.offset, BLOCKS_OFFSET), _cells(source.tip, BLOCKS_TIP)]
    _, block = np.unique(cells[0] * BLOCKS_TIP + cells[1], return_inverse=True)
    return [np.flatnonzero(block == b) for b in range(int(block.max()) + 1)]


def _cells(numbers: Array, count: int) -> NDArray[np.intp]:
    low, span = float(numbers.min()), float(np.ptp(numbers))
    if span == 0:
        return np.zeros(len(numbers), dtype=np.intp)
    return np.minimum((numbers - low) / span * count, count - 1).astype(np.intp)


def log_sum(logs: Array) -> float:
    """The log of a sum of exponentials, -inf of none. Raises nothing."""
    top = float(logs.max(initial=-np.inf))
    return top if top == -np.inf else top + float(np.log(np.exp(logs - top).sum()))


def weigh_each(sources: Sequence[Weighed], bittings: NDArray[np.int8]) -> Listed:
    """Weigh each bitting of a short list by each source. Arguments and answer as ``weigh_list``; raises nothing."""
    log_each = np.zeros(len(bittings))
    about = []
    for source in sources:
        log_source, of_source = _weigh_source(source, bittings)
        log_each += log_source
        about.append(of_source)
    depths = sources[0].log_emission.shape[1]
    log_total = log_sum(log_each)
    chances = np.exp(log_each - log_total) if log_total > -np.inf else np.zeros(len(bittings))
    return Listed(bittings, depths, chances, log_total, tuple(about))


def _weigh_source(source: Weighed, bittings: NDArray[np.int8]) -> tuple[Array, Array]:
    nodes = len(source.log_prior)
    quantities = np.stack([source.offset, source.offset**2, source.tip, source.tip**2])
    log_source, about = np.empty(len(bittings)), np.zeros((4, len(bittings)))
    at_once = max(1, NUMBERS_AT_ONCE // nodes)
    for begin in range(0, len(bittings), at_once):
        part = slice(begin, begin + at_once)
        logs = source.log_prior[:, None] + sum(
            source.log_emission[place, column].T for place, column in enumerate(bittings[part].T)
        )
        top = np.maximum(logs.max(axis=0), -1e290)
        shares = np.exp(logs - top)
        totals = shares.sum(axis=0)
        with np.errstate(divide="ignore", invalid="ignore"):
            log_source[part] = top + np.log(totals)
            about[:, part] = np.where(totals > 0, (quantities @ shares) / totals, 0.0)
    return log_source, about
