"""The test key that tells a machine's errors apart best, and how many clampings settle a doubt."""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil

import numpy as np
from numpy.typing import NDArray

from keycore.bittings import keep_rules, neighbours_allowed
from keycore.errors import InputError
from keycore.family import Family, Track
from keycore.machines.trim import Noise

REACH = 1.959963984540054  # two-sided 95 %, standard normal
MOST_WEIGHED = 400_000
MOST_CLAMPINGS = 99
TOO_FEW = "no allowed bitting tells tilt and scale apart: it needs three spaces and two depths"


@dataclass(frozen=True)
class TestKey:
    """A bitting to cut, and how well so many clampings of it tell each term (sd, the family's unit).

    ``tilt_sd`` and ``scale_sd`` are of the effect over the whole blade and the whole depth table.
    """

    __test__ = False  # not a test of pytest's

    steps: tuple[int, ...]
    offset_sd: float
    tilt_sd: float
    scale_sd: float


def design_test_key(family: Family, track: Track, noise: Noise, clampings: int = 2) -> TestKey:
    """Choose the depths so that offset, tilt and scale can be told apart with the fewest keys.

    Tilt and scale are told by differences within a clamping alone: their covariance is
    sd^2 (Z' Z)^-1 / clampings, Z the positions and values about their means, over the ranges of the family.
    The bitting with the smallest worse of the two is taken, the shallower on a tie. Where the
    family allows more than 400,000 bittings fewer depths are weighed, evenly spaced.

    Arguments: a family and track with at least three spaces and two depths, the noise, how many
    times the key will be cut. Returns a TestKey. Raises InputError where no allowed bitting tells
    both terms.

    >>> from keycore.family import Depth, End, Gauge
    >>> from keycore.kinds import kind_of
    >>> from keycore.units import Unit
    >>> track = Track("A", (0.2, 0.35, 0.5, 0.65), tuple(Depth(str(k), 0.33 - 0.015 * k) for k in range(3)))
    >>> family = Family("f", "F", kind_of("edge"), Unit.INCH, Gauge.SHOULDER, End.BOW, (track,))
    >>> key = design_test_key(family, track, Noise(0.0006, 0.0005))
    >>> key.steps, round(key.offset_sd, 5)
    ((0, 2, 2, 0), 0.00041)
    """
    if len(track.spaces) < 3 or len(track.depths) < 2:
        raise InputError("track", TOO_FEW)
    bittings = _bittings(family, track)
    x, v = np.array(track.spaces), np.array(track.values)[bittings]
    x_unit = (x - x.mean())[None, :] / np.ptp(x)
    v_unit = (v - v.mean(axis=1, keepdims=True)) / np.ptp(track.values)
    xx = float((x_unit**2).sum())
    vv, xv = (v_unit**2).sum(axis=1), (v_unit * x_unit).sum(axis=1)
    left = xx * vv - xv**2
    with np.errstate(divide="ignore", invalid="ignore"):
        worse = np.where(left > 1e-12, np.maximum(vv, xx) / left, np.inf)
    if not len(worse) or not np.isfinite(worse.min()):
        raise InputError("track", TOO_FEW)
    best = int(np.flatnonzero(worse <= worse.min() * (1 + 1e-9))[0])
    each = noise.sd**2 / clampings / left[best]
    return TestKey(
        tuple(bittings[best].tolist()),
        offset_sd(noise, len(x), clampings),
        float(np.sqrt(each * vv[best])),
        float(np.sqrt(each * xx)),
    )


def _bittings(family: Family, track: Track) -> NDArray[np.int8]:
    """The allowed bittings, with fewer depths where there are too many."""
    allowed = neighbours_allowed(track) > 0
    for count in range(len(track.depths), 1, -1):
        levels = np.unique(np.linspace(0, len(track.depths) - 1, count).round().astype(int))
        found = levels.astype(np.int8)[:, None]
        for _ in track.spaces[1:]:
            before, after = np.nonzero(allowed[found[:, -1]][:, levels])
            found = np.column_stack([found[before], levels[after].astype(np.int8)])
            if len(found) > MOST_WEIGHED:
                break
        else:
            return found[keep_rules(found, family.rules)]
    return found[:0]


def offset_sd(noise: Noise, cuts: int, clampings: int) -> float:
    """How well so many clampings of so many cuts tell an offset: sqrt((sd^2 / cuts + seat_sd^2) / clampings).

    Raises ZeroDivisionError for none of either.

    >>> round(offset_sd(Noise(0.0006, 0.0005), 4, 2), 6)
    0.000412
    """
    return float(((noise.sd**2 / cuts + noise.seat_sd**2) / clampings) ** 0.5)


def clampings_to_settle(offset: float, noise: Noise, cuts: int, step: float) -> int:
    """How many clampings in all would tell whether an ``offset`` of this size is real and worth an adjustment.

    The smallest number whose 95 % interval reaches no further than the offset, or than half an
    adjustment where the offset is smaller. At most 99. Arguments: ``noise`` of one measurement and of one clamping,
    how many ``cuts`` a key has, the smallest adjustment ``step``, all in the offset's unit. Raises nothing.

    >>> clampings_to_settle(0.0008, Noise(0.0006, 0.0005), 5, 0.001)
    2
    >>> clampings_to_settle(0.0001, Noise(0.0006, 0.0005), 5, 0.001)
    5
    """
    wanted = max(abs(offset), step / 2)
    return min(MOST_CLAMPINGS, max(1, ceil((REACH * offset_sd(noise, cuts, 1) / wanted) ** 2)))
