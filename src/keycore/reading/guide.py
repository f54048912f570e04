"""The fitting guide: which row of a shop's table a key or a lock is, found by what is known, and what to ask next."""

from __future__ import annotations

import re
from collections.abc import Callable, Hashable, Mapping, Sequence
from dataclasses import dataclass

from keycore.errors import InputError

EXACT, BEGINS, WITHIN = 3, 2, 1  # how well a word fits: the whole word, its beginning, somewhere in it
WITHIN_FROM = 4  # letters: shorter words are found by chance in others


@dataclass(frozen=True)
class BlankNumber:
    """A blank as one supplier calls it."""

    supplier: str
    number: str

    @property
    def plain(self) -> str:
        """The number as it is compared: no case, spaces, hyphens or dots."""
        return plain_number(self.number)


@dataclass(frozen=True)
class GuideRow:
    """One row of the guide: what a key is for, and all that is needed to make it. What is not known is "" or None.

    Raises InputError for a row that says nothing, years the wrong way round, or fewer than one cut.
    """

    what: str
    since: int | None = None  # years, both included
    until: int | None = None
    use: str = ""  # door, ignition, locker, …
    family: str = ""  # its id
    cuts: int | None = None
    blanks: tuple[BlankNumber, ...] = ()
    clamp: str = ""
    face: str = ""
    stop: str = ""
    electronics: str = ""  # the class of its head; "none" for one of metal alone
    procedure: str = ""

    def __post_init__(self) -> None:
        if not self.what.strip():
            raise InputError("what", "says what the key is for")
        if self.since is not None and self.until is not None and self.since > self.until:
            raise InputError("until", f"{self.until} is before {self.since}")
        if self.cuts is not None and self.cuts < 1:
            raise InputError("cuts", "at least 1")


@dataclass(frozen=True)
class Known:
    """What is known of a key: words, a year, how many cuts it has, a number on its blank, what it is used for."""

    words: str = ""
    year: int | None = None
    cuts: int | None = None
    blank: str = ""
    use: str = ""
    electronics: str = ""
    before: int | None = None  # a year that it is older than
    since: int | None = None  # a year from which on it is


@dataclass(frozen=True)
class Question:
    """The one question that leaves the fewest rows: the field, its answers, and how many rows each leaves."""

    field: str
    answers: tuple[tuple[str | int, int], ...]  # in order, each with the rows it leaves; of a year: before it, since it
    left: float  # rows, on average


def plain_number(text: str) -> str:
    """A blank's number, as ``text`` has it, without what differs from hand to hand. Raises nothing.

    >>> plain_number("Hb-5 r.2")
    'HB5R2'
    """
    return re.sub(r"[\s.\-_/]", "", text).upper()


def find_rows(rows: Sequence[GuideRow], known: Known) -> list[GuideRow]:
    """The rows that what is known leaves, best first.

    A row is left out where it contradicts: another year, number of cuts, use, electronics, or a blank of another
    number. Words are looked for in what it is for, its use, its family and its blanks' numbers: rows with every word
    stay, and where none has them all, those that have most; a whole word counts for more than a beginning, or a part.
    What a row does not say contradicts nothing. Arguments: ``rows`` (m,), of which each may stay. Raises nothing.

    >>> rows = [GuideRow("Harbour ferry", cuts=5), GuideRow("Harbourside lockers", cuts=6), GuideRow("Theatre")]
    >>> [row.what for row in find_rows(rows, Known("harbour"))]
    ['Harbour ferry', 'Harbourside lockers']
    >>> [row.what for row in find_rows(rows, Known("harbour", cuts=6))]
    ['Harbourside lockers']
    """
    wanted = re.findall(r"\w+", known.words.casefold())
    scored = []
    for row in rows:
        if not _contradicts(row, known):
            fits = [_fit(word, row) for word in wanted]
            scored.append((sum(map(bool, fits)), sum(fits), row))
    most = max((words for words, *_ in scored), default=0)
    left = [(fit, row) for words, fit, row in scored if words == most and (most or not wanted)]
    return [row for _, row in sorted(left, key=lambda each: -each[0])]


def _contradicts(row: GuideRow, known: Known) -> bool:
    if known.year is not None and (
        (row.since is not None and known.year < row.since) or (row.until is not None and known.year > row.until)
    ):
        return True
    if known.before is not None and row.since is not None and row.since >= known.before:
        return True
    if known.since is not None and row.until is not None and row.until < known.since:
        return True
    if None not in (known.cuts, row.cuts) and known.cuts != row.cuts:
        return True
    for asked, said in ((known.use, row.use), (known.electronics, row.electronics)):
        if asked and said and asked.casefold() != said.casefold():
            return True
    number = plain_number(known.blank)
    return bool(number) and not any(blank.plain.startswith(number) for blank in row.blanks)


def _fit(word: str, row: GuideRow) -> int:
    said = " ".join((row.what, row.use, row.family, *(blank.number for blank in row.blanks))).casefold()
    tokens = re.findall(r"\w+", said)
    if word in tokens:
        return EXACT
    if any(token.startswith(word) for token in tokens):
        return BEGINS
    return WITHIN if len(word) >= WITHIN_FROM and word in said else 0


def next_question(rows: Sequence[GuideRow]) -> Question | None:
    """The question whose answer leaves the fewest rows on average, every row being as likely; None where none helps.

    For answers that k_i of n rows give, sum k_i^2 / n rows are left. Asked may be: how many cuts, what it is for, what
    electronics its head has, the year (before or from one, the best such year), the number on its blank. A row that
    does not say is left by every answer, and counted with each. Arguments: the ``rows`` (n,) that are left. Raises
    nothing.

    >>> rows = [GuideRow("A", cuts=8), GuideRow("B", cuts=8), GuideRow("C", cuts=10), GuideRow("D", cuts=10)]
    >>> asked = next_question(rows)
    >>> asked.field, asked.answers, asked.left
    ('cuts', ((8, 2), (10, 2)), 2.0)
    """
    found = [asked for field, tell in ASKED.items() if (asked := _by_value(field, rows, tell)) is not None]
    found += [asked for year in sorted({row.since for row in rows if row.since}) if (asked := _by_year(rows, year))]
    return min(found, key=lambda asked: asked.left, default=None)


ASKED: Mapping[str, Callable[[GuideRow], str | int | None]] = {
    "cuts": lambda row: row.cuts,
    "use": lambda row: row.use.casefold() or None,
    "electronics": lambda row: row.electronics.casefold() or None,
    "blank": lambda row: row.blanks[0].number if row.blanks else None,
}
"""What may be asked, the easiest to see first: of two that leave as few rows it is the one asked."""


def _by_value(field: str, rows: Sequence[GuideRow], tell: Callable[[GuideRow], str | int | None]) -> Question | None:
    told = [tell(row) for row in rows]
    values = sorted({value for value in told if value is not None}, key=_in_order)
    unsaid = sum(value is None for value in told)
    if len(values) < 2:
        return None
    answers = tuple((value, sum(each == value for each in told) + unsaid) for value in values)
    return Question(field, answers, _left(answers, unsaid))


def _by_year(rows: Sequence[GuideRow], year: int) -> Question | None:
    """Whether it is older than a year: rows that lie across it are left by both answers."""
    before = sum(row.since is None or row.since < year for row in rows)
    later = sum(row.until is None or row.until >= year for row in rows)
    both = before + later - len(rows)
    if before == len(rows) or later == len(rows):
        return None
    answers: tuple[tuple[str | int, int], ...] = ((f"before {year}", before), (f"since {year}", later))
    return Question("year", answers, _left(answers, both))


def _left(answers: Sequence[tuple[Hashable, int]], unsaid: int) -> float:
    """The rows left on average: each answer as likely as the rows that give it; what says nothing is shared out."""
    rows = sum(count - unsaid for _, count in answers) + unsaid
    chances = [(count - unsaid + unsaid / len(answers)) / rows for _, count in answers]
    return sum(chance * count for chance, (_, count) in zip(chances, answers, strict=True))


def _in_order(value: str | int) -> tuple[int, str]:
    return (value, "") if isinstance(value, int) else (0, value)
