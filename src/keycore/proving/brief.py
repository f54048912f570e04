"""A pattern read briefly: which three cuts and which height tell most, and whether to copy, restore or compensate."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import cache
from itertools import combinations, product
from math import erf, sqrt

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtri

from keycore.errors import InputError
from keycore.family import Family, Play, Track
from keycore.proving.lock import MISTAKEN, Feel, Making, play_of
from keycore.reading.evidence import Spread
from keycore.reading.wear import OFFSET, TIP, UNEVENNESS, WearGrade

Array = NDArray[np.float64]
DRAWS = 2048
TINY = 1e-18
CUTS = 3
BLADE_PLACES = (0.0, 0.5, 1.0)
"""Where the blade's height may be measured: at the bow, in the middle, at the tip."""
BLADE_SHARE = 0.5
BLADE_SD = 0.0020
"""How much of a cut's wear the blade's height loses too, as a share, and how far from that a key may be, inches: no
source."""
NODES = ((-sqrt(3), 1 / 6), (0.0, 2 / 3), (sqrt(3), 1 / 6))
"""Gauss-Hermite quadrature for a normal weight (Abramowitz and Stegun, 25.4.46)."""


class Way(StrEnum):
    """What is made of a pattern."""

    COPY = "copy"
    RESTORE = "restore"
    COMPENSATE = "compensate"


TROUBLE = {Way.COPY: 0.0, Way.COMPENSATE: 0.02, Way.RESTORE: 0.03}
"""What moving a machine, or reading every cut and cutting by code, must be better by to be worth it: a guess."""
SHARES = (0.2, 0.4, 0.6, 0.8, 1.0)
"""Of what is gone, that compensating may give back: less than all where the lock wore with its key."""


@dataclass(frozen=True, slots=True)
class WearKnown:
    """What is known of a pattern's wear on one edge, family unit: gone everywhere, and more at the tip than the bow.

    ``cov`` is the covariance of the two.
    """

    everywhere: float
    at_tip: float
    cov: tuple[tuple[float, float], tuple[float, float]]
    uneven: float  # sd of each cut besides

    def at(self, along: float) -> float:
        """What is expected to be gone so far along, 0 at the bow's end and 1 at the tip's."""
        return self.everywhere + along * self.at_tip

    def sd_at(self, along: float) -> float:
        """How well that is known."""
        (a, b), (_, c) = self.cov
        return sqrt(max(0.0, a + 2 * along * b + along**2 * c))


@dataclass(frozen=True, slots=True)
class BriefLook:
    """What to measure: cuts (3,) from 1 in the family's order, the blade's height at a place, and what it is worth."""

    cuts: tuple[int, ...]
    blade_at: float
    without: float  # the chance that the key turns by the better guess, nothing measured
    expected: float  # the same, on average, once these are measured

    @property
    def gain(self) -> float:
        """By how much measuring is expected to raise the chance that the key turns."""
        return self.expected - self.without


@dataclass(frozen=True, slots=True)
class MadeEither:
    """How far keys come out, family unit: traced on a duplicator, cut by code."""

    traced: Making
    by_code: Making


def wear_before(family: Family, grade: WearGrade, traced: Making | None = None, generation: int = 0) -> WearKnown:
    """What is thought of a pattern's wear by the look of it, before anything is measured.

    Each copy that lies between it and a key cut by its depths adds the error of a duplicator that was true on
    average: variances add. A grade that only says "may be a copy" gives way to the count of copies. Arguments: the
    family, how worn the key looks, how far keys ``traced`` on a duplicator come out, family unit, and the pattern's
    ``generation``, 0 cut by its depths. Returns a WearKnown, family unit on one edge. Raises nothing.

    >>> from keycore.documents.family import read_family
    >>> family = read_family("harbour-five")
    >>> wear_before(family, WearGrade.SOME).everywhere
    0.003
    >>> twice = wear_before(family, WearGrade.NEW, Making(0.0, 0.003), generation=2)
    >>> round(twice.sd_at(0.0) ** 2 - wear_before(family, WearGrade.NEW).sd_at(0.0) ** 2, 9)
    1.8e-05
    """
    if generation and grade == WearGrade.COPY:
        grade = WearGrade.NEW
    one = family.per_inch
    offset, tip = OFFSET[grade], TIP[grade]
    common, each = (traced.sd_common, traced.sd_each) if traced is not None else (0.0, 0.0)
    cov = (((offset.sd * one) ** 2 + generation * common**2, 0.0), (0.0, (tip.sd * one) ** 2))
    uneven = sqrt((UNEVENNESS[grade] * one) ** 2 + generation * each**2)
    return WearKnown(offset.mean * one, tip.mean * one, cov, uneven)


def wear_after(
    before: WearKnown,
    along: Sequence[float],
    gone: Sequence[float],
    sd: float,
    blade: tuple[float, float, float] | None,
) -> WearKnown:
    """What is known of the wear once some cuts, and perhaps the blade's height, are measured: linear and normal.

    The posterior of a Bayesian linear regression (Gelman et al., Bayesian Data Analysis, 14.8, from memory). Arguments:
    how far ``along`` (m,) the cuts measured are, what is ``gone`` (m,) of each, ``sd`` of one measurement, family
    unit on one edge; of the ``blade`` how far along, what is gone, and the sd of what that says of cuts. Raises
    nothing.

    >>> before = WearKnown(0.0, 0.0, ((1.0, 0.0), (0.0, 0.0)), 0.0)
    >>> wear_after(before, [0.5], [0.2], 1.0, None).everywhere
    0.1
    """
    rows = [(1.0, x) for x in along] + ([(1.0, blade[0])] if blade else [])
    seen = [*gone, *([blade[1]] if blade else [])]
    noise = [before.uneven**2 + sd**2] * len(along) + ([blade[2] ** 2] if blade else [])
    mean, cov = np.array([before.everywhere, before.at_tip]), np.array(before.cov)
    for row, value, var in zip(rows, seen, noise, strict=True):
        at = np.array(row)
        spread = float(at @ cov @ at) + var
        gain = cov @ at / spread
        mean = mean + gain * (value - float(at @ mean))
        cov = cov - np.outer(gain, at @ cov)
    (a, b), (_, c) = cov.tolist()
    return WearKnown(float(mean[0]), float(mean[1]), ((a, b), (b, c)), before.uneven)


def blade_says(family: Family, lost: float, sd: float) -> tuple[float, float]:
    """What the blade's lost height says of its cuts: how much is gone of them, and the sd of that.

    Arguments: the height ``lost`` and the ``sd`` of measuring it, family unit. Raises nothing.

    >>> from keycore.documents.family import read_family
    >>> blade_says(read_family("harbour-five"), 0.002, 0.0)
    (0.004, 0.004)
    """
    one = family.per_inch
    return lost / BLADE_SHARE, sqrt(sd**2 + (BLADE_SD * one) ** 2) / BLADE_SHARE


@dataclass(frozen=True, slots=True)
class BrieflyMeasured:
    """Some cuts of a pattern: which (m,), from 0 over all its tracks, what is ``gone`` (m,) of each, ``sd`` of one."""

    cuts: tuple[int, ...] = ()
    gone: tuple[float, ...] = ()
    sd: float = 0.0


@dataclass(frozen=True, slots=True)
class LockOfPattern:
    """The lock of a pattern: how far its tumblers may have shifted, family unit, and how the pattern turns in it."""

    shift: Spread
    felt: Feel | None = None


@dataclass(frozen=True)
class BriefAdvice:
    """The chance that the new key turns, each way; how far the duplicator is moved to compensate, family unit."""

    chances: dict[Way, float]
    shift: float

    @property
    def best(self) -> Way:
        """The way to go; of two that are as good, the one with less work."""
        return max(Way, key=lambda way: round(self.chances[way] - TROUBLE[way], 3))

    @property
    def chance(self) -> float:
        """That the key turns, made so."""
        return self.chances[self.best]


def chances_of(
    family: Family, tracks: Sequence[Track], wear: WearKnown, by: MadeEither, lock: LockOfPattern, sd: float, *,
    seen: BrieflyMeasured | None = None,
) -> BriefAdvice:  # fmt: skip
    """The chance that the new key turns freely, whichever way it is made.

    Copied, it carries the pattern's wear and the duplicator's own error; compensated, the duplicator is first moved by
    the share of what is expected to be gone that turns best; restored, it is cut to its factory depths, which needs
    every cut read rightly and a lock that has not worn away with its key. A pattern that turns freely says much: three
    feels in ten are taken to come from something else. By a fixed quasi-random sample (Sobol's sequence, scipy).
    Arguments: the family's ``tracks``, the ``wear`` as known once the cuts ``seen`` were measured, how far keys come
    out, the ``lock``, ``sd`` of measuring a cut, family unit. Returns a BriefAdvice. Raises InputError for a family
    that has neither play nor tolerance.
    """
    seen = seen or BrieflyMeasured()
    along, play = np.array(along_of(*tracks)), play_of(family)
    draws = _draws(len(along))
    cov = np.array(wear.cov) + np.eye(2) * TINY
    both = np.array([wear.everywhere, wear.at_tip]) + draws[:, :2] @ np.linalg.cholesky(cov).T
    smooth = both[:, :1] + both[:, 1:] * along
    uneven = _uneven(wear, seen, smooth, draws[:, 5 : 5 + len(along)])
    shifted = (lock.shift.mean + draws[:, 2:3] * lock.shift.sd) if lock.shift.sd or lock.shift.mean else 0.0
    pattern, each = -(smooth + uneven) - shifted, draws[:, 5 + len(along) :]
    traced = pattern + draws[:, 3:4] * by.traced.sd_common + each * by.traced.sd_each
    coded = draws[:, 4:5] * by.by_code.sd_common + each * by.by_code.sd_each - shifted
    weights = _weights(pattern, play, lock.felt)

    def turns(stands: Array) -> float:
        inside = ((stands <= play.high) & (stands >= -play.low)).all(axis=1)
        return float(inside @ weights / weights.sum())

    gone = mean_gone(wear, tracks)
    moved = {share * gone: turns(traced + share * gone) for share in SHARES}
    shift = max(moved, key=lambda by_so_much: moved[by_so_much])
    restored = turns(coded) * reads_right(tracks, wear, sd)
    return BriefAdvice({Way.COPY: turns(traced), Way.RESTORE: restored, Way.COMPENSATE: moved[shift]}, shift)


@cache
def _draws(spaces: int) -> Array:
    """Standard normal draws (DRAWS, 5 + 2 n), the same whenever they are asked for."""
    from scipy.stats.qmc import Sobol  # here: half a second that every start of a process would wait for

    return np.asarray(ndtri(Sobol(5 + 2 * spaces, seed=1).random(DRAWS)))


def _uneven(wear: WearKnown, seen: BrieflyMeasured, smooth: Array, draws: Array) -> Array:
    """How far each cut strays from the smooth wear (DRAWS, n): known better where it was measured."""
    uneven = draws * wear.uneven
    for at, gone in zip(seen.cuts, seen.gone, strict=True):
        share = wear.uneven**2 / max(wear.uneven**2 + seen.sd**2, TINY)
        uneven[:, at] = share * (gone - smooth[:, at]) + draws[:, at] * wear.uneven * sqrt(max(0.0, 1 - share))
    return uneven


def _weights(pattern: Array, play: Play, felt: Feel | None) -> Array:
    """How much each draw counts: how likely the pattern goes as it was felt to."""
    if felt is None:
        return np.ones(len(pattern))
    free = ((pattern <= play.high) & (pattern >= -play.low)).all(axis=1)
    as_felt = free if felt == Feel.FREE else ~free
    return np.asarray((1 - MISTAKEN) * as_felt + MISTAKEN / len(Feel), dtype=np.float64)


def mean_gone(wear: WearKnown, tracks: Sequence[Track]) -> float:
    """How much is expected to be gone of the cuts on average; not below 0.

    Arguments: the ``wear`` as known and the key's ``tracks``. Returns family unit on one edge. Raises nothing.
    """
    along = along_of(*tracks)
    return max(0.0, sum(wear.at(x) for x in along) / len(along))


def reads_right(tracks: Sequence[Track], wear: WearKnown, sd: float) -> float:
    """The chance that every cut is told rightly once all of them are measured.

    Each is off by what is not known of the wear, by its own unevenness and by the measuring; it is told where that is
    less than half a step. Arguments: the key's ``tracks``, the ``wear`` as known so far, ``sd`` of measuring a cut,
    family unit. Raises nothing.

    >>> from keycore.documents.family import read_family
    >>> tracks = read_family("harbour-five").tracks
    >>> sure = WearKnown(0.0, 0.0, ((0.0, 0.0), (0.0, 0.0)), 0.0005)
    >>> round(reads_right(tracks, sure, 0.0005), 3)
    1.0
    """
    every = along_of(*tracks)
    whole = wear_after(wear, every, [wear.at(x) for x in every], sd, None)
    chance = 1.0
    for track in tracks:
        gap = min(abs(a - b) for a, b in zip(track.values, track.values[1:], strict=False))
        for x in along_of(track):
            off = sqrt(whole.sd_at(x) ** 2 + wear.uneven**2 + sd**2)
            chance *= erf(gap / 2 / (sqrt(2) * off)) if off > 0 else 1.0
    return chance


def along_of(*tracks: Track) -> list[float]:
    """How far along its track each space is, track after track, 0 nearest the bow and 1 nearest the tip.

    Arguments: the ``tracks``. Raises nothing.
    """
    found: list[float] = []
    for track in tracks:
        first, last = min(track.spaces), max(track.spaces)
        found += [(place - first) / (last - first) if last > first else 0.0 for place in track.spaces]
    return found


def best_look(
    family: Family, tracks: Sequence[Track], before: WearKnown, by: MadeEither, sd: float, lock: LockOfPattern
) -> BriefLook:
    """The three cuts and the one height of the blade whose measuring best decides between copy, restore, compensate.

    For each choice the pattern's wear is known by so much afterwards, and what will be found is spread by as much as
    that is better than before; the best way for each thing found, averaged, is what measuring is worth (the expected
    value of sample information, Raiffa and Schlaifer, 1961, from memory). The cuts are of the first track: the others
    went through the same lock as often. Arguments: the family's ``tracks``, what is thought of the pattern's wear
    ``before``, how far keys come out, ``sd`` of measuring a cut, family unit, the ``lock``. Returns a BriefLook.
    Raises InputError for a first track of fewer than three spaces, or a family that has neither play nor tolerance.
    """
    if len(tracks[0].spaces) < CUTS:
        raise InputError("track", f"it has fewer than {CUTS} spaces to measure")
    _, blade_sd = blade_says(family, 0.0, sd)

    def worth(cuts: tuple[int, ...], blade: float) -> float:
        return _expected(family, tracks, before, cuts, (blade, blade_sd), by=by, sd=sd, lock=lock)

    choices = {cuts: worth(cuts, BLADE_PLACES[0]) for cuts in combinations(range(len(tracks[0].spaces)), CUTS)}
    cuts = max(choices, key=lambda cuts: (round(choices[cuts], 3), cuts[-1] - cuts[0]))
    blades = {blade: worth(cuts, blade) for blade in BLADE_PLACES}
    blade = max(blades, key=lambda blade: round(blades[blade], 3))
    without = chances_of(family, tracks, before, by, lock, sd).chance
    return BriefLook(tuple(cut + 1 for cut in cuts), blade, without, max(without, blades[blade]))


def _expected(
    family: Family, tracks: Sequence[Track], before: WearKnown, cuts: tuple[int, ...], blade: tuple[float, float], *,
    by: MadeEither, sd: float, lock: LockOfPattern,
) -> float:  # fmt: skip
    """The chance that the key turns by the best way, averaged over what measuring may find."""
    along = along_of(tracks[0])
    places = [along[cut] for cut in cuts]
    middle = [before.at(x) for x in places]
    after = wear_after(before, places, middle, sd, (blade[0], before.at(blade[0]), blade[1]))
    told = np.array(before.cov) - np.array(after.cov)  # how far what is found may lie from what was thought
    a = sqrt(max(told[0, 0], 0.0))
    b = told[0, 1] / a if a > 0 else 0.0
    c = sqrt(max(told[1, 1] - b**2, 0.0))
    total = 0.0
    for (first, one), (second, other) in product(NODES, NODES):
        found = WearKnown(
            before.everywhere + first * a, before.at_tip + first * b + second * c, after.cov, after.uneven
        )
        seen = BrieflyMeasured(cuts, tuple(found.at(x) for x in places), sd)
        total += one * other * chances_of(family, tracks, found, by, lock, sd, seen=seen).chance
    return total
