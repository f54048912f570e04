"""Exact weighing along the blade, for rules and comparisons that link pairs of spaces.

For a fixed offset the spaces form a graph: each is linked to its neighbours by the rules, and to any other
it was compared with. Summing the spaces out one after another, in the order of the blade, costs d to the
number of spaces that are still linked onward (on a plain chain one: forward-backward; Rabiner, Proc. IEEE
77 (1989) 257-286; in general bucket elimination, Dechter, Artificial Intelligence 113 (1999) 41-85). The
offsets are a grid of nodes, all summed side by side.
"""

from __future__ import annotations

import heapq
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from math import exp, log

import numpy as np
from numpy.typing import NDArray

from keycore.budget import EXP, STEP, Budget
from keycore.errors import InputError
from keycore.logs import log_sum, log_sums
from keycore.reading.blade import Blade
from keycore.reading.evidence import Spread
from keycore.reading.grid import Weighed
from keycore.reading.likelihood import LEAST, Array

TIE = 1.1e-9  # chances nearer to each other than this are ordered by depth
NEGLIGIBLE = 1e-6  # share of the total that combinations of offsets left out may carry
MANY = 3_000  # prefixes grown at once
JOINT_MARGIN = 30.0  # logs below the best bound at which a combination of offsets is left out
PAIRS_AT_ONCE = 500_000  # combinations of offsets looked at at once
AT_ONCE = 400_000  # numbers of the largest table that are worked on at once
TOO_WIDE = "compares too many cuts across each other to be weighed exactly"
TOO_LITTLE = "too little is known to say which bittings are likeliest"
UNEXPLAINED = "no allowed bitting can explain it: check each source"

Steps = NDArray[np.integer]


@dataclass(frozen=True)
class Joint:
    """One node for each combination of the sources' offsets that matters.

    ``log_weight`` (g,), ``log_emission`` (n, d, g); ``node`` (s, g) which node of each source; ``log_faint``
    bounds what the combinations left out could give.
    """

    log_weight: Array
    log_emission: Array
    node: NDArray[np.intp]
    log_faint: float = -np.inf


@dataclass(frozen=True)
class Passed:
    """A posterior summed node by node: ``marginals`` (n, d), ``log_node`` (g,) totals of the nodes."""

    sources: Sequence[Weighed]
    blade: Blade
    joint: Joint
    marginal_chances: Array
    log_node: Array
    log_total: float
    budget: Budget

    @property
    def node_share(self) -> Array:
        """The posterior probability of each node."""
        return np.asarray(np.exp(self.log_node - self.log_total))

    def marginals(self) -> Array:
        """The probability of each depth at each space, (n, d)."""
        return self.marginal_chances

    def likeliest(self, wanted: int) -> list[tuple[tuple[int, ...], float]]:
        """The most probable bittings; see the function of that name."""
        return likeliest(self, wanted)

    def moments(self, s: int) -> tuple[Spread, Spread]:
        """Mean and sd of source ``s``'s offset and tip wear."""
        source, node, share = self.sources[s], self.joint.node[s], self.node_share
        return spread_of(source.offset[node], share), spread_of(source.tip[node], share)

    def chance_of(self, steps: tuple[int, ...]) -> float:
        """The probability of one whole bitting; 0 where its neighbours are not allowed."""
        return float(np.exp(log_of_bittings(self, np.array([steps]))[0]))


def weigh_along(sources: Sequence[Weighed], blade: Blade, budget: Budget) -> Passed:
    """Sum over every bitting that the links of a Blade allow, exactly.

    Arguments: Weighed sources of one track, at least one; the Blade; a Budget. Returns a Passed. Raises
    InputError when no bitting can explain the evidence at all, BeyondReach when the spaces are linked too
    widely, or too many combinations of offsets matter, to be summed within the budget.

    >>> from keycore.reading.grid import without_offset
    >>> seen = without_offset(np.log(np.array([[0.9, 0.1], [0.2, 0.8]])))
    >>> weigh_along([seen], Blade.of(2, np.eye(2), {}), Budget()).marginals().round(3).tolist()
    [[0.692, 0.308], [0.692, 0.308]]
    """
    log_margin = JOINT_MARGIN
    while True:
        passed = _sum_joint(sources, blade, join_nodes(sources, budget, log_margin), budget)
        short = passed.joint.log_faint - passed.log_total - log(NEGLIGIBLE)
        if short <= 0:
            return passed
        log_margin += short + 5.0


def _sum_joint(sources: Sequence[Weighed], blade: Blade, joint: Joint, budget: Budget) -> Passed:
    spaces, depths, nodes = joint.log_emission.shape
    in_part = max(1, int(AT_ONCE / max(blade.numbers_for_one_node(depths), spaces * depths)))
    numbers = blade.numbers_for_one_node(depths) * min(nodes, in_part) * spaces
    work = nodes * (4 * blade.work_for_one_node(depths) + 2 * EXP * spaces * depths)
    budget.take(work, numbers, "evidence", _too_much(blade))
    log_node, table, log_scale = np.empty(nodes), np.zeros((spaces, depths)), -np.inf
    for begin in range(0, nodes, in_part):
        part = slice(begin, begin + in_part)
        cut, log_start = _at_once(joint.log_emission[:, :, part], joint.log_weight[part])
        log_node[part], each = _both_ways(blade, cut, log_start)
        before, log_scale = log_scale, max(log_scale, float(log_node[part].max()))
        if log_scale > -np.inf:
            table = table * exp(before - log_scale) + each @ np.exp(log_node[part] - log_scale)
    log_total = log_sum(log_node)
    if log_total == -np.inf or np.isnan(log_total):
        raise InputError("evidence", UNEXPLAINED)
    table /= table.sum(axis=1, keepdims=True)
    return Passed(sources, blade, joint, table, log_node, log_total, budget)


def _too_much(blade: Blade) -> str:
    return TOO_WIDE if any(b - a > 1 for a, b in blade.links) else TOO_LITTLE


def spread_of(values: Array, share: Array) -> Spread:
    """Mean and sd of ``values`` (g,) that carry a ``share`` (g,) of a probability each. Raises nothing.

    >>> spread_of(np.array([1.0, 3.0]), np.array([0.5, 0.5]))
    Spread(mean=2.0, sd=1.0)
    """
    mean = float(values @ share) / float(share.sum())
    return Spread(mean, float(np.square(values - mean) @ share / share.sum()) ** 0.5)


def _at_once(log_emission: Array, log_weight: Array) -> tuple[Array, Array]:
    """What each depth gives, the node's best at each space being 1, and the logs of what was taken out."""
    top = np.maximum(log_emission.max(axis=1), LEAST)
    return np.exp(log_emission - top[:, None, :]), log_weight + top.sum(axis=0)


def _both_ways(blade: Blade, cut: Array, log_start: Array) -> tuple[Array, Array]:
    """Sum forward and back. ``cut`` (n, d, g). Returns the logs of the nodes (g,) and their own marginals (n, d, g)."""
    spaces, _, nodes = cut.shape
    log_nodes = log_start.copy()
    kept: list[Array] = []  # over (onward from before..., the space), nodes last: all up to and with the space
    message: Array = np.ones(nodes)
    for place in range(spaces):
        table, log_top = _scaled(blade.carry(place, message, cut))
        log_nodes += log_top
        kept.append(table)
        message = blade.sum_out(place, table)
    with np.errstate(divide="ignore"):
        log_nodes += np.log(message)
    found = np.empty_like(cut)
    after: Array = np.ones(nodes)  # over what is linked onward of a space: all that comes after it
    for place in range(spaces - 1, -1, -1):
        own = blade.own_share(place, kept[place], after)
        total = own.sum(axis=0)
        found[place] = own / np.where(total > 0, total, 1.0)
        after, _ = _scaled(blade.bring_back(place, after, cut))
    return log_nodes, found


def _scaled(table: Array) -> tuple[Array, Array]:
    """A table with the greatest of each node 1, and the logs of what was taken out."""
    top = table.reshape(-1, table.shape[-1]).max(axis=0)
    with np.errstate(divide="ignore"):
        return table / np.where(top > 0, top, 1.0), np.log(top)


def join_nodes(sources: Sequence[Weighed], budget: Budget, log_margin: float) -> Joint:
    """Multiply the grids of several sources, keeping the combinations that can matter.

    Arguments: Weighed sources; a Budget; ``log_margin`` how far below the best bound, in logs, a
    combination is left out.
    Returns a Joint. Raises BeyondReach where they are too many to be held at once.
    """
    first, *others = sorted(range(len(sources)), key=lambda s: len(sources[s].offset))
    source = sources[first]
    node = np.zeros((len(sources), len(source.log_prior)), np.intp)
    node[first] = np.arange(len(source.log_prior))
    joint = Joint(source.log_prior, source.log_emission, node)
    for done, s in enumerate(others, start=1):
        still_to_come = sum(sources[t].log_most for t in others[done:])
        joint = _multiply_in(joint, s, sources[s], budget, log_margin, still_to_come)
    return joint


TOO_MANY_OFFSETS = "too many combinations of offsets matter to weigh these sources together exactly"


def _multiply_in(
    joint: Joint, s: int, source: Weighed, budget: Budget, log_margin: float, still_to_come: float
) -> Joint:
    spaces, depths, _ = source.log_emission.shape
    best, kept, log_faint = -np.inf, [], joint.log_faint + source.log_most
    for first, bounds in bounds_of_pairs(joint.log_weight, joint.log_emission, source, budget):
        best = max(best, float(bounds.max()))
        keep = bounds >= best - log_margin
        old, new = np.nonzero(keep)
        log_faint = float(np.logaddexp(log_faint, log_sum(bounds[~keep])))
        kept.append((old + first, new, bounds[keep]))
        held = sum(len(each[0]) for each in kept)
        budget.take(0, 4.0 * held, "evidence", TOO_MANY_OFFSETS)
    old, new, bounds = (np.concatenate(each) for each in zip(*kept, strict=True))
    keep = bounds >= best - log_margin
    log_faint = float(np.logaddexp(log_faint, log_sum(bounds[~keep]))) + still_to_come
    old, new = old[keep], new[keep]
    numbers = float(len(old)) * spaces * depths
    budget.take(numbers * 3, 3 * numbers, "evidence", TOO_MANY_OFFSETS)
    node = joint.node[:, old]
    node[s] = new
    return Joint(
        joint.log_weight[old] + source.log_prior[new],
        joint.log_emission[:, :, old] + source.log_emission[:, :, new],
        node,
        log_faint,
    )


def bounds_of_pairs(
    log_weight: Array, log_emission: Array, source: Weighed, budget: Budget
) -> Iterator[tuple[int, Array]]:
    """What each combination of two grids' nodes gives to all bittings together, rules aside.

    Arguments: ``log_weight`` (g,) and ``log_emission`` (n, d, g) of one, a Weighed of the other with h nodes; a
    Budget. Gives some rows at a time: the first node of the one, and (rows, h) logs. Raises BeyondReach before
    anything is begun.
    """
    spaces, depths, nodes = log_emission.shape
    pairs = float(nodes) * len(source.log_prior)
    budget.take(pairs * (spaces * (depths + 2) + EXP), 0, "evidence", TOO_MANY_OFFSETS)
    other, log_other = _at_once(source.log_emission, source.log_prior)
    at_once = max(1, PAIRS_AT_ONCE // len(source.log_prior))
    for begin in range(0, nodes, at_once):
        part = slice(begin, begin + at_once)
        one, log_one = _at_once(log_emission[:, :, part], log_weight[part])
        sums = np.ones((one.shape[2], len(log_other)))
        for place in range(spaces):
            sums *= one[place].T @ other[place]
        with np.errstate(divide="ignore"):
            np.log(np.maximum(sums, 1e-300, out=sums), out=sums)
        yield begin, sums + log_one[:, None] + log_other[None, :]


def log_of_bittings(passed: Passed, bittings: Steps) -> Array:
    """The log probability of each whole bitting, offsets summed over.

    Arguments: ``bittings`` (b, n) steps. Returns (b,) posterior logs. Raises nothing.
    """
    emission = passed.joint.log_emission
    log_start = passed.joint.log_weight - passed.log_total
    found = np.zeros(len(bittings))
    with np.errstate(divide="ignore"):
        for (a, b), table in passed.blade.links.items():
            found += np.log(table[bittings[:, a], bittings[:, b]])
    at_once = max(1, AT_ONCE // len(log_start))
    for begin in range(0, len(bittings), at_once):
        part = slice(begin, begin + at_once)
        logs = emission[np.arange(len(emission))[:, None], bittings[part].T].sum(axis=0)
        found[part] += log_sums(np.maximum(logs + log_start, LEAST), 1)
    return found


def likeliest(passed: Passed, wanted: int = 5) -> list[tuple[tuple[int, ...], float]]:
    """The most probable whole bittings with their probabilities, likeliest first.

    A search over bittings begun from space 1, all at once where few can matter and best-first where
    many do. What a prefix can still become is bounded by the sum over nodes of its best
    completion there, so nothing better is ever missed: the k likeliest at one offset need not be
    the k likeliest overall. Bittings within 1e-9 of
    each other are ordered by the shallower at the first space where they differ.

    Arguments: a Passed, how many are ``wanted``. Raises BeyondReach when more prefixes would have to be looked
    at than the budget has left for.
    """
    opened = _opened(passed, wanted)
    found = _all_above(opened, passed.budget)
    if found is None or len(found) < wanted:
        found = _best_first(opened, wanted, passed.budget)
    probabilities = np.exp(log_of_bittings(passed, found))
    each = zip(map(tuple, found.tolist()), probabilities.tolist(), strict=True)
    return order_by_probability(list(each))[:wanted]


def order_by_probability(
    bittings: Sequence[tuple[tuple[int, ...], float]], tie: float = 1e-9
) -> list[tuple[tuple[int, ...], float]]:
    """``bittings``, each (n,) steps and its chance, in order: the likeliest first.

    Those within ``tie`` of their group's first, in chance, go shallower first. Raises nothing.

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


@dataclass(frozen=True)
class _Open:
    """What a search for the likeliest bittings needs of a Passed, weights scaled by ``log_scale``."""

    blade: Blade
    start: Array  # (g,)
    cut: Array  # (n, d, g) what a depth gives, its node's best being 1
    bound: list[Array]  # of each space, over what is linked onward of it, nodes last: the best that can follow
    log_scale: float
    faint: float  # bittings below this chance are not wanted

    def next(self, begun: Steps, weights: Array) -> tuple[Array, Array]:
        """Of each prefix (b, place) and depth: the factor (b, d) of its links, its bound (b, d) with them."""
        place, onward = begun.shape[1], self.blade.onward[begun.shape[1]]
        linked = np.ones((len(begun), self.cut.shape[1]))
        for a, table in self.blade.back_from(place):
            linked = linked * table[begun[:, a]]
        if onward in ((), (place,)):
            bound = self.cut[place] * self.bound[place]
            return linked, linked * (weights @ bound.T)
        bounds = np.empty_like(linked)
        for step in range(self.cut.shape[1]):
            follows = self.bound[place][tuple(step if one == place else begun[:, one] for one in onward)]
            bounds[:, step] = np.einsum(
                "bg,bg,g->b", weights, np.broadcast_to(follows, weights.shape), self.cut[place][step]
            )
        return linked, linked * bounds


def _opened(passed: Passed, wanted: int) -> _Open:
    nodes = _nodes_that_matter(passed)
    cut, log_start = _at_once(passed.joint.log_emission[:, :, nodes], passed.joint.log_weight[nodes])
    log_start -= passed.log_total
    blade, log_scale = passed.blade, float(log_start.max())
    spaces, depths, count = cut.shape
    widest, kept = (
        blade.numbers_for_one_node(depths) * count,
        sum(float(depths) ** len(o) for o in blade.onward) * count,
    )
    passed.budget.take(widest * spaces, widest + kept, "evidence", _too_much(blade))
    bound: list[Array] = [np.ones(count)] * spaces
    for place in range(spaces - 1, 0, -1):
        bound[place - 1] = blade.bring_back(place, bound[place], cut, best=True)
    faint = max(0.0, _surely_reached(passed, wanted) - TIE) * exp(-log_scale)
    return _Open(blade, np.exp(log_start - log_scale), cut, bound, log_scale, faint)


def _nodes_that_matter(passed: Passed) -> NDArray[np.intp]:
    share = passed.node_share
    order = np.argsort(-share)
    kept = int(np.searchsorted(np.cumsum(share[order]), 1 - 1e-11)) + 1
    return np.asarray(order[:kept])


def _surely_reached(passed: Passed, wanted: int) -> float:
    """A chance that as many bittings as are wanted have at least: some likely ones, weighed exactly."""
    likely = passed.marginals().argsort(axis=1)[:, ::-1]
    if likely.shape[1] < 2:
        return 0.0
    tried = np.tile(likely[:, 0], (len(likely) + 1, 1))
    np.fill_diagonal(tried[1:], likely[:, 1])  # the best cuts, and each in turn second best
    if len(tried) < wanted:
        return 0.0
    return float(np.sort(np.exp(log_of_bittings(passed, tried)))[-wanted])


def _all_above(opened: _Open, budget: Budget) -> Steps | None:
    """Every bitting that may be likelier than the faint, all prefixes at once; None when they are many."""
    begun, weights = np.zeros((1, 0), dtype=np.intp), opened.start[None, :]
    for place in range(len(opened.cut)):
        linked, bounds = opened.next(begun, weights)
        likely = bounds > opened.faint
        count = int(likely.sum())
        work = float(count) * opened.start.size * (2 + opened.cut.shape[1])
        if count > MANY or not budget.allows(work, 5 * count * opened.start.size):
            return None
        budget.work -= work
        before, step = np.nonzero(likely)
        weights = weights[before] * opened.cut[place][step] * linked[before, step][:, None]
        begun = np.column_stack([begun[before], step])
    return begun


def _best_first(opened: _Open, wanted: int, budget: Budget) -> Steps:
    """Best-first over prefixes; a heap entry is (-log bound, prefix, weights of it).

    The rounding makes equal chances compare equal, so that ties come out shallower first.
    """
    heap: list[tuple[float, tuple[int, ...], Array]] = [(-np.inf, (), opened.start)]
    found: list[tuple[int, ...]] = []
    worst_wanted, spaces, depths = np.inf, len(opened.cut), opened.cut.shape[1]
    work = STEP * (20 + 2 * depths) + opened.start.size * (2 * depths + 2)
    while heap:
        key, begun, weights = heapq.heappop(heap)
        chance = exp(opened.log_scale - key) if begun else np.inf
        if len(found) >= wanted and (chance < worst_wanted - TIE or len(found) >= wanted + 40):
            break
        place = len(begun)
        if place == spaces:
            found.append(begun)
            worst_wanted = chance if len(found) == wanted else worst_wanted
            continue
        room = len(heap) * opened.start.size
        budget.take(work, room, "evidence", TOO_LITTLE)
        linked, bounds = (
            row[0] for row in opened.next(np.array([begun], dtype=np.intp).reshape(1, place), weights[None])
        )
        for step in np.flatnonzero(bounds > opened.faint).tolist():
            onward = weights * opened.cut[place][step] * linked[step]
            heapq.heappush(heap, (-round(log(bounds[step]), 9), (*begun, step), onward))
    return np.array(found)
