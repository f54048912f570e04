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

    def moments(self, s: int) -> tuple[Spread, Spread]:
        """Mean and sd of source ``s``'s offset and tip wear."""
        offset, offset_square, tip, tip_square = (float(row @ self.probability) for row in self.about[s])
        return (
            Spread(offset, max(offset_square - offset**2, 0.0) ** 0.5),
            Spread(tip, max(tip_square - tip**2, 0.0) ** 0.5),
        )


def weigh_list(sources: Sequence[Weighed], bittings: NDArray[np.int8]) -> Listed:
    """Weigh every bitting of a list by every source; sources are independent given the bitting.

    Arguments: Weighed sources, ``bittings`` (b, n) steps, b at least 1. Returns a Listed.
    Raises InputError when no bitting of the list can explain the evidence at all.
    """
    log_each = np.zeros(len(bittings))
    about = []
    for source in sources:
        log_source, of_source = _weigh_source(source, bittings)
        log_each += log_source
        about.append(of_source)
    top = float(log_each.max())
    if top == -np.inf:
        raise InputError("evidence", "no allowed bitting can explain it: check each source")
    each = np.exp(log_each - top)
    depths = sources[0].log_emission.shape[1]
    return Listed(bittings, depths, each / each.sum(), top + float(np.log(each.sum())), tuple(about))


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
