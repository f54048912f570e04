"""A partial bitting: what each cut may be, and which bittings of a table agree with it."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from keycore.errors import InputError
from keycore.family import Track

Pattern = tuple[frozenset[int], ...]
"""For each space the steps that it may have; every step where nothing is known."""

_ANY = {"?", "*", "."}
_RUN_TOGETHER = re.compile(r"\[[^\[\]\s]+\]|[^\[\]\s]")


def parse_pattern(track: Track, text: str, *, from_other_end: bool = False) -> Pattern:
    """A partial bitting as a smith types it.

    For each cut: a label; ``?`` for any; ``2/4`` or ``[24]`` for one of several; ``2-4`` between;
    ``3+`` that or deeper; ``3-`` that or shallower. Blanks stand between cuts, or nothing where all
    labels are one character and each cut is a label, ``?`` or ``[…]``.

    Arguments: a track, the text, and ``from_other_end`` whether it is counted from the other end than the family.
    Returns a Pattern in the family's order. Raises InputError naming the cut.

    >>> from keycore.family import Depth
    >>> track = Track("A", (0.2, 0.35, 0.5), tuple(Depth(str(k), 0.33 - 0.015 * k) for k in range(4)))
    >>> [sorted(each) for each in parse_pattern(track, "3 ? 1+")]
    [[3], [0, 1, 2, 3], [1, 2, 3]]
    >>> [sorted(each) for each in parse_pattern(track, "[02]?3", from_other_end=True)]
    [[3], [0, 1, 2, 3], [0, 2]]
    """
    cuts = text.split()
    if len(cuts) == 1 and len(track.spaces) > 1:
        cuts = _RUN_TOGETHER.findall(cuts[0])
    if len(cuts) != len(track.spaces):
        raise InputError("bitting", f"{len(cuts)} cuts where the family has {len(track.spaces)}; put ? for any")
    wanted = tuple(_may_be(track, cut, f"cut {place}") for place, cut in enumerate(cuts, start=1))
    return wanted[::-1] if from_other_end else wanted


def _may_be(track: Track, cut: str, field: str) -> frozenset[int]:
    if cut in track.labels:
        return frozenset({track.step(cut)})
    every = range(len(track.depths))
    if cut in _ANY:
        return frozenset(every)
    if cut.startswith("[") and cut.endswith("]") and len(cut) > 2:
        return frozenset(_step(track, label, field) for label in cut[1:-1].replace(",", ""))
    if "/" in cut or "," in cut:
        return frozenset(_step(track, label, field) for label in re.split("[/,]", cut))
    if cut.endswith("+"):
        return frozenset(every[_step(track, cut[:-1], field) :])
    if cut.endswith("-"):
        return frozenset(every[: _step(track, cut[:-1], field) + 1])
    first, dash, last = cut.partition("-")
    if not dash:
        _step(track, cut, field)
    low, high = sorted((_step(track, first, field), _step(track, last, field)))
    return frozenset(every[low : high + 1])


def _step(track: Track, label: str, field: str) -> int:
    if label not in track.labels:
        raise InputError(field, f"{label[:8]!r} is none of the depths {', '.join(track.labels)}")
    return track.step(label)


def agreeing(
    columns: Mapping[int, NDArray[np.int8]], pattern: Pattern, count: int, *, misread: bool = False
) -> NDArray[np.intp]:
    """Which bittings of a table agree with a pattern.

    Arguments: ``columns`` the steps (count,) at each space, from 0, that the pattern says something
    of; the pattern; how many bittings there are; whether one cut, whichever, may be misread.
    Returns their places in the table, rising. Raises nothing.

    >>> columns = {0: np.array([0, 1, 1], np.int8), 1: np.array([2, 2, 0], np.int8)}
    >>> agreeing(columns, (frozenset({1}), frozenset({2})), 3).tolist()
    [1]
    >>> agreeing(columns, (frozenset({1}), frozenset({2})), 3, misread=True).tolist()
    [0, 1, 2]
    """
    if misread:
        wrong = np.zeros(count, dtype=np.int8)
        for place, column in columns.items():
            wrong += ~_within(column, pattern[place])
        return np.flatnonzero(wrong <= 1)
    every = np.ones(count, dtype=bool)
    for place, column in columns.items():
        every &= _within(column, pattern[place])
    return np.flatnonzero(every)


def spaces_asked(track: Track, pattern: Sequence[frozenset[int]]) -> list[int]:
    """The spaces, from 0, of which a pattern says something. Raises nothing.

    >>> from keycore.family import Depth
    >>> track = Track("A", (0.2, 0.35), (Depth("1", 0.33), Depth("2", 0.31)))
    >>> spaces_asked(track, (frozenset({0, 1}), frozenset({0})))
    [1]
    """
    return [place for place, may in enumerate(pattern) if len(may) < len(track.depths)]


def _within(column: NDArray[np.int8], may: frozenset[int]) -> NDArray[np.bool_]:
    if not may:
        return np.zeros(len(column), dtype=bool)
    low, high = min(may), max(may)
    if len(may) == 1:
        return np.asarray(column == low)
    if high - low + 1 == len(may):
        return np.asarray((column >= low) & (column <= high))
    wanted = np.zeros(high + 2, dtype=bool)
    wanted[list(may)] = True
    return wanted[np.minimum(column, high + 1)]
