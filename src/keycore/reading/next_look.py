"""What to look at next: what another pass of the caliper can cure, and what only another source can.

Each look is weighed by the chance that it would leave, on average, to the likeliest bitting, over the likeliest few.
A caliper read again tells no more than its own share of the doubt: a nick, and wear that moved the whole key by a
step, it reads again as they are. Comparing by eye shows a nick for what it is, and a whole key one step off not at
all; a depth key or the lock itself tells both.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from enum import StrEnum
from math import sqrt

import numpy as np

from keycore.family import Family, Track
from keycore.reading.evidence import Beside, Compared, Measured, Pair
from keycore.reading.instruments import CALIPER_SD, COMPARED_SD, RESOLVES
from keycore.reading.likelihood import FLUSH_IF_FAR, FLUSH_IF_NEXT, FLUSH_IF_SAME, Array, compared_ties

SURE_ENOUGH = 0.99  # at this chance nothing need be looked at
NICK = 0.008  # how far a cut may be off by itself, inches
BY_ITSELF = 3.0  # a value so many sd from what its fellows say is off by itself, if that depth is right
HARDLY_MORE = 0.03  # a dearer look is worth its trouble where it leaves so much more
WORTH_A_LOOK = 0.01  # so much more must be left to the likeliest
TURNS, TURNS_ANYWAY = 0.98, 0.01  # a right key in its lock, and a wrong one; no source
NODES = 201  # of the values that a caliper may read
NEAR = 2  # so many of the sure cuts nearest to one are worth holding it against


class With(StrEnum):
    """What to look with, cheapest first."""

    CALIPERS = "calipers"
    EYE = "eye"
    DEPTH_KEY = "depth-key"
    LOCK = "lock"


@dataclass(frozen=True, slots=True)
class NextLook:
    """What to look with and where: the chance it would leave to the likeliest bitting, on average."""

    using: With
    space: int | None  # from 1; None for the whole key
    leaves: float
    beside: int | None = None  # by eye: the space to hold it against


def next_look(
    family: Family, track: Track, bittings: Sequence[tuple[tuple[int, ...], float]], measured: Measured | None
) -> NextLook | None:
    """The cheapest look that leaves about as much as any.

    Arguments: a family and its track; the likeliest bittings, steps (n,) and chance, likeliest first; the first
    measured source in the family's order, None where there is none. Returns a NextLook, None where the best has
    0.99 or more, nothing stands beside it, or no look is worth its trouble. Raises nothing.

    >>> from keycore.documents.family import read_family
    >>> five = read_family("harbour-five")
    >>> found = next_look(five, five.tracks[0], [((2, 4, 1, 3, 0), 0.6), ((1, 3, 0, 2, 0), 0.4)], None)
    >>> found.using.value, found.space, found.beside
    ('eye', 3, 5)
    """
    if len(bittings) < 2 or bittings[0][1] >= SURE_ENOUGH:
        return None
    steps = np.array([each for each, _ in bittings])
    chance = np.array([each for _, each in bittings])
    best: dict[With, NextLook] = {}
    for look in _looks(family, track, steps, chance, measured):
        if look.using not in best or look.leaves > best[look.using].leaves + 1e-9:
            best[look.using] = look
    most = max(look.leaves for look in best.values())
    if most < float(chance[0]) + WORTH_A_LOOK:
        return None
    return next(best[using] for using in With if using in best and best[using].leaves >= most - HARDLY_MORE)


def _looks(family: Family, track: Track, steps: Array, chance: Array, measured: Measured | None) -> Iterator[NextLook]:
    differ = [place for place in range(steps.shape[1]) if len(set(steps[:, place].tolist())) > 1]
    for place in differ:
        if measured is not None:
            yield NextLook(With.CALIPERS, place + 1, _by_caliper(family, track, steps, chance, measured, place))
        sure = [other for other in range(steps.shape[1]) if other not in differ]
        for beside in sorted(sure, key=lambda other: abs(other - place))[:NEAR]:
            leaves = _by_eye(family, track, steps, chance, (place, beside))
            yield NextLook(With.EYE, place + 1, leaves, beside + 1)
        for depth in sorted(set(steps[:, place].tolist())):
            away = np.abs(steps[:, place] - depth)
            flush = np.select([away == 0, away == 1], [FLUSH_IF_SAME, FLUSH_IF_NEXT], FLUSH_IF_FAR)
            yield NextLook(With.DEPTH_KEY, place + 1, _left(chance, [flush, 1 - flush]))
    turns = np.where(np.arange(len(chance)) == 0, TURNS, TURNS_ANYWAY)
    yield NextLook(With.LOCK, None, _left(chance, [turns, 1 - turns]))


def _left(chance: Array, outcomes: Sequence[Array]) -> float:
    """The chance left to the likeliest, over what may be seen."""
    return float(sum((chance * outcome).max() for outcome in outcomes))


def _by_caliper(family: Family, track: Track, steps: Array, chance: Array, measured: Measured, place: int) -> float:
    """One more reading of a cut: where it lies is known but for the caliper's own doubt, whatever the depth."""
    values, read = np.array(track.values), measured.values[place]
    inch = family.per_inch
    sd = measured.sd[place]
    of_caliper = min((CALIPER_SD * inch) ** 2, 0.5 * sd**2)
    expected = values[steps[:, place]] + _offsets(track, steps, measured)
    if read is None:
        means, variances = expected, np.full(len(steps), sd**2)
    else:
        off = read - expected
        alone = np.where(np.abs(off) > BY_ITSELF * sd, (NICK * inch) ** 2, 0.0)
        of_cut = sd**2 - of_caliper + alone
        share = of_caliper / (of_cut + of_caliper)
        means, variances = read - off * share, of_cut * share + of_caliper
    reach = 5 * sqrt(float(variances.max()))
    at = np.linspace(float(means.min()) - reach, float(means.max()) + reach, NODES)
    density = chance[:, None] * np.exp(-0.5 * (at - means[:, None]) ** 2 / variances[:, None])
    density /= np.sqrt(2 * np.pi * variances)[:, None]
    return float(np.trapezoid(density.max(axis=0), at))


def _offsets(track: Track, steps: Array, measured: Measured) -> Array:
    """What each bitting makes of the offset: its mean given the values read, (m,)."""
    values = np.array(track.values)
    precision = np.array([0.0 if v is None else sd**-2 for v, sd in zip(measured.values, measured.sd, strict=True)])
    read = np.array([0.0 if v is None else v for v in measured.values])
    off = (read - values[steps]) @ precision
    if measured.offset.sd == 0:
        return np.full(len(steps), measured.offset.mean)
    prior = measured.offset.sd**-2
    return np.asarray((off + measured.offset.mean * prior) / (precision.sum() + prior))


def _by_eye(family: Family, track: Track, steps: Array, chance: Array, pair: tuple[int, int]) -> float:
    first, second = pair
    outcomes = []
    for compared in Beside:
        seen = Compared(
            steps.shape[1], (Pair(first, second, compared),), RESOLVES[family.unit], COMPARED_SD[family.unit]
        )
        ((a, b), table) = next(iter(compared_ties(seen, family, track, 0.01).items()))
        outcomes.append(np.exp(table[steps[:, a], steps[:, b]]))
    return _left(chance, outcomes)
