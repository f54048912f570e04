"""How probable what was seen is, for every depth at every space and every offset considered."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import log_ndtr

from keycore.errors import BeyondReach
from keycore.family import Family, Track
from keycore.reading.evidence import Evidence, Flush, Instrument, Looks, Measured, Rounded, Spread, Stated

Array = NDArray[np.float64]

FLUSH_IF_SAME, FLUSH_IF_NEXT, FLUSH_IF_FAR = 0.97, 0.04, 0.003
MISREAD_FALL = 4.0  # a misreading one step further away is this many times less likely
REACH = 9.0  # nodes cover so many prior standard deviations either side: exp(-9**2/2) = 3e-18
NODE_SPACING = 1.2  # of the narrowest width in the integrand; see _nodes
MOST_NODES = 400_000


@dataclass(frozen=True)
class Weighed:
    """One source's log-likelihoods over a grid of its unknown offset and tip wear.

    ``log_prior`` (g,) are log weights of the nodes; ``log_emission`` (n, d, g) the log
    probability of what was seen at each space for each depth; ``offset`` and ``tip`` (g,) the
    node's offset and tip wear in family units. Nodes come last so that sums over depths run
    along whole rows of memory.
    """

    log_prior: Array
    log_emission: Array
    offset: Array
    tip: Array


def weigh(source: Evidence, family: Family, track: Track, stray: float) -> Weighed:
    """Turn one source into likelihoods.

    Arguments: a source in the family's own order, its family and track, and ``stray`` the
    chance in [0, 1) that a single reading is plain wrong. Returns a Weighed with one node for
    flush and stated sources, a grid of nodes for measured and rounded ones. Raises BeyondReach
    when the grid would need more than 400,000 nodes (an sd absurdly small beside its offset's).
    """
    match source:
        case Measured() | Rounded():
            return _weigh_instrument(source, family, track, stray)
        case Flush() | Stated():
            return _single(_table(source, track))
        case Looks():
            nothing = np.zeros((len(track.spaces), len(track.depths)))
            return _single(sum((_table(part, track) for part in source.parts), start=nothing))


def _single(log_table: Array) -> Weighed:
    zero = np.zeros(1)
    return Weighed(zero, log_table[:, :, None], zero, zero)


def _weigh_instrument(source: Instrument, family: Family, track: Track, stray: float) -> Weighed:
    seen = source.values if isinstance(source, Measured) else source.steps
    read = np.array([value is not None for value in seen])
    precision = np.where(read, 1.0 / np.square(np.array(source.sd)), 0.0)
    u = np.array(family.towards_tip(track))
    tip_spread = source.tip or Spread(0.0, 0.0)
    offset = _nodes(source.offset, float(precision.sum()))
    tip = _nodes(tip_spread, float((precision * u * u).sum()))
    if len(offset) * len(tip) > MOST_NODES:
        raise BeyondReach("sd", "too small beside the offset's sd to be weighed exactly")
    d, t = (grid.ravel() for grid in np.meshgrid(offset, tip, indexing="ij"))
    log_prior = _log_normal_weights(d, source.offset) + _log_normal_weights(t, tip_spread)
    near = log_prior >= -0.5 * REACH**2 * (1 + 1e-9)  # as far as that in any direction, the corners left out
    d, t, log_prior = d[near], t[near], log_prior[near]
    log_prior -= _log_sum(log_prior)
    expected = np.array(track.values)[None, :, None] + (d + u[:, None] * t)[:, None, :]
    if isinstance(source, Measured):
        log_emission = _log_measured(source, track, stray, expected)
    else:
        log_emission = _log_rounded(source, track, stray, expected)
    log_emission[~read] = 0.0
    return Weighed(log_prior, log_emission, d, t)


def _nodes(spread: Spread, precision: float) -> Array:
    """Even nodes fine enough for the trapezoid rule to be exact to about 2e-6.

    The integrand is a sum of products of normal curves; the narrowest has precision
    ``precision + 1/sd**2``. On a step of c widths the rule errs by 2 exp(-2 pi**2 / c**2)
    (Poisson summation; Trefethen and Weideman, SIAM Review 56 (2014), section 5). Tying the
    step to a single reading's sd is not enough: with n readings the curve is sqrt(n) narrower.
    """
    if spread.sd == 0:
        return np.array([spread.mean])
    width = (precision + spread.sd**-2) ** -0.5
    half = int(np.ceil(REACH * spread.sd / (NODE_SPACING * width)))
    if half > MOST_NODES:
        raise BeyondReach("sd", "too small beside the offset's sd to be weighed exactly")
    return np.asarray(spread.mean + np.arange(-half, half + 1) * (REACH * spread.sd / half))


def _log_normal_weights(nodes: Array, spread: Spread) -> Array:
    if spread.sd == 0:
        return np.zeros_like(nodes)
    return -0.5 * np.square((nodes - spread.mean) / spread.sd)


def _log_sum(logs: Array) -> float:
    top = float(logs.max())
    return top + float(np.log(np.exp(logs - top).sum()))


def _log_measured(source: Measured, track: Track, stray: float, expected: Array) -> Array:
    values = np.array([0.0 if v is None else v for v in source.values])[:, None, None]
    sd = np.array(source.sd)[:, None, None]
    log_density = -0.5 * np.square((values - expected) / sd) - np.log(sd * np.sqrt(2 * np.pi))
    return _with_stray(log_density, stray, _range_of_strays(track))


def _range_of_strays(track: Track) -> float:
    """R: the span of the depth values and the largest gap between neighbours on either side."""
    ordered = np.sort(np.array(track.values))
    gap = float(np.diff(ordered).max()) if len(ordered) > 1 else 0.0
    return float(ordered[-1] - ordered[0]) + 2 * gap or 1.0


def _log_rounded(source: Rounded, track: Track, stray: float, expected: Array) -> Array:
    log_masses = np.empty_like(expected)
    values = np.array(track.values)
    for place, step in enumerate(source.steps):
        low, high = _interval_nearest(values, step or 0)
        sd = source.sd[place]
        log_masses[place] = _log_normal_mass((low - expected[place]) / sd, (high - expected[place]) / sd)
    return _with_stray(log_masses, stray, float(len(values)))


def _interval_nearest(values: Array, step: int) -> tuple[float, float]:
    """The values that round to that depth: half-way points, open at both ends of the table."""
    ordered = np.sort(values)
    place = int(np.searchsorted(ordered, values[step]))
    low = -np.inf if place == 0 else (ordered[place - 1] + ordered[place]) / 2
    high = np.inf if place == len(ordered) - 1 else (ordered[place] + ordered[place + 1]) / 2
    return float(low), float(high)


def _log_normal_mass(low: Array, high: Array) -> Array:
    """log(Phi(high) - Phi(low)), sound in both tails."""
    flip = low + high > 0
    low, high = np.where(flip, -high, low), np.where(flip, -low, high)
    log_high = log_ndtr(high)
    with np.errstate(divide="ignore"):
        return np.asarray(log_high + np.log1p(-np.exp(log_ndtr(low) - log_high)))


def _with_stray(log_seen: Array, stray: float, span: float) -> Array:
    if stray == 0:
        return log_seen
    return np.asarray(np.log((1 - stray) * np.exp(log_seen) + stray / span))


def _table(source: Flush | Stated, track: Track) -> Array:
    return _flush_table(source, track) if isinstance(source, Flush) else _stated_table(source, track)


def _flush_table(source: Flush, track: Track) -> Array:
    away = np.abs(np.arange(len(track.depths)) - source.step)
    flush = np.select([away == 0, away == 1], [FLUSH_IF_SAME, FLUSH_IF_NEXT], FLUSH_IF_FAR)
    table = np.zeros((len(source.flush), len(track.depths)))
    for place, seen in enumerate(source.flush):
        if seen is not None:
            table[place] = np.log(flush if seen else 1 - flush)
    return table


def _stated_table(source: Stated, track: Track) -> Array:
    depths = len(track.depths)
    table = np.zeros((len(source.steps), depths))
    for place, stated in enumerate(source.steps):
        if 0 < len(stated) < depths:
            with np.errstate(divide="ignore"):
                table[place] = np.log(_stated_chances(sorted(stated), source.trust, depths))
    return table


def _stated_chances(stated: list[int], trust: float, depths: int) -> Array:
    away = np.abs(np.arange(depths)[:, None] - np.array(stated)[None, :]).min(axis=1)
    others = np.where(away > 0, MISREAD_FALL ** (1.0 - away), 0.0)
    return np.asarray(np.where(away == 0, trust / len(stated), (1 - trust) * others / others.sum()))
