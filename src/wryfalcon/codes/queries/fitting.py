"""Which codes of a family's series a reading may be, weighed by the reading's own probabilities."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from keycore.codes.pattern import Pattern
from keycore.errors import InputError
from keycore.family import Track
from keycore.reading.decode import Reading, weigh_plainly
from keycore.reading.evidence import Evidence
from wryfalcon.codes.models import Series
from wryfalcon.codes.queries.by_bitting import keys_agreeing, rows_of
from wryfalcon.codes.queries.by_code import FoundCode, with_series
from wryfalcon.library.models import FamilyRecord

MOST_WEIGHED = 20_000
BEST = 5
ENOUGH = 1e-3
HARDLY = (0.0, 1e-12, 1e-9, 1e-6, 1e-3)
"""A depth less likely than this at its space is left out: the least that leaves few enough codes to weigh."""


@dataclass(frozen=True)
class FittingCode:
    """A code that what was read may be, and its chance among the series' own."""

    code: FoundCode
    chance: float


@dataclass(frozen=True)
class Fitting:
    """The codes that what was read may be, and how the series stand to the reading's own likeliest."""

    codes: tuple[FittingCode, ...] = ()
    of_likeliest: int = 0  # how many of the reading's likeliest bittings some series has
    likeliest: int = 0
    series: int = 0


def codes_that_fit(record: FamilyRecord, track: Track, evidence: tuple[Evidence, ...]) -> Fitting:
    """The likeliest codes of the family's series, given what was read: nothing outside them is considered.

    No code without a series, where what was read leaves more than 20,000 codes, or when no code explains it.
    Of a long series only codes are weighed whose every depth the reading alone does not all but rule out. Those
    passed over hold together at most the chances of the depths passed over; no code is given unless that is
    less than a thousandth of what the codes given hold.
    """
    every = list(Series.objects.in_force().filter(family_record=record, track=track.name))
    if not every:
        return Fitting()
    family = record.family
    try:
        plainly = weigh_plainly(Reading(family, track, evidence))
    except InputError:
        return Fitting(series=len(every))
    marginals = plainly.marginals()
    likeliest = [steps for steps, _ in plainly.likeliest(BEST)]
    for hardly in HARDLY:
        pattern: Pattern = tuple(frozenset(np.flatnonzero(row >= hardly).tolist()) for row in marginals)
        keys = np.concatenate([keys_agreeing(series, track, pattern) for series in every])
        if len(keys) <= MOST_WEIGHED:
            break
    else:
        return Fitting(series=len(every))
    found = [each for each in with_series(rows_of(keys)) if not each.broken]
    by_steps: dict[tuple[int, ...], FoundCode] = {}
    for each in found:
        by_steps.setdefault(track.steps(each.bitting.split()), each)
    has = sum(steps in by_steps for steps in likeliest)
    best = _weigh(record, track, evidence, tuple(by_steps))
    passed_over = sum(float(row[row < hardly].sum()) for row in marginals)
    if passed_over > ENOUGH * sum(plainly.chance_of(steps) for steps, _ in best):
        best = []
    codes = tuple(FittingCode(by_steps[steps], chance) for steps, chance in best if chance >= 0.005)
    return Fitting(codes, has, len(likeliest), len(every))


def _weigh(
    record: FamilyRecord, track: Track, evidence: tuple[Evidence, ...], among: tuple[tuple[int, ...], ...]
) -> list[tuple[tuple[int, ...], float]]:
    if not among:
        return []
    try:
        return weigh_plainly(Reading(record.family, track, evidence, frozenset(), among=among)).likeliest(BEST)
    except InputError:
        return []
