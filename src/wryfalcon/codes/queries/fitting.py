"""Which codes of a family's series a reading may be, weighed by the reading's own probabilities."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from keycore.codes.pattern import Pattern
from keycore.codes.series import broken_rules
from keycore.errors import InputError
from keycore.family import Rules, Track
from keycore.reading.decode import Reading, weigh_plainly
from keycore.reading.evidence import Evidence
from keycore.reading.instruments import SHOP_STRAY
from wryfalcon.codes.queries.by_bitting import Table, tables_of
from wryfalcon.codes.queries.by_code import FoundCode, with_series
from wryfalcon.library.models import FamilyRecord

MOST_WEIGHED = 20_000
BEST = 5
ENOUGH = 1e-3
LEAST_GIVEN = 0.005
HARDLY = (0.0, 1e-12, 1e-9, 1e-6, 1e-3)
"""A depth less likely than this at its space is left out: the least that leaves few enough codes to weigh."""


@dataclass(frozen=True)
class FittingCode:
    """A code that what was read may be, and its chance among the series' own."""

    code: FoundCode
    chance: float


@dataclass(frozen=True)
class CodesThatFit:
    """The codes that what was read may be, and how the series stand to the reading's own likeliest."""

    codes: tuple[FittingCode, ...] = ()
    of_likeliest: int = 0  # how many of the reading's likeliest bittings some series has
    likeliest: int = 0
    series: int = 0


def codes_that_fit(record: FamilyRecord, track: Track, evidence: tuple[Evidence, ...]) -> CodesThatFit:
    """The likeliest codes of the family's series, given what was read: nothing outside them is considered.

    No code without a series, where what was read leaves more than 20,000 codes, or when no code explains it.
    Of a long series only codes are weighed whose every depth the reading alone does not all but rule out. Those
    passed over hold together at most the chances of the depths passed over; no code is given unless that is
    less than a thousandth of what the codes given hold.
    """
    tables = tables_of(record, track)
    if not tables:
        return CodesThatFit()
    try:
        plainly = weigh_plainly(Reading(record.family, track, evidence, stray=SHOP_STRAY))
    except InputError:
        return CodesThatFit(series=len(tables))
    marginals, likeliest = plainly.marginals(), [steps for steps, _ in plainly.likeliest(BEST)]
    for hardly in HARDLY:
        pattern: Pattern = tuple(frozenset(np.flatnonzero(row >= hardly).tolist()) for row in marginals)
        places = [table.agreeing(pattern) for table in tables]
        if sum(map(len, places)) <= MOST_WEIGHED:
            break
    else:
        return CodesThatFit(series=len(tables))
    code_at = _keeping_the_rules(record.family.rules, tables, places)
    best = _weigh(record, track, evidence, tuple(code_at))
    passed_over = sum(float(row[row < hardly].sum()) for row in marginals)
    if passed_over > ENOUGH * sum(plainly.chance_of(steps) for steps, _ in best):
        best = []
    rows = [(code_at[steps], chance) for steps, chance in best if chance >= LEAST_GIVEN]
    codes = with_series(
        [row for (table, place), _ in rows for row in table.rows(np.array([place]), record.family.rules)]
    )
    return CodesThatFit(
        tuple(FittingCode(code, chance) for code, (_, chance) in zip(codes, rows, strict=True)),
        sum(steps in code_at for steps in likeliest),
        len(likeliest),
        len(tables),
    )


def _keeping_the_rules(
    rules: Rules, tables: Sequence[Table], places: Sequence[NDArray[np.intp]]
) -> dict[tuple[int, ...], tuple[Table, int]]:
    """The bittings that keep the family's rules, with the first code that has each."""
    found: dict[tuple[int, ...], tuple[Table, int]] = {}
    for table, some in zip(tables, places, strict=True):
        bittings = table.steps(some)
        broken = broken_rules(table.track, rules, bittings)
        for steps, words, place in zip(map(tuple, bittings.tolist()), broken, some.tolist(), strict=True):
            if not words:
                found.setdefault(steps, (table, place))
    return found


def _weigh(
    record: FamilyRecord, track: Track, evidence: tuple[Evidence, ...], among: tuple[tuple[int, ...], ...]
) -> list[tuple[tuple[int, ...], float]]:
    if not among:
        return []
    try:
        return weigh_plainly(Reading(record.family, track, evidence, frozenset(), SHOP_STRAY, among)).likeliest(BEST)
    except InputError:
        return []
