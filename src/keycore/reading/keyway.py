"""Which keyway is it? Families ranked by how well measured cut positions and a blade's size fit them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from math import exp, log, pi

import numpy as np
from scipy.special import chdtrc

from keycore.errors import InputError
from keycore.family import Family, Gauge, Track
from keycore.kind import Surface
from keycore.reading.likelihood import Array
from keycore.units import Unit, convert

POSITION_SD = 0.004  # one position by caliper, inches; common practice, no source
GAUGE_SD = 0.008  # what the edge measured from may be out by, inches; common practice, no source
SIZE_SD = 0.003  # a worn blade's height or thickness, inches; common practice, no source
OVERLOOKED = 0.05  # a cut so shallow that it was not seen
FITS = 0.001  # a chance lower than this of so bad a fit, and it is said not to fit
_NODES = np.linspace(-4, 4, 81)


@dataclass(frozen=True, slots=True)
class UnknownKey:
    """What was measured of an unknown key, inches."""

    positions: tuple[float, ...]  # of the cuts' centres, any order
    gauge: Gauge | None  # what they were measured from; None: not sure which
    height: float | None = None
    thickness: float | None = None

    def __post_init__(self) -> None:
        if not self.positions:
            raise InputError("positions", "measure the position of one cut at least")
        if not all(np.isfinite(p) and p >= 0 for p in self.positions):
            raise InputError("positions", "every position is a length from the gauge, none below 0")


@dataclass(frozen=True, slots=True)
class KeywayFit:
    """How one track of one family fits."""

    family: Family
    track: Track
    probability: float  # among the families compared, each as likely beforehand
    measured_from: Gauge
    overlooked: int  # spaces of the family where no cut was measured
    away: float  # the worst position, inches, once the gauge's own error is allowed for
    shift: float  # that error, inches
    fits: bool


def rank_families(seen: UnknownKey, families: Iterable[Family]) -> list[KeywayFit]:
    """Rank families by the chance of what was measured; those with fewer spaces than cuts are left out.

    Each measured position is normal about a space of the family, with one error of the gauge shared by
    all; a space may have been overlooked at 5 in 100; height and thickness are normal about the blank's.
    Arguments: a Seen and families of any unit. Returns fits, best first; probabilities sum to 1.
    Raises nothing.

    >>> from keycore.families import shipped_ids
    >>> from keycore.documents.family import read_family
    >>> library = [read_family(id) for id in shipped_ids()]
    >>> harbour = read_family("harbour-five")
    >>> rank_families(UnknownKey(harbour.tracks[0].spaces, Gauge.SHOULDER), library)[0].family.id
    'harbour-five'
    """
    fits = [fit for family in families for fit in _of_family(seen, family)]
    if not fits:
        return []
    top = max(log_chance for log_chance, _ in fits)
    total = sum(exp(log_chance - top) for log_chance, _ in fits)
    ranked = sorted(fits, key=lambda each: -each[0])
    return [replace(fit, probability=exp(log_chance - top) / total) for log_chance, fit in ranked]


def _of_family(seen: UnknownKey, family: Family) -> list[tuple[float, KeywayFit]]:
    found = []
    for track in family.tracks:
        if family.kind.surface != Surface.EDGE or len(track.spaces) < len(seen.positions):
            continue
        ways = [_one_way(seen, family, track, gauge) for gauge in ([seen.gauge] if seen.gauge else list(Gauge))]
        found += [max((way for way in ways if way), key=lambda way: way[0], default=None)]
    return [each for each in found if each is not None]


def _one_way(seen: UnknownKey, family: Family, track: Track, gauge: Gauge) -> tuple[float, KeywayFit] | None:
    """One track with the positions measured from one gauge; None where that cannot be carried over."""
    spaces = [convert(space, family.unit, Unit.INCH) for space in track.spaces]
    if gauge != family.gauge:
        if family.blank is None:
            return None
        spaces = [convert(family.blank.length, family.unit, Unit.INCH) - space for space in spaces]
    expected, measured = np.sort(spaces), np.sort(seen.positions)
    shifts = _NODES * GAUGE_SD
    weights = np.exp(-0.5 * _NODES**2)
    log_each = _log_of_choices(measured, expected, shifts) + np.log(weights / weights.sum())
    top = float(log_each.max())
    log_chance = top + log(float(np.exp(log_each - top).sum()))
    size, size_squares, sizes = _of_size(seen, family)
    shift = float(shifts[int(np.argmax(log_each))])
    chosen = _best_choice(measured, expected + shift)
    away = measured - (expected[chosen] + shift)
    squares = float(np.square(away / POSITION_SD).sum()) + (shift / GAUGE_SD) ** 2 + size_squares
    fits = float(chdtrc(len(measured) + sizes, squares)) >= FITS
    missing = len(expected) - len(measured)
    return log_chance + size, KeywayFit(
        family, track, 0.0, gauge, missing, float(np.abs(away).max()), shift, fits
    )  # fmt: skip


def _log_of_choices(measured: Array, expected: Array, shifts: Array) -> Array:
    """For each shift, the log chance of the positions summed over which spaces they are, in order."""
    away = measured[:, None, None] - expected[None, :, None] - shifts[None, None, :]
    chance = np.exp(-0.5 * np.square(away / POSITION_SD)) / (POSITION_SD * (2 * pi) ** 0.5) + 1e-30
    ways = np.zeros((len(measured) + 1, len(shifts)))
    ways[0] = 1.0
    for space in range(len(expected)):
        onward = OVERLOOKED * ways
        onward[1:] += (1 - OVERLOOKED) * ways[:-1] * chance[:, space]
        ways = onward
    with np.errstate(divide="ignore"):
        return np.asarray(np.log(ways[-1]))


def _best_choice(measured: Array, expected: Array) -> list[int]:
    """Which spaces, in order, lie nearest to the measured positions: least squares by dynamic programming."""
    nowhere: list[int] = []
    best = [(0.0, nowhere)] + [(np.inf, nowhere)] * len(measured)
    for space, position in enumerate(expected):
        for j in range(len(measured), 0, -1):
            cost = best[j - 1][0] + (measured[j - 1] - position) ** 2
            if cost < best[j][0]:
                best[j] = (cost, [*best[j - 1][1], space])
    return best[-1][1]


def _of_size(seen: UnknownKey, family: Family) -> tuple[float, float, int]:
    """Log chance of the blade's height and thickness, their squares, and how many were compared."""
    if family.blank is None:
        return 0.0, 0.0, 0
    pairs = [(seen.height, family.blank.height), (seen.thickness, family.blank.thickness)]
    squares = [
        ((measured - convert(own, family.unit, Unit.INCH)) / SIZE_SD) ** 2
        for measured, own in pairs
        if measured is not None and own is not None
    ]
    return -0.5 * sum(squares), sum(squares), len(squares)


def spaces_by_count(families: Iterable[Family], count: int) -> Sequence[Family]:
    """The families that have a track of exactly ``count`` spaces. Raises nothing."""
    return [family for family in families if any(len(track.spaces) == count for track in family.tracks)]
