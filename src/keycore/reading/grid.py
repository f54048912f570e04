"""The grid of an unknown offset and its tip wear: as fine as the readings, as far as they ask, no more than matters."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from math import log, pi, sqrt
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.special import log_ndtr

from keycore.budget import Budget
from keycore.family import Family, Track
from keycore.logs import log_sum, log_sums
from keycore.reading.evidence import Instrument, Rounded, Spread
from keycore.reading.likelihood import (
    LEAST,
    Array,
    entries_of,
    log_emission_of,
    price_of,
    range_of_strays,
    ways_off,
)

NODE_SPACING = 1.2  # of the narrowest width in the integrand; see _nodes
NUMBERS_AT_ONCE = 400_000  # of a table over nodes, worked out at once
CELL_WIDTH = 1.2  # cells are so many nodes wide times the root of the readings: as wide as a reading's own sd
TOO_FINE = "too small beside the offset's sd to be weighed exactly"


@dataclass(frozen=True, slots=True)
class Aim:
    """How far the grid of an offset reaches, and which of its nodes are kept.

    ``reach`` in prior standard deviations; ``log_margin`` below the best node. What is left out either way is
    bounded in ``Weighed.log_unseen``; where that bound is not next to nothing a wider aim is taken.
    """

    reach: float = 9.0
    log_margin: float = 28.0


@dataclass(frozen=True, slots=True)
class _Look:
    aim: Aim
    budget: Budget


@dataclass(frozen=True)
class Weighed:
    """The log-likelihoods of all sources that share an offset, over a grid of it and of its tip wear.

    ``log_prior`` (g,) are log weights of the nodes; ``log_emission`` (n, d, g) the log
    probability of what was seen at each space for each depth; ``offset`` and ``tip`` (g,) the
    node's offset and tip wear in family units. Nodes come last so that sums over depths run
    along whole rows of memory. ``log_outside`` and ``log_faint`` bound what all bittings together could
    get, with the plain sources, from offsets beyond the grid and from nodes that were left out.
    """

    log_prior: Array
    log_emission: Array
    offset: Array
    tip: Array
    log_outside: float = -np.inf
    log_faint: float = -np.inf
    kept: dict[int, tuple[NDArray[np.int8], Array]] = field(default_factory=dict, repr=False, compare=False)

    @property
    def log_unseen(self) -> float:
        """A bound of all that was not looked at."""
        return float(np.logaddexp(self.log_outside, self.log_faint))

    @cached_property
    def log_most(self) -> float:
        """The most that any bitting can get."""
        return log_sum(self.log_prior + np.maximum(self.log_emission.max(axis=1), LEAST).sum(axis=0))

    @cached_property
    def log_all(self) -> float:
        """What all bittings together get, rules aside."""
        return log_sum(_log_totals(self.log_prior, self.log_emission))


def without_offset(log_table: Array) -> Weighed:
    """``log_table``, log probabilities (n, d), as a grid of one node. Raises nothing."""
    zero = np.zeros(1)
    return Weighed(zero, log_table[:, :, None], zero, zero)


def weigh_offset(
    members: Sequence[Instrument],
    family: Family,
    track: Track,
    stray: float,
    *,
    plain: Array | None = None,
    aim: Aim | None = None,
    budget: Budget | None = None,
) -> Weighed:
    """Turn sources that share an offset into likelihoods over a grid of it.

    Nodes are worked out in parts, and only those kept that can matter beside the best one once the ``plain``
    sources, log probabilities (n, d), have had their say. The grid is even, finer than the narrowest curve, and
    reaches as far as the evidence asks for: at first 9 prior standard deviations, further where the
    bound of what lies outside is not next to nothing beside what lies inside.

    Arguments: ``members`` measured or rounded in the family's own order, (n,) each, at least one; their family and
    track; ``stray`` the chance in [0, 1) that a single reading is plain wrong; an Aim; a Budget. Returns a Weighed.
    Raises BeyondReach when the grid would cost more than the budget (an sd absurdly small beside its offset's).

    >>> from keycore.documents.family import read_family
    >>> from keycore.reading.evidence import Measured
    >>> five = read_family("harbour-five")
    >>> far = Measured((0.2,) * 5, (0.001,) * 5, Spread(0.0, 0.001))  # 26 thou below the deepest
    >>> found = weigh_offset([far], five, five.tracks[0], 0.0)
    >>> likeliest = (found.log_prior + found.log_emission.max(axis=1).sum(axis=0)).argmax()
    >>> round(float(found.offset[likeliest]), 3)
    -0.022
    """
    budget = budget or Budget()
    aim = aim or Aim()
    u = np.array(family.towards_tip(track))
    table = np.zeros((len(track.spaces), len(track.depths))) if plain is None else plain
    while True:
        found = _on_grid(members, u, track, stray, table, _Look(aim, budget))
        inside = log_sum(_log_totals(found.log_prior, found.log_emission + table[:, :, None]))
        if inside == -np.inf or found.log_outside - inside <= log(1e-9):
            return found
        short = found.log_outside - inside
        aim = wider(aim, short)


def wider(aim: Aim, log_short: float) -> Aim:
    """An Aim beyond which ``log_short`` less, in logs, lies. Raises nothing.

    >>> wider(Aim(9.0, 45.0), 40.0).reach > 12
    True
    """
    return Aim(sqrt(aim.reach**2 + 2 * (max(log_short, 0.0) + 25.0)), aim.log_margin)


def _on_grid(members: Sequence[Instrument], u: Array, track: Track, stray: float, plain: Array, look: _Look) -> Weighed:
    """The nodes that matter, found by cells of many: a cell whose bound cannot matter is never looked into."""
    aim, budget = look.aim, look.budget
    offset_spread, tip_spread = members[0].offset, members[0].tip or Spread(0.0, 0.0)
    precision = sum((_precision(source, track) for source in members), start=np.zeros(len(u)))
    offsets = _nodes(offset_spread, float(precision.sum()), aim.reach, budget)
    tips = _nodes(tip_spread, float((precision * u * u).sum()), aim.reach, budget)
    log_outside = _log_tail(aim.reach, (offset_spread.sd > 0) + (tip_spread.sd > 0))
    if log_outside > -np.inf:
        log_outside += float(_log_highest(members, track, stray, plain).sum())
    side = max(2, round(CELL_WIDTH * sqrt(np.count_nonzero(precision) or 1)))
    spaces, depths = plain.shape
    cost = float(spaces * depths) * sum(price_of(source) for source in members)
    count = float(-(-len(offsets[0]) // side)) * -(-len(tips[0]) // side)
    budget.take(count * cost, 8 * count, "sd", TOO_FINE)
    cells = _Cells.of(offsets, tips, side)
    bounds = _in_parts(
        cells.count,
        spaces * depths,
        lambda part: _log_totals(
            cells.log_prior[part],
            log_emission_of(members, track, stray, *cells.centres(part), u, slack=cells.slack(u)) + plain[:, :, None],
        ),
    )
    order = np.argsort(-bounds, kind="stable")
    best, done = -np.inf, 0
    kept: list[tuple[Any, ...]] = []
    at_once = max(1, NUMBERS_AT_ONCE // 4 // (spaces * depths * side * side))
    while done < len(order) and bounds[order[done]] >= best - aim.log_margin:
        some = order[done : done + at_once]
        shift, tilt, log_prior = cells.nodes(some)
        held = sum(each[1].size for each in kept)
        budget.take(len(shift) * cost, 2.5 * held + 4 * len(shift) * spaces * depths, "sd", TOO_FINE)
        log_emission = log_emission_of(members, track, stray, shift, tilt, u)
        totals = _log_totals(log_prior, log_emission + plain[:, :, None])
        best = max(best, float(totals.max()))
        keep = totals >= best - aim.log_margin
        faint = log_sum(totals[~keep])
        kept.append((log_prior[keep], log_emission[:, :, keep], shift[keep], tilt[keep], totals[keep], faint))
        done += len(some)
    log_faint = log_sum(np.array([log_sum(bounds[order[done:]]), *(each[-1] for each in kept)]))
    log_prior, log_emission, shift, tilt, totals = (
        np.concatenate([each[part] for each in kept], axis=-1) for part in range(5)
    )
    kept.clear()
    keep = totals >= best - aim.log_margin
    log_faint = float(np.logaddexp(log_faint, log_sum(totals[~keep])))
    return Weighed(log_prior[keep], log_emission[:, :, keep], shift[keep], tilt[keep], log_outside, log_faint)


Nodes = tuple[Array, Array]
"""Where the nodes of one unknown lie, and the logs of their weights."""


@dataclass(frozen=True)
class _Cells:
    """The nodes of two unknowns in cells of ``side`` by ``side``, every cell as wide."""

    offsets: Nodes
    tips: Nodes
    side: int
    log_prior: Array  # (c,) of all nodes of a cell together

    @classmethod
    def of(cls, offsets: Nodes, tips: Nodes, side: int) -> _Cells:
        rows, columns = (np.logaddexp.reduceat(logs, np.arange(0, len(logs), side)) for _, logs in (offsets, tips))
        return cls(offsets, tips, side, (rows[:, None] + columns[None, :]).ravel())

    @property
    def count(self) -> int:
        return len(self.log_prior)

    @property
    def _columns(self) -> int:
        return -(-len(self.tips[0]) // self.side)

    def centres(self, part: slice) -> tuple[Array, Array]:
        """Offset and tip wear in the middle of each cell; the last may lie half outside."""
        row, column = np.divmod(np.arange(self.count)[part], self._columns)
        return self._middle(self.offsets[0], row), self._middle(self.tips[0], column)

    def _middle(self, nodes: Array, which: NDArray[np.intp]) -> Array:
        return np.asarray(nodes[which * self.side] + (self.side - 1) / 2 * _spacing(nodes))

    def slack(self, u: Array) -> Array:
        """How far a node of a cell may move what is expected of each space from its middle, (n,)."""
        half = (self.side - 1) / 2
        return np.asarray(half * _spacing(self.offsets[0]) + np.abs(u) * half * _spacing(self.tips[0])) * (1 + 1e-9)

    def nodes(self, some: NDArray[np.intp]) -> tuple[Array, Array, Array]:
        """Offset, tip wear and log weight of every node of some cells."""
        row, column = np.divmod(some, self._columns)
        within = np.arange(self.side)
        i = (row[:, None] * self.side + within)[:, :, None] + np.zeros(self.side, dtype=np.intp)
        j = (column[:, None] * self.side + within)[:, None, :] + np.zeros((self.side, 1), dtype=np.intp)
        inside = (i < len(self.offsets[0])) & (j < len(self.tips[0]))
        i, j = i[inside], j[inside]
        return self.offsets[0][i], self.tips[0][j], self.offsets[1][i] + self.tips[1][j]


def _spacing(nodes: Array) -> float:
    return float(nodes[1] - nodes[0]) if len(nodes) > 1 else 0.0


def _in_parts(count: int, numbers: int, of_part: Callable[[slice], Array]) -> Array:
    at_once = max(1, NUMBERS_AT_ONCE // numbers)
    return np.concatenate([of_part(slice(begin, begin + at_once)) for begin in range(0, count, at_once)])


def _precision(source: Instrument, track: Track) -> Array:
    """How finely each space of a source tells the offset, (n,); a label of one depth alone tells nothing."""
    if isinstance(source, Rounded) and len(track.depths) == 1:
        return np.zeros(len(source.steps))
    return np.where([entry is not None for entry in entries_of(source)], 1.0 / np.square(np.array(source.sd)), 0.0)


def _nodes(spread: Spread, precision: float, reach: float, budget: Budget) -> Nodes:
    """Even nodes fine enough for the trapezoid rule to be exact to about 2e-6, and the logs of their weights.

    The integrand is a sum of products of normal curves; the narrowest has precision
    ``precision + 1/sd**2``. On a step of c widths the rule errs by 2 exp(-2 pi**2 / c**2)
    (Poisson summation; Trefethen and Weideman, SIAM Review 56 (2014), section 5). Tying the
    step to a single reading's sd is not enough: with n readings the curve is sqrt(n) narrower.
    """
    if spread.sd == 0:
        return np.array([spread.mean]), np.zeros(1)
    widths = sqrt(1 + precision * spread.sd**2)  # how many of the narrowest fit into a prior sd
    half = np.ceil(reach * widths / NODE_SPACING)
    budget.take(2 * half, 2 * half, "sd", TOO_FINE)
    z = np.arange(-int(half), int(half) + 1) * (reach / half)
    log_weights = -0.5 * z**2
    return spread.mean + z * spread.sd, log_weights - log_sum(log_weights)


def _log_tail(reach: float, unknowns: int) -> float:
    """A bound of the log of the prior mass beyond the reach, on a grid that is square."""
    return -np.inf if unknowns == 0 else log(2 * unknowns) + float(log_ndtr(-reach))


def _log_highest(members: Sequence[Instrument], track: Track, stray: float, plain: Array) -> Array:
    """The most that any offset can give to all depths of a space together, (n,) logs.

    At one offset a value lies near one depth, or between two; the others are whole gaps of the table away.
    """
    every, likeliest = np.exp(log_sums(plain, 1)), np.exp(plain.max(axis=1))
    values = np.sort(np.array(track.values))
    gap = float(np.diff(values).min()) if len(values) > 1 else np.inf
    strays = stray / range_of_strays(track)
    highest, told = np.log(np.maximum(every, 0.0), where=every > 0, out=np.full(len(every), -np.inf)), set()
    for source in members:
        for place, entry in enumerate(entries_of(source)):
            if entry is None or isinstance(source, Rounded):
                continue
            parts, sd = list(ways_off(source.local[place] if source.local else None, track)), source.sd[place]
            shares = [(1 - stray - sum(share for share, _, _ in parts), sd)]
            shares += [(share, sqrt(sd**2 + spread**2)) for share, _, spread in parts]
            if place in told:  # the depths are summed over once
                most = sum(share / (wide * sqrt(2 * pi)) for share, wide in shares) + strays
                highest[place] += log(most) if most > 0 else -np.inf
                continue
            told.add(place)
            most = strays * every[place]
            for share, wide in shares:
                depths = min(every[place], likeliest[place] * _near_at_once(gap / wide))
                most += share / (wide * sqrt(2 * pi)) * depths
            highest[place] = log(most) if most > 0 else -np.inf
    return np.asarray(highest)


def _near_at_once(gaps: float) -> float:
    """The most that normal curves so many sd apart, each 1 at its middle, come to at one place."""
    return 2.0 * sum(np.exp(-0.5 * (j * gaps) ** 2) for j in range(8)) if gaps > 1 else np.inf


def _log_totals(log_prior: Array, log_emission: Array) -> Array:
    """What each node gives to all bittings together, rules aside, (g,) logs."""
    top = np.maximum(log_emission.max(axis=1), LEAST)
    shares = log_emission - top[:, None, :]
    sums = np.exp(shares, out=shares).sum(axis=1)
    with np.errstate(divide="ignore"):
        return np.asarray(log_prior + (top + np.log(sums)).sum(axis=0))
