"""Code series: tables that turn an indirect code into a bitting, checked row by row against their family."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass

from keycore.errors import InputError
from keycore.family import Family, Track
from keycore.rules import breaks

_PASSED_OVER = re.compile(r"[\s\-\N{EN DASH}\N{EM DASH}./_]+")
LONGEST_CODE = 40


@dataclass(frozen=True, slots=True)
class CodeRow:
    """One code as it is printed, as it is looked up, and the bitting it stands for."""

    code: str
    looked_up: str
    steps: tuple[int, ...]
    broken: str  # the rules the bitting breaks, "" for none


@dataclass(frozen=True, slots=True)
class BadRow:
    """A row that cannot be taken: its line, what it says, and why not."""

    line: int
    code: str
    reason: str


@dataclass(frozen=True, slots=True)
class CheckedRows:
    """A table checked against its family."""

    rows: tuple[CodeRow, ...]
    bad: tuple[BadRow, ...]


def looked_up(code: str) -> str:
    """A code as it is looked up: capitals, without the blanks, dashes and points that print puts in.

    Leading zeros and prefixes stay. Raises nothing.

    >>> looked_up(" t-0 041 "), looked_up("T0041")
    ('T0041', 'T0041')
    """
    return _PASSED_OVER.sub("", code).upper()


def bitting_steps(track: Track, text: str) -> tuple[int, ...]:
    """A bitting of a table as steps: labels with spaces between, or run together when all are one character.

    Raises InputError for a label that is none of the track's or a wrong number of cuts.

    >>> from keycore.family import Depth
    >>> track = Track("A", (0.2, 0.35), (Depth("1", 0.33), Depth("2", 0.31)))
    >>> bitting_steps(track, "12"), bitting_steps(track, "2 1")
    ((0, 1), (1, 0))
    """
    labels = text.split()
    if len(labels) == 1 and len(track.spaces) > 1 and all(len(label) == 1 for label in track.labels):
        labels = list(labels[0])
    if len(labels) != len(track.spaces):
        raise InputError("bitting", f"{len(labels)} cuts where the family has {len(track.spaces)}")
    return track.steps(labels)


def check_rows(family: Family, track: Track, rows: Iterable[tuple[int, str, str]]) -> CheckedRows:
    """Check a table: every row is kept, flagged where its bitting breaks a rule, or named as bad.

    Arguments: ``rows`` of line number, code and bitting as written. A code that comes twice is bad the
    second time. Returns CheckedRows in the table's order. Raises nothing.
    """
    kept: list[CodeRow] = []
    bad: list[BadRow] = []
    seen: dict[str, int] = {}
    for line, code, bitting in rows:
        wanted = looked_up(code)
        reason = _wrong_code(code, wanted, seen)
        if reason:
            bad.append(BadRow(line, code[:LONGEST_CODE], reason))
            continue
        try:
            steps = bitting_steps(track, bitting)
        except InputError as error:
            bad.append(BadRow(line, code[:LONGEST_CODE], error.reason))
            continue
        seen[wanted] = line
        kept.append(CodeRow(code.strip(), wanted, steps, _broken(family, track, steps)))
    return CheckedRows(tuple(kept), tuple(bad))


def _wrong_code(code: str, wanted: str, seen: dict[str, int]) -> str:
    if not wanted:
        return "no code"
    if len(code.strip()) > LONGEST_CODE:
        return f"a code of more than {LONGEST_CODE} characters"
    return f"the same code as line {seen[wanted]}" if wanted in seen else ""


def _broken(family: Family, track: Track, steps: tuple[int, ...]) -> str:
    return ", ".join(sorted({each.rule for each in breaks(track, family.rules, steps)}))
