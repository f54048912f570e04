"""Finding codes by their bitting, whole or in part, among millions: columns are read, not rows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from keycore.codes.pattern import Pattern, agreeing, spaces_asked
from keycore.codes.series import bitting_texts, broken_rules
from keycore.family import Rules, Track
from wryfalcon.codes.models import Column, Names, Series
from wryfalcon.codes.queries.by_code import MOST, FoundCode, Row, with_series
from wryfalcon.codes.queries.family import series_read_by
from wryfalcon.library.models import FamilyRecord

COLUMNS_KEPT, NAMES_KEPT = 24, 2
"""Kept for the next search. A column of a million codes is a megabyte, their names about ten."""


@dataclass(frozen=True)
class Table:
    """A series in force as columns; its places are those of the table that was brought in."""

    series: Series
    track: Track

    def __len__(self) -> int:
        return len(self.column(0))

    def column(self, space: int) -> NDArray[np.int8]:
        """The steps of every code at a space, from 0."""
        return _column(self.series.pk, self.series.at, space).steps

    def agreeing(self, pattern: Pattern, *, misread: bool = False) -> NDArray[np.intp]:
        """The places of the codes that agree with a partial bitting."""
        columns = {space: self.column(space) for space in spaces_asked(self.track, pattern)}
        return agreeing(columns, pattern, len(self), misread=misread)

    def steps(self, places: NDArray[np.intp]) -> NDArray[np.int8]:
        """The bittings at some places, (b, n)."""
        return np.stack([self.column(space)[places] for space in range(len(self.track.spaces))], axis=1)

    def rows(self, places: NDArray[np.intp], rules: Rules) -> list[Row]:
        """The codes at some places."""
        keys = _column(self.series.pk, self.series.at, 0).keys(places).tolist()
        names = np.char.decode(_names(self.series.pk, self.series.at)[places], "utf-8").tolist()
        steps = self.steps(places)
        broken = broken_rules(self.track, rules, steps)
        return list(
            zip(keys, [self.series.pk] * len(keys), names, bitting_texts(self.track, steps), broken, strict=True)
        )


def tables_of(record: FamilyRecord, track: Track) -> list[Table]:
    """The series in force for a track of a family."""
    return [Table(series, track) for series in series_read_by(record, track.name)]


@dataclass(frozen=True)
class _Whole:
    """A column of a whole series, and which codes its runs are."""

    steps: NDArray[np.int8]
    first: NDArray[np.int64]  # key of the first code of each run
    begins: NDArray[np.int64]  # its place in the table

    def keys(self, places: NDArray[np.intp]) -> NDArray[np.int64]:
        """The keys of the codes at some places of the table."""
        run = np.searchsorted(self.begins, places, side="right") - 1
        return self.first[run] + places - self.begins[run]


@lru_cache(maxsize=COLUMNS_KEPT)
def _column(pk: int, at: datetime, space: int) -> _Whole:
    """A column as it was read; what is in force never changes, and ``at`` tells apart what came under the same key."""
    rows = list(Column.objects.filter(series=pk, space=space).order_by("first").values_list("first", "steps"))
    lengths = [len(steps) for _, steps in rows]
    begins = np.cumsum([0, *lengths[:-1]]) if rows else np.empty(0, dtype=np.int64)
    steps = np.frombuffer(b"".join(steps for _, steps in rows), np.int8)
    return _Whole(steps, np.array([first for first, _ in rows], dtype=np.int64), begins)


@lru_cache(maxsize=NAMES_KEPT)
def _names(pk: int, at: datetime) -> NDArray[np.bytes_]:
    kept = Names.objects.filter(series=pk).order_by("first").values_list("width", "codes")
    runs = [np.frombuffer(codes, f"S{width}") for width, codes in kept]
    return np.concatenate(runs) if runs else np.empty(0, dtype="S1")


@dataclass(frozen=True)
class Asked:
    """What is looked for by its bitting."""

    text: str
    record: FamilyRecord | None
    track: str
    from_end: str
    misread: bool

    @property
    def family_key(self) -> int | None:
        """The key of the family that was chosen."""
        return self.record.pk if self.record else None

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
    tables = tables_of(record, track)
    exact = [table.agreeing(pattern) for table in tables]
    found, count = _first_rows(tables, exact, record.family.rules), sum(map(len, exact))
    if misread:
        near = [np.setdiff1d(t.agreeing(pattern, misread=True), e) for t, e in zip(tables, exact, strict=True)]
        found, count = found + _first_rows(tables, near, record.family.rules), count + sum(map(len, near))
    return Matches(tuple(with_series(found[:MOST])), count, sum(map(len, tables)))


def _first_rows(tables: Sequence[Table], places: Sequence[NDArray[np.intp]], rules: Rules) -> list[Row]:
    return [row for table, some in zip(tables, places, strict=True) for row in table.rows(some[:MOST], rules)]
