"""Code series by formula: a range of codes, and the rule that turns each into its bitting."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from keycore.bittings import list_bittings
from keycore.codes.series import looked_up
from keycore.errors import BeyondReach, InputError
from keycore.family import Family, Track

_NUMBERED = re.compile(r"(.*?)(\d+)(\D*)")
MOST_CODES = 1_000_000


@dataclass(frozen=True, slots=True)
class Formula:
    """A range of codes and its rule.

    ``digits``: the characters of the code at ``places`` (from 1, as the code is looked up) are the
    labels of the cuts; a number whose characters are no labels is no code of the series.
    ``counted``: the first code is the ``start``-th bitting that the family's rules allow, shallowest
    first and the last space turning quickest, and each further code is ``every`` bittings on.
    """

    first: str
    last: str
    rule: Literal["digits", "counted"]
    places: tuple[int, ...] = ()
    start: int = 1
    every: int = 1


def rows_of(formula: Formula, family: Family, track: Track) -> Iterator[tuple[int, str, str]]:
    """The codes of a formula with their bittings, as rows of a table: place in the range, code, bitting.

    Raises InputError for ends that are no range, places that do not fit, or more codes than the
    rule has bittings; BeyondReach beyond a million codes.

    >>> from keycore.family import Depth, End, Gauge
    >>> from keycore.kinds import kind_of
    >>> from keycore.units import Unit
    >>> track = Track("A", (0.2, 0.35), tuple(Depth(str(k), 0.33 - 0.015 * k) for k in range(3)), macs=1)
    >>> family = Family("f", "F", kind_of("edge"), Unit.INCH, Gauge.SHOULDER, End.BOW, (track,))
    >>> list(rows_of(Formula("V008", "V011", "counted", every=2), family, track))
    [(1, 'V008', '0 0'), (2, 'V009', '1 0'), (3, 'V010', '1 2'), (4, 'V011', '2 2')]
    >>> list(rows_of(Formula("K19", "K21", "digits", places=(3, 2)), family, track))
    [(2, 'K20', '0 2'), (3, 'K21', '1 2')]
    """
    codes = _codes(formula)
    return _by_digits(formula, track, codes) if formula.rule == "digits" else _counted(formula, family, track, codes)


def _codes(formula: Formula) -> list[str]:
    first, last = (_NUMBERED.fullmatch(end.strip()) for end in (formula.first, formula.last))
    if first is None or last is None or first[1] != last[1] or first[3] != last[3] or len(first[2]) != len(last[2]):
        raise InputError("formula.to", "must be written as the first code is, with another number in it")
    begin, end = int(first[2]), int(last[2])
    if end < begin:
        raise InputError("formula.to", "comes before the first code")
    if end - begin >= MOST_CODES:
        raise BeyondReach("formula.to", f"{end - begin + 1:,} codes, more than {MOST_CODES:,}")
    return [f"{first[1]}{number:0{len(first[2])}d}{first[3]}" for number in range(begin, end + 1)]


def _by_digits(formula: Formula, track: Track, codes: list[str]) -> Iterator[tuple[int, str, str]]:
    length = len(looked_up(codes[0]))
    if len(formula.places) != len(track.spaces) or not all(1 <= place <= length for place in formula.places):
        raise InputError(
            "formula.places", f"needs one place from 1 to {length} for each of the {len(track.spaces)} cuts"
        )
    for number, code in enumerate(codes, start=1):
        plain = looked_up(code)
        labels = [plain[place - 1] for place in formula.places]
        if all(label in track.labels for label in labels):
            yield number, code, " ".join(labels)


def _counted(formula: Formula, family: Family, track: Track, codes: list[str]) -> Iterator[tuple[int, str, str]]:
    bittings = list_bittings(track, family.rules, True)
    last = formula.start + formula.every * (len(codes) - 1)
    if last > len(bittings):
        raise InputError("formula", f"the last code would be bitting {last:,} of the {len(bittings):,} allowed")
    chosen = bittings[formula.start - 1 : last : formula.every]
    for number, (code, steps) in enumerate(zip(codes, chosen.tolist(), strict=True), start=1):
        yield number, code, " ".join(track.labels[step] for step in steps)
