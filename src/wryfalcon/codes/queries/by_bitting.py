"""Finding codes by their bitting, whole or in part, among millions: columns are read, not rows."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import groupby

import numpy as np
from django.db import connection
from numpy.typing import NDArray

from keycore.codes.pattern import Pattern, agreeing, spaces_asked
from keycore.family import Track
from wryfalcon.codes.models import Series
from wryfalcon.codes.queries.by_code import MOST, FoundCode, Row, with_series
from wryfalcon.library.models import FamilyRecord

COLUMNS = "SELECT first, space, steps FROM codes_column WHERE series_id = %s AND space IN ({}) ORDER BY first, space"
ROWS = """
SELECT c.id, c.series_id, c.code, c.bitting, c.broken
FROM json_each(%s) AS wanted CROSS JOIN codes_code AS c ON c.id = wanted.value
"""


def keys_agreeing(series: Series, track: Track, pattern: Pattern, *, misread: bool = False) -> NDArray[np.int64]:
    """The keys of the codes of a series that agree with a partial bitting, in the table's order."""
    asked = spaces_asked(track, pattern) or [0]
    found = [
        first + np.flatnonzero(agreeing(columns, pattern, len(columns[asked[0]]), misread=misread))
        for first, columns in _runs(series, asked)
    ]
    return np.concatenate(found) if found else np.empty(0, dtype=np.int64)


def _runs(series: Series, spaces: Sequence[int]) -> Iterator[tuple[int, dict[int, NDArray[np.int8]]]]:
    with connection.cursor() as cursor:
        cursor.execute(COLUMNS.format(", ".join(["%s"] * len(spaces))), [series.pk, *spaces])
        rows = cursor.fetchall()
    for first, run in groupby(rows, key=lambda row: int(row[0])):
        yield first, {space: np.frombuffer(steps, np.int8) for _, space, steps in run}


def rows_of(keys: NDArray[np.int64]) -> list[Row]:
    """The codes of some keys."""
    with connection.cursor() as cursor:
        cursor.execute(ROWS, [json.dumps(keys.tolist())])
        return list(cursor.fetchall())


def rows_agreeing(series: Series, track: Track, pattern: Pattern, *, misread: bool = False) -> list[Row]:
    """The codes of a series that agree with a partial bitting."""
    return rows_of(keys_agreeing(series, track, pattern, misread=misread))


@dataclass(frozen=True)
class Asked:
    """What is looked for by its bitting."""

    text: str
    record: FamilyRecord | None
    track: str
    from_end: str
    misread: bool

    @property
    def track_names(self) -> list[str]:
        """The tracks to choose from, where there are several."""
        names = [track.name for track in self.record.family.tracks] if self.record else []
        return names if len(names) > 1 else []


@dataclass(frozen=True)
class Matches:
    """The codes that agree, the first of them with their series, and how many each series has."""

    codes: tuple[FoundCode, ...] = ()
    count: int = 0
    looked_through: int = 0


def find_matches(record: FamilyRecord, track: Track, pattern: Pattern, *, misread: bool = False) -> Matches:
    """The codes of a family's series that agree with a partial bitting, those that need no misread first."""
    every = list(Series.objects.in_force().filter(family_record=record, track=track.name))
    exact = [keys_agreeing(series, track, pattern) for series in every]
    keys = np.concatenate(exact) if exact else np.empty(0, dtype=np.int64)
    if misread and every:
        near = np.concatenate([keys_agreeing(series, track, pattern, misread=True) for series in every])
        keys = np.concatenate([keys, np.setdiff1d(near, keys)])
    codes = with_series(rows_of(keys[:MOST]))
    return Matches(tuple(codes), len(keys), sum(series.count for series in every))
