"""Code series in: ``wry-falcon.series/1``, and tables as CSV (RFC 4180) with columns ``code,bitting``."""

from __future__ import annotations

import csv
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any

from keycore.codes.formula import Formula, rows_of
from keycore.codes.series import check_printed
from keycore.documents.models.series import SeriesModel
from keycore.documents.parse import check
from keycore.errors import InputError
from keycore.family import Family, Track

Row = tuple[int, str, str]
"""Line or place, code, bitting, all as written."""


@dataclass(frozen=True, slots=True)
class SeriesDocument:
    """A series as it was written, its rows not yet checked against the family."""

    id: str
    name: str
    family: str
    track: str | None = None
    note: str = ""
    maker: str = ""
    use: str = ""
    edition: str = ""
    printed: str = ""
    codes: Sequence[Row] = field(default=())
    formula: Formula | None = None

    def rows(self, family: Family, track: Track) -> Iterator[Row]:
        """Its codes with their bittings. Raises InputError for a formula that does not fit the family."""
        return iter(self.codes) if self.formula is None else rows_of(self.formula, family, track)


def read_series(data: Any) -> SeriesDocument:
    """A series from plain data. Raises InputError naming the field."""
    model = check(SeriesModel, data)
    if (model.codes is None) == (model.formula is None):
        raise InputError("codes", "is needed, or a formula in its place")
    return SeriesDocument(
        model.id,
        model.name,
        model.family,
        model.track,
        model.note or "",
        model.maker or "",
        model.use or "",
        model.edition or "",
        check_printed(model.printed or ""),
        tuple((place, code, bitting) for place, (code, bitting) in enumerate(model.codes or (), start=1)),
        Formula(**{**dict(model.formula), "places": tuple(model.formula.places or ())}) if model.formula else None,
    )


def write_series(document: SeriesDocument, codes: Iterable[tuple[str, str]]) -> dict[str, Any]:
    """A series with its codes, or its formula in their place, as plain data without empty fields. Raises nothing."""
    names = ("id", "name", "family", "track", "note", "maker", "use", "edition", "printed")
    about = {name: value for name in names if (value := getattr(document, name))}
    rule = document.formula
    if rule is None:
        return {"format": "wry-falcon.series/1", **about, "codes": [list(row) for row in codes]}
    formula = {"from": rule.first, "to": rule.last, "rule": rule.rule, "start": rule.start, "every": rule.every}
    if rule.places:
        formula["places"] = list(rule.places)
    return {"format": "wry-falcon.series/1", **about, "formula": formula}


def read_table(lines: Iterable[str]) -> Iterator[Row]:
    """The rows of a CSV table, its ``lines`` as they come, with their numbers.

    Raises InputError for a table without the two columns, or one that is no CSV where it stops being one.
    """
    reader = csv.reader(lines, strict=True)
    try:
        code, bitting = columns_of(next(reader, []))
        for row in reader:
            if len(row) > code and len(row) > bitting and row[code]:
                yield reader.line_num, row[code], row[bitting]
            elif any(map(str.strip, row)):
                yield reader.line_num, "".join(row[code : code + 1]), "".join(row[bitting : bitting + 1])
    except csv.Error as error:
        raise InputError("", f"line {reader.line_num}: {error}") from None


def columns_of(header: Sequence[str]) -> tuple[int, int]:
    """Where a table's code and bitting stand in its ``header`` (m,). Raises InputError when it does not say.

    >>> columns_of(["Bitting", "note", "Code"])
    (2, 0)
    """
    names = [str(name).strip().lower() for name in header]
    if "code" not in names or "bitting" not in names:
        raise InputError("", "the first line must name the columns code and bitting")
    return names.index("code"), names.index("bitting")
