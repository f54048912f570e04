"""Exact weighing from a bitting's prefixes, for several instruments or rules that are no chain.

Given the bitting, sources know nothing of each other, so each keeps its own grid of offsets and
their grids need never be multiplied. Prefixes grow cut by cut. What a prefix can still become
is bounded from above, and one that cannot matter is dropped; the bounds of all that were dropped
are added up and held under a share of the total that was found.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from math import log

import numpy as np
from numpy.typing import NDArray

from keycore.budget import EXP, Budget
from keycore.errors import InputError
from keycore.reading.elimination import UNEXPLAINED
from keycore.reading.grid import Weighed
from keycore.reading.likelihood import LEAST, Array, Ties
from keycore.reading.listed import Bittings, Listed, weigh_list

NEGLIGIBLE = (1e-5, 4e-5)  # share of the total that dropped prefixes may hold: as wished, and at most
LIKELIEST = 5  # nothing likelier than the last of these is ever dropped
FIRST_PREFIXES = 64  # kept at each cut when the first guess at the total is made
FAINT = 1e-10  # of the total: so little that tens of thousands of them carry next to nothing
ROUNDING = 1e-6  # logs: a bound and what it bounds are worked out in different orders
NEAR = 1e-3  # logs: the first guess at the total holds some that are then dropped
HOPELESS = 1_400.0  # logs below the best bound beyond which nothing is a sum any more

Keeps = Callable[[Bittings], NDArray[np.bool_]]
"""Which of some whole bittings (b, n) keep the rules that are no chain."""


@dataclass(frozen=True)
class Bound:
    """One source made ready: per node what a cut gives and the most, or the sum, that may follow it."""

    start: Array  # (g,) weight of each node, scaled so that the greatest is 1
    log_scale: float
    cut: Array  # (n, d, g) what a cut gives, the node's best depth being 1
    ahead: Array  # (n, d, g) the cut and what may follow it: the best of it, or all of it

    def grow(self, weights: Array, place: int, parents: NDArray[np.intp], depths: NDArray[np.intp]) -> Array:
        """The weights (b, g) of prefixes once a cut is added to each."""
        return np.asarray(weights[parents] * self.cut[place][depths])


@dataclass(frozen=True)
class _Blank:
    """What is grown from: the sources made ready, what may stand beside what, and the ties of compared spaces.

    ``back`` says for each space which earlier ones it is tied to, and by what log table, its rows no more than 0;
    ``own`` (n, d) is what was taken out of the rows, given with the earlier space.
    """

    bounds: tuple[Bound, ...]
    allowed: Array
    back: tuple[tuple[tuple[int, Array], ...], ...]
    own: Array

    @classmethod
    def of(cls, sources: Sequence[Weighed], allowed: Array, ties: Ties) -> _Blank:
        spaces, depths, _ = sources[0].log_emission.shape
        back: list[list[tuple[int, Array]]] = [[] for _ in range(spaces)]
        own = np.zeros((spaces, depths))
        for (a, b), table in ties.items():
            most = np.maximum(table.max(axis=1), LEAST)
            back[b].append((a, table - most[:, None]))
            own[a] += most
        bounds = tuple(_bound(source, allowed, whole=place == 0) for place, source in enumerate(sources))
        return cls(bounds, allowed, tuple(map(tuple, back)), own)

    @property
    def nodes(self) -> int:
        return sum(bound.start.size for bound in self.bounds)


@dataclass(frozen=True)
class _Grown:
    """Some prefixes (b, i), what each source gives them (b, g), and what ties give them (b,) in logs."""

    steps: Bittings
    weights: tuple[Array, ...]
    log_ties: Array


def weigh_prefixes(
    sources: Sequence[Weighed], allowed: Array, keeps: Keeps | None, ties: Ties, budget: Budget
) -> Listed | None:
    """Weigh every bitting that can matter, exactly; the rest can hold less than 4e-5 of the total.

    Arguments: Weighed sources of one track, those without an offset put into one of them; ``allowed`` (d, d) which
    depth may follow which; ``keeps`` the rules that are no chain, if any; ``ties`` of compared spaces in logs; a
    Budget. Returns a Listed of the bittings that matter, the five likeliest among them for certain; None when more
    prefixes matter than the budget allows (too little was seen). Raises InputError when nothing allowed explains what
    was seen.

    >>> from keycore.reading.grid import without_offset
    >>> seen = without_offset(np.log(np.array([[0.9, 0.1], [0.2, 0.8]])))
    >>> found = weigh_prefixes([seen, seen], np.ones((2, 2)), None, {}, Budget())
    >>> found.likeliest(1)[0][0], round(found.likeliest(1)[0][1], 3)
    ((0, 1), 0.93)
    """
    if any(np.isneginf(source.log_emission.max(axis=(1, 2))).any() for source in sources):
        raise InputError("evidence", UNEXPLAINED)
    spaces, depths, _ = sources[0].log_emission.shape
    made_ready = spaces * depths * depths * sum(len(source.log_prior) for source in sources)
    if not budget.allows(made_ready, made_ready / 4):
        return None
    budget.work -= made_ready
    blank = _Blank.of(sources, allowed, ties)
    best = sum(bound.log_scale for bound in blank.bounds)
    first = _first_guess(blank, keeps, sources, ties, budget)
    if first is None:
        return None
    log_total, fifth = first
    while log_total > best - HOPELESS:
        grown = _grow_within(blank, log_total, fifth, budget)
        if grown is None:
            return None
        kept = grown if keeps is None else grown[keeps(grown)]
        if len(kept):
            listed = weigh_list(sources, kept, ties, budget)
            if listed.log_total >= log_total - NEAR:
                return _without_faint(listed)
        log_total, fifth = log_total - 30.0, -np.inf
    raise InputError("evidence", UNEXPLAINED)


def _without_faint(listed: Listed) -> Listed:
    """Only bittings whose share is not next to nothing, and the five likeliest in any case."""
    share = listed.probability
    if len(share) <= LIKELIEST:
        return listed
    keep = share >= min(FAINT, float(np.partition(share, -LIKELIEST)[-LIKELIEST]))
    return replace(
        listed, bittings=listed.bittings[keep], probability=share[keep],
        log_of_source=tuple(each[keep] for each in listed.log_of_source),
    )  # fmt: skip


def _bound(source: Weighed, allowed: Array, *, whole: bool) -> Bound:
    """Bounds of what may follow: summed for one source, the best alone for all others.

    The sum of products is at most the sum of one factor times the greatest of each of the rest.
    """
    top = np.maximum(source.log_emission.max(axis=1), LEAST)
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
    return Bound(np.exp(weights - scale), scale, cut, ahead)


def _first_guess(
    blank: _Blank, keeps: Keeps | None, sources: Sequence[Weighed], ties: Ties, budget: Budget
) -> tuple[float, float] | None:
    """The log total of the likeliest few, and the log of the fifth of them: both from below."""
    grown = _nothing(blank)
    for place in range(len(blank.bounds[0].cut)):
        found = _next(blank, grown, place, budget)
        if found is None:
            return None
        parents, depths, bounds, log_ties = found
        best = np.argsort(-bounds, kind="stable")[:FIRST_PREFIXES]
        grown = _extend(blank, grown, place, parents[best], depths[best], log_ties[best])
    kept = grown.steps if keeps is None else grown.steps[keeps(grown.steps)]
    if not len(kept):
        return sum(p.log_scale for p in blank.bounds) - 30.0, -np.inf
    listed = weigh_list(sources, kept, ties, budget)
    return listed.log_total, listed.log_of_rank(LIKELIEST)


def _grow_within(blank: _Blank, log_total: float, fifth: float, budget: Budget) -> Bittings | None:
    """All that matters as closely as is wished, or as closely as can be afforded; None where neither can be."""
    part = budget.part(0.5)
    grown = _grow(blank, log_total + log(NEGLIGIBLE[0]), fifth, part)
    budget.give_back(part)
    return _grow(blank, log_total + log(NEGLIGIBLE[1]), fifth, budget) if grown is None else grown


def _grow(blank: _Blank, log_spare: float, fifth: float, budget: Budget) -> Bittings | None:
    """Every bitting but those that can hold less than ``fifth`` and all together no more than ``log_spare``."""
    grown, spaces = _nothing(blank), len(blank.bounds[0].cut)
    for place in range(spaces):
        found = _next(blank, grown, place, budget)
        if found is None:
            return None
        parents, depths, bounds, log_ties = found
        order = np.argsort(bounds, kind="stable")
        together = np.logaddexp.accumulate(bounds[order]) if len(order) else bounds
        spared = (together <= log_spare - log(spaces)) & (bounds[order] < fifth - ROUNDING)
        kept = np.sort(order[int(np.argmin(spared)) if not spared.all() else len(order) :])
        numbers = float(len(kept)) * (blank.nodes + blank.bounds[0].cut.shape[1] + 4)
        if not budget.allows(3 * numbers, 2 * numbers):
            return None
        budget.work -= 3 * numbers
        grown = _extend(blank, grown, place, parents[kept], depths[kept], log_ties[kept])
    return grown.steps[np.lexsort(grown.steps.T[::-1])]


def _nothing(blank: _Blank) -> _Grown:
    start = tuple(bound.start[None, :] for bound in blank.bounds)
    return _Grown(np.zeros((1, 0), dtype=np.int8), start, np.zeros(1))


def _next(
    blank: _Blank, grown: _Grown, place: int, budget: Budget
) -> tuple[NDArray[np.intp], NDArray[np.intp], Array, Array] | None:
    """Each prefix with each depth that may follow: whose it is, the depth, the log of its bound, its ties."""
    depths = blank.bounds[0].cut.shape[1]
    extensions = float(len(grown.steps)) * depths
    work = extensions * (blank.nodes + EXP * len(blank.bounds))
    if not budget.allows(work, 6 * extensions):
        return None
    budget.work -= work
    log_ties = grown.log_ties[:, None] + blank.own[place]
    for a, table in blank.back[place]:
        log_ties = log_ties + table[grown.steps[:, a]]
    bounds = log_ties + sum(p.log_scale for p in blank.bounds)
    with np.errstate(divide="ignore"):
        for bound, weight in zip(blank.bounds, grown.weights, strict=True):
            bounds += np.log(weight @ bound.ahead[place].T)
    may = blank.allowed[grown.steps[:, -1]] > 0 if place else np.ones_like(bounds, dtype=bool)
    parents, steps = np.nonzero(may & (bounds > -np.inf))
    return parents, steps, bounds[parents, steps], log_ties[parents, steps]


def _extend(
    blank: _Blank, grown: _Grown, place: int, parents: NDArray[np.intp], depths: NDArray[np.intp], log_ties: Array
) -> _Grown:
    longer = np.column_stack([grown.steps[parents], depths.astype(np.int8)])
    weights = tuple(
        p.grow(w, place, parents, depths) for p, w in zip(blank.bounds, grown.weights, strict=True)
    )  # fmt: skip
    return _Grown(longer, weights, log_ties)
