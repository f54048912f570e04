"""Code series: tables that turn an indirect code into a bitting, checked against their family."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from unicodedata import category

import numpy as np
from numpy.typing import NDArray

from keycore.bittings import keep_rules
from keycore.errors import InputError
from keycore.family import Family, Rules, Track
from keycore.rules import breaks

_PASSED_OVER = re.compile(r"[\s\-\N{EN DASH}\N{EM DASH}./_]+")
_RANGE = re.compile(r"\s+(?:to|\N{EN DASH}|-)\s+|\.\.+|\N{HORIZONTAL ELLIPSIS}", re.IGNORECASE)
_PLAIN = str.maketrans("", "", " -\N{EN DASH}\N{EM DASH}./_\t")
_PRINTED = re.compile(r"[#x]+")
_BETWEEN_LABELS = str.maketrans(",;|/", "    ")
LONGEST_CODE = 40


@dataclass(frozen=True, slots=True)
class BadRow:
    """A row that cannot be taken: its line, what it says, and why not."""

    line: int
    code: str
    reason: str


@dataclass(frozen=True, slots=True)
class CheckedRows:
    """Rows of a table checked against their family: what was kept in its order, and what cannot be taken.

    ``lines``, ``codes`` as printed and ``looked_up`` (b,); ``steps`` (b, n); ``broken`` (b,) the rules
    that each bitting breaks, "" for none.
    """

    lines: tuple[int, ...]
    codes: tuple[str, ...]
    looked_up: tuple[str, ...]
    steps: NDArray[np.int8]
    broken: tuple[str, ...]
    bad: tuple[BadRow, ...]

    @property
    def flagged(self) -> int:
        """How many bittings break a rule of the family: kept, and marked."""
        return sum(map(bool, self.broken))


def check_printed(printed: str) -> str:
    """A rule for codes as they are printed: # for a character that counts, x for one that does not.

    Returns it as given. Raises InputError for any other character, or one in which nothing counts.

    >>> check_printed("#####x")
    '#####x'
    """
    if printed and (not _PRINTED.fullmatch(printed) or "#" not in printed or len(printed) > LONGEST_CODE):
        raise InputError("printed", "use # for each character that counts and x for each that does not")
    return printed


def looked_up(code: str, printed: str = "") -> str:
    """A code as it is looked up: capitals, without the blanks, dashes and points that print puts in.

    Leading zeros and prefixes stay. ``printed`` is the series' own rule for what else is not used; a
    code of another length than the rule is taken to have been shortened already. Raises nothing.

    >>> looked_up(" t-0 041 "), looked_up("T0041")
    ('T0041', 'T0041')
    >>> looked_up("T-0041-K", "#####x"), looked_up("T0041", "#####x")
    ('T0041', 'T0041')
    """
    plain = _PASSED_OVER.sub("", code).upper()
    if len(plain) != len(printed):
        return plain
    return "".join(character for character, mark in zip(plain, printed, strict=True) if mark == "#")


def code_range(text: str) -> tuple[str, str] | None:
    """The two ends of a range of codes, as ``text`` has them typed; None for anything else. Raises nothing.

    >>> code_range("T0041 - T0050"), code_range("T0041..T0050"), code_range("T-0041")
    (('T0041', 'T0050'), ('T0041', 'T0050'), None)
    """
    ends = [end.strip() for end in _RANGE.split(text.strip())]
    return (ends[0], ends[1]) if len(ends) == 2 and all(map(looked_up, ends)) else None


def bitting_steps(track: Track, text: str) -> tuple[int, ...]:
    """A bitting of a table, its ``text``, as steps: labels with spaces, commas, semicolons, bars or slashes between.

    Labels may be run together when all are one character.

    Raises InputError for a label that is none of the track's or a wrong number of cuts.

    >>> from keycore.family import Depth
    >>> track = Track("A", (0.2, 0.35), (Depth("1", 0.33), Depth("2", 0.31)))
    >>> bitting_steps(track, "12"), bitting_steps(track, "2 1"), bitting_steps(track, "2,1")
    ((0, 1), (1, 0), (1, 0))
    """
    own = set("".join(track.labels))
    labels = text.translate({mark: to for mark, to in _BETWEEN_LABELS.items() if chr(mark) not in own}).split()
    if len(labels) == 1 and len(track.spaces) > 1 and all(len(label) == 1 for label in track.labels):
        labels = list(labels[0])
    if len(labels) != len(track.spaces):
        raise InputError("bitting", f"{len(labels)} cuts where the family has {len(track.spaces)}")
    return track.steps(labels)


def bitting_texts(track: Track, steps: NDArray[np.int8]) -> list[str]:
    """Bittings, ``steps`` (b, n), as text, their labels with spaces between. Raises nothing.

    >>> from keycore.family import Depth
    >>> track = Track("A", (0.2, 0.35), (Depth("1", 0.33), Depth("2", 0.31)))
    >>> bitting_texts(track, np.array([[0, 1], [1, 1]], np.int8))
    ['1 2', '2 2']
    """
    if not all(len(label) == 1 and label.isascii() for label in track.labels):
        return [" ".join([track.labels[step] for step in row]) for row in steps.tolist()]
    letters = np.full((len(steps), 2 * len(track.spaces) - 1), ord(" "), dtype=np.uint8)
    letters[:, ::2] = np.array([ord(label) for label in track.labels], dtype=np.uint8)[steps]
    return [str(text) for text in letters.view(f"S{letters.shape[1]}").ravel().astype(str).tolist()]


def check_rows(family: Family, track: Track, rows: Iterable[tuple[int, str, str]], printed: str = "") -> CheckedRows:
    """Check rows of a table: each is kept, flagged where its bitting breaks a rule, or named as bad.

    Arguments: ``rows`` of line number, code and bitting as written; ``printed`` the rule of the
    series. Returns CheckedRows in the table's order; whether a code comes twice is for whoever
    keeps them all to say. Raises nothing.

    >>> from keycore.family import Depth, End, Gauge
    >>> from keycore.kinds import kind_of
    >>> from keycore.units import Unit
    >>> track = Track("A", (0.2, 0.35), (Depth("1", 0.33), Depth("2", 0.31)))
    >>> family = Family("f", "F", kind_of("edge"), Unit.INCH, Gauge.SHOULDER, End.BOW, (track,))
    >>> checked = check_rows(family, track, [(2, "T-01", "12"), (3, "", "12"), (4, "T2", "1 9")])
    >>> checked.looked_up, checked.steps.tolist(), [row.line for row in checked.bad]
    (('T01',), [[0, 1]], [3, 4])
    >>> check_rows(family, track, []).steps.shape
    (0, 2)
    """
    wanted = list(rows)
    # A plain translation does all that the pattern does, for codes without unusual blanks.
    keys = [code.translate(_PLAIN).upper() for _, code, _ in wanted]
    keys = [
        key if key.isascii() and key.isalnum() and not printed else looked_up(wanted[place][1], printed)
        for place, key in enumerate(keys)
    ]
    steps = _steps_of(track, [bitting for _, _, bitting in wanted])
    bad: list[BadRow] = []
    good: list[int] = []
    for place, (line, code, bitting) in enumerate(wanted):
        if steps[place, 0] >= 0 and keys[place] and len(code) <= LONGEST_CODE and code.isprintable():
            good.append(place)
            continue
        reason, read = _wrong(track, code, keys[place], bitting)
        if reason:
            bad.append(BadRow(line, code[:LONGEST_CODE], reason))
        else:
            steps[place] = read
            good.append(place)
    kept = steps[good]
    return CheckedRows(
        tuple(wanted[place][0] for place in good),
        tuple(wanted[place][1].strip() for place in good),
        tuple(keys[place] for place in good),
        kept,
        broken_rules(track, family.rules, kept),
        tuple(bad),
    )


def _wrong(track: Track, code: str, key: str, bitting: str) -> tuple[str, tuple[int, ...]]:
    """What is wrong with a row, "" when nothing is, and its steps then."""
    if not key:
        return "no code", ()
    if any(category(character).startswith("C") for character in code.strip()):
        return "a code with characters that cannot be seen", ()
    if len(code.strip()) > LONGEST_CODE:
        return f"a code of more than {LONGEST_CODE} characters", ()
    try:
        return "", bitting_steps(track, bitting)
    except InputError as error:
        return error.reason, ()


def _steps_of(track: Track, texts: Sequence[str]) -> NDArray[np.int8]:
    """The steps of all bittings that are written plainly, (b, n), -1 where one is not or is wrong."""
    spaces = len(track.spaces)
    found = np.full((len(texts), spaces), -1, dtype=np.int8)
    if any(len(label) > 1 or not label.isascii() for label in track.labels):
        return found
    table = np.full(256, -1, dtype=np.int8)
    for step, label in enumerate(track.labels):
        table[ord(label)] = step
    for apart in (1, 2):  # run together, or with one space between
        length = (spaces - 1) * apart + 1
        places = [place for place, text in enumerate(texts) if len(text) == length and text.isascii()]
        if not places or (apart == 2 and spaces == 1):
            continue
        letters = np.frombuffer("".join([texts[place] for place in places]).encode(), np.uint8).reshape(-1, length)
        steps = table[letters[:, ::apart]]
        good = (steps >= 0).all(axis=1)
        if apart == 2:
            good &= (letters[:, 1::2] == ord(" ")).all(axis=1)
        found[np.array(places)[good]] = steps[good]
    return found


def broken_rules(track: Track, rules: Rules, steps: NDArray[np.int8]) -> tuple[str, ...]:
    """The rules that each bitting of ``steps`` (b, n) breaks, named with commas between, "" for none. Raises nothing.

    >>> from keycore.family import Depth
    >>> track = Track("A", (0.2, 0.35), tuple(Depth(str(k), 0.33 - 0.015 * k) for k in range(3)), macs=1)
    >>> broken_rules(track, Rules(), np.array([[0, 1], [0, 2]], np.int8))
    ('', 'macs')
    """
    # Few break any, so that only those are looked at one by one.
    keeps = keep_rules(steps, rules) if rules.any else np.ones(len(steps), dtype=bool)
    if track.macs is not None and len(track.spaces) > 1:
        keeps &= (np.abs(np.diff(steps, axis=1)) <= track.macs).all(axis=1)
    words = [""] * len(steps)
    for place in np.flatnonzero(~keeps).tolist():
        words[place] = ", ".join(sorted({each.rule for each in breaks(track, rules, steps[place].tolist())}))
    return tuple(words)
