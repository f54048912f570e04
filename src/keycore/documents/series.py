"""Code series in: ``wry-falcon.series/1``, and tables as CSV (RFC 4180) with columns ``code,bitting``."""

from __future__ import annotations

import csv
from collections.abc import Iterator
from dataclasses import dataclass
from io import StringIO
from typing import Any

from keycore.documents.model import SeriesModel
from keycore.documents.parse import check
from keycore.errors import InputError

Rows = list[tuple[int, str, str]]
"""Line or place, code, bitting, all as written."""


@dataclass(frozen=True, slots=True)
class SeriesDocument:
    """A series as it was written, its rows not yet checked against the family."""

    id: str
    name: str
    family: str
    track: str | None
    note: str
    rows: Rows


def read_series(data: Any) -> SeriesDocument:
    """A series from plain data. Raises InputError naming the field."""
    model = check(SeriesModel, data)
    rows = [(place, code, bitting) for place, (code, bitting) in enumerate(model.codes, start=1)]
    return SeriesDocument(model.id, model.name, model.family, model.track, model.note or "", rows)


def read_table(text: str) -> Rows:
    """The rows of a CSV table with its line numbers. Raises InputError for one without the two columns."""
    reader = csv.reader(StringIO(text, newline=""))
    header = [name.strip().lower() for name in next(reader, [])]
    if "code" not in header or "bitting" not in header:
        raise InputError("", "the first line must name the columns code and bitting")
    try:
        return list(_rows(reader, header.index("code"), header.index("bitting")))
    except csv.Error as error:
        raise InputError("", f"line {reader.line_num}: {error}") from None


def _rows(reader: Any, code: int, bitting: int) -> Iterator[tuple[int, str, str]]:
    for row in reader:
        if any(cell.strip() for cell in row):
            padded = [*row, "", ""]
            yield (
                reader.line_num,
                padded[code] if code < len(row) else "",
                padded[bitting] if bitting < len(row) else "",
            )
