"""How probable what was seen is, for every depth at every space and every offset considered."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from math import pi, sqrt

import numpy as np
from numpy.typing import NDArray
from scipy.special import log_ndtr, ndtr

from keycore.budget import EXP
from keycore.family import Family, Track
from keycore.reading.evidence import (
    Beside,
    Compared,
    Flush,
    Instrument,
    Local,
    Measured,
    Rounded,
    Spread,
    Stated,
    TumblerLooks,
)  # fmt: skip

Array = NDArray[np.float64]
Ties = dict[tuple[int, int], Array]
"""Log tables (d, d) of pairs of spaces a < b that were compared: [step at a, step at b]."""

FLUSH_IF_SAME, FLUSH_IF_NEXT, FLUSH_IF_FAR = 0.97, 0.04, 0.003
MISREAD_FALL = 4.0  # a misreading one step further away is this many times less likely
LEAST = -1e290  # stands for the log of nothing where logs are subtracted


def plain_table(source: Flush | Stated | TumblerLooks, track: Track) -> Array:
    """What a source without an unknown offset says: log probabilities (n, d). Raises nothing."""
    match source:
        case Flush():
            return _flush_table(source, track)
        case Stated():
            return _stated_table(source, track)
        case TumblerLooks():
            nothing = np.zeros((len(track.spaces), len(track.depths)))
            return np.asarray(sum((plain_table(part, track) for part in source.parts), start=nothing))


def entries_of(source: Instrument) -> tuple[object, ...]:
    """What an instrument, the ``source``, read at each space, values or steps, None where nothing. Raises nothing."""
    return source.values if isinstance(source, Measured) else source.steps


def log_emission_of(
    members: Sequence[Instrument],
    track: Track,
    stray: float,
    shift: Array,
    tilt: Array,
    u: Array,
    *,
    slack: Array | None = None,
) -> Array:
    """The log probability of what was seen; with ``slack`` (n,) the most that any offset so near gives.

    Arguments: ``members`` that share an offset, ``stray`` the chance that a reading is plain wrong, ``shift`` and
    ``tilt`` (g,) its nodes, ``u`` (n,) of the spaces. Returns (n, d, g). Raises nothing.
    """
    expected = np.array(track.values)[None, :, None] + (shift + u[:, None] * tilt)[:, None, :]
    near = None if slack is None else slack[:, None, None]
    total = np.zeros_like(expected)
    for source in members:
        read = np.array([entry is not None for entry in entries_of(source)])
        if isinstance(source, Measured):
            told = _log_measured(source, track, stray, expected, near)
        else:
            told = _log_rounded(source, track, stray, expected, near)
        if read.all():
            total += told
        else:
            total[read] += told[read]
    return total


def price_of(source: Instrument) -> int:
    """What one number of ``log_emission_of`` costs for a source, in operations of a Budget. Raises nothing.

    A rounded label is the difference of two tails, each a logarithm of its own: about twice a measured value, which is
    an exponential and a logarithm, and as much again for each way that a cut may be off by itself (measured here:
    60 ns, 190 ns, 110 ns a number; an operation is 3 ns).
    """
    if isinstance(source, Rounded):
        return 10 * EXP
    return (5 + 3 * any(local is not None and local.chance > 0 for local in source.local)) * EXP


def _away(value: Array, expected: Array | float, near: Array | float | None, sd: Array | float) -> Array:
    """Half the square of how far off a value is, in sd and with its sign turned; ``near`` is taken off first."""
    away = value - expected
    if near is not None:
        np.abs(away, out=away)
        away -= near
        np.maximum(away, 0.0, out=away)
    away /= sd
    np.square(away, out=away)
    away *= -0.5
    return away


def _log_measured(source: Measured, track: Track, stray: float, expected: Array, near: Array | None) -> Array:
    values = np.array([0.0 if v is None else v for v in source.values])[:, None, None]
    sd = np.array(source.sd)[:, None, None]
    log_density = _away(values, expected, near, sd)
    log_density -= np.log(sd * np.sqrt(2 * np.pi))
    span = range_of_strays(track)
    if not any(local is not None and local.chance > 0 for local in source.local):
        return _with_stray(log_density, stray, span)
    off_by_itself = np.zeros_like(expected)
    off_chance = np.zeros((len(source.values), 1, 1))
    for place, local in enumerate(source.local):
        for share, shift, spread in ways_off(local, track):
            wide = sqrt(source.sd[place] ** 2 + spread**2)
            away = _away(values[place] - expected[place], shift, None if near is None else near[place], wide)
            off_by_itself[place] += share / (wide * sqrt(2 * pi)) * np.exp(away, out=away)
            off_chance[place] += share
    seen = np.exp(log_density, out=log_density)
    seen *= 1 - stray - off_chance
    seen += off_by_itself
    seen += stray / span
    with np.errstate(divide="ignore"):
        return np.asarray(np.log(seen, out=seen))


def ways_off(local: Local | None, track: Track) -> Iterator[tuple[float, float, float]]:
    """The chance, shift and sd of a cut that is off by itself, family unit: deep, then shallow. Raises nothing."""
    if local is None or local.chance == 0:
        return
    down = -1.0 if track.falls_when_deeper else 1.0
    yield local.chance * local.share_deep, down * local.deep.mean, local.deep.sd
    yield local.chance * (1 - local.share_deep), -down * local.shallow.mean, local.shallow.sd


def range_of_strays(track: Track) -> float:
    """R: the span of the depth values and the largest gap between neighbours on either side.

    A single depth has a scale of its own, a tenth of its value.
    Raises nothing.
    """
    ordered = np.sort(np.array(track.values))
    if len(ordered) == 1:
        return max(0.1 * abs(float(ordered[0])), 1e-9)
    return float(ordered[-1] - ordered[0]) + 2 * float(np.diff(ordered).max())


def _log_rounded(source: Rounded, track: Track, stray: float, expected: Array, near: Array | None) -> Array:
    log_masses = np.empty_like(expected)
    values = np.array(track.values)
    for place, step in enumerate(source.steps):
        low, high = _interval_nearest(values, step or 0)
        centre = expected[place]
        if near is not None:
            centre = centre + np.clip(_middle_of(low, high) - centre, -near[place], near[place])
        sd = source.sd[place]
        log_masses[place] = _log_normal_mass((low - centre) / sd, (high - centre) / sd)
    return _with_stray(log_masses, stray, float(len(values)))


def _middle_of(low: float, high: float) -> float:
    """Where a value most surely rounds to a depth: the middle of its interval, far out where that is open."""
    if np.isinf(low) and np.isinf(high):
        return 0.0
    return high - 1e6 if np.isinf(low) else low + 1e6 if np.isinf(high) else (low + high) / 2


def _interval_nearest(values: Array, step: int) -> tuple[float, float]:
    """The values that round to that depth: half-way points, open at both ends of the table."""
    ordered = np.sort(values)
    place = int(np.searchsorted(ordered, values[step]))
    low = -np.inf if place == 0 else (ordered[place - 1] + ordered[place]) / 2
    high = np.inf if place == len(ordered) - 1 else (ordered[place] + ordered[place + 1]) / 2
    return float(low), float(high)


def _log_normal_mass(low: Array, high: Array) -> Array:
    """log(Phi(high) - Phi(low)), sound in both tails; low <= high, either may be infinite."""
    if np.isneginf(low).all() and np.isposinf(high).all():
        return np.zeros_like(low)
    flip = low + high > 0
    low, high = np.where(flip, -high, low), np.where(flip, -low, high)
    log_high, log_low = log_ndtr(high), log_ndtr(low)
    with np.errstate(divide="ignore", invalid="ignore"):
        gone = np.where(np.isneginf(log_low), -np.inf, log_low - log_high)
        return np.asarray(np.where(np.isneginf(log_high), -np.inf, log_high + np.log1p(-np.exp(gone))))


def _with_stray(log_seen: Array, stray: float, span: float) -> Array:
    if stray == 0:
        return log_seen
    seen = np.exp(log_seen, out=log_seen)
    seen *= 1 - stray
    seen += stray / span
    return np.asarray(np.log(seen, out=seen))


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


def compared_ties(source: Compared, family: Family, track: Track, stray: float) -> Ties:
    """What comparisons by eye say of pairs of spaces.

    With D how much deeper the first depth is than the second, h what the eye resolves and s how surely:
    level Phi((h - D)/s) - Phi((-h - D)/s), deeper 1 - Phi((h - D)/s), shallower Phi((-h - D)/s), each
    mixed with a stray third. What the tip may have lost more moves D and widens s. Arguments: a source,
    its family and track, ``stray`` the chance that one look is plain wrong. Returns Ties. Raises nothing.

    >>> from keycore.documents.family import read_family
    >>> from keycore.reading.evidence import Pair
    >>> five = read_family("harbour-five")
    >>> seen = Compared(5, (Pair(2, 0, Beside.LEVEL),), 0.006, 0.003)
    >>> np.exp(compared_ties(seen, five, five.tracks[0], 0.01)[0, 2])[0].round(3).tolist()
    [0.948, 0.003, 0.003, 0.003, 0.003, 0.003]
    """
    values, u = np.array(track.values), family.towards_tip(track)
    down = -1.0 if track.falls_when_deeper else 1.0
    tip = source.tip or Spread(0.0, 0.0)
    ties: Ties = {}
    for pair in source.pairs:
        along = u[pair.second] - u[pair.first]
        deeper_by = down * (values[:, None] - values[None, :]) - down * tip.mean * along
        sd = sqrt(source.sd**2 + (tip.sd * along) ** 2)
        with np.errstate(divide="ignore"):
            table = np.log((1 - stray) * _chance_of_look(pair.compared, deeper_by, source.resolves, sd) + stray / 3)
        in_order = pair.first < pair.second
        key = (pair.first, pair.second) if in_order else (pair.second, pair.first)
        ties[key] = ties.get(key, 0.0) + (table if in_order else table.T)
    return ties


def _chance_of_look(compared: Beside, deeper_by: Array, resolves: float, sd: float) -> Array:
    above, below = (resolves - deeper_by) / sd, (-resolves - deeper_by) / sd
    match compared:
        case Beside.LEVEL:
            return np.asarray(np.exp(_log_normal_mass(below, above)))
        case Beside.DEEPER:
            return np.asarray(ndtr(-above))
        case Beside.SHALLOWER:
            return np.asarray(ndtr(below))
