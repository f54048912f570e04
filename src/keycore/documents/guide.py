"""Fitting guides in and out: ``wry-falcon.guide/1``, and tables as CSV (RFC 4180) with a column for each field."""

from __future__ import annotations

import csv
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from keycore.documents.models.guide import MOST_ROWS, GuideModel
from keycore.documents.parse import check
from keycore.errors import InputError
from keycore.reading.guide import BlankNumber, GuideRow

COLUMNS = (
    "what", "from", "to", "use", "family", "cuts", "blanks", "clamp", "face", "stop", "electronics", "procedure",
)  # fmt: skip
"""Of a CSV table, as ``write_rows`` has them; ``what`` alone must be there."""
NUMBERS = ("from", "to", "cuts")


@dataclass(frozen=True)
class Guide:
    """A guide: what it is called, its edition, where its rows are from, and the rows."""

    id: str
    name: str
    edition: str
    source: str
    rows: tuple[GuideRow, ...]


def read_guide(data: Any) -> Guide:
    """A guide from ``data`` as JSON gives it. Raises InputError naming the field."""
    model = check(GuideModel, data)
    rows = []
    for place, row in enumerate(model.rows):
        said = row.model_dump()
        said["blanks"] = tuple(BlankNumber(blank.supplier, blank.number) for blank in row.blanks)
        try:
            rows.append(GuideRow(**said))
        except InputError as error:
            raise error.under(f"rows[{place}]") from None
    return Guide(model.id, model.name, model.edition, model.source, tuple(rows))


def write_guide(guide: Guide) -> dict[str, Any]:
    """A guide as plain data without empty fields. Raises nothing."""
    about = {name: value for name in ("edition", "source") if (value := getattr(guide, name))}
    rows = [{name: value for name, value in _plain(row).items() if value not in ("", None, [])} for row in guide.rows]
    return {"format": "wry-falcon.guide/1", "id": guide.id, "name": guide.name, **about, "rows": rows}


def _plain(row: GuideRow) -> dict[str, Any]:
    return {
        "what": row.what, "from": row.since, "to": row.until, "use": row.use, "family": row.family, "cuts": row.cuts,
        "blanks": [{"supplier": blank.supplier, "number": blank.number} for blank in row.blanks],
        "clamp": row.clamp, "face": row.face, "stop": row.stop, "electronics": row.electronics,
        "procedure": row.procedure,
    }  # fmt: skip


def read_rows(lines: Iterable[str]) -> tuple[GuideRow, ...]:
    """The rows of a CSV table, its ``lines`` as they come; empty lines are passed over.

    Blanks are written ``SUPPLIER:NUMBER`` with semicolons between, or a number alone. Raises InputError naming the
    line for a column that is none of a guide's, a year or number of cuts that is no number, or a row that cannot be.

    >>> read_rows(["what,cuts,blanks", "Ferry,5,GULL:G5; 77-X"])[0].blanks[1].number
    '77-X'
    """
    reader = csv.reader(lines, strict=True)
    found: list[GuideRow] = []
    try:
        header = [str(name).strip().lower() for name in next(reader, [])]
        _check_header(header)
        for cells in reader:
            if any(map(str.strip, cells)):
                found.append(_row(dict(zip(header, map(str.strip, cells), strict=False)), reader.line_num))
            if len(found) > MOST_ROWS:
                raise InputError("", f"more than {MOST_ROWS:,} rows")
    except csv.Error as error:
        raise InputError("", f"line {reader.line_num}: {error}") from None
    if not found:
        raise InputError("", "the table has no row")
    return tuple(found)


def _check_header(header: list[str]) -> None:
    if "what" not in header:
        raise InputError("", f"the first line must name the columns, what among them: {', '.join(COLUMNS)}")
    unknown = [name for name in header if name not in COLUMNS]
    if unknown or len(set(header)) < len(header):
        raise InputError("", f"no column of a guide, or one twice: {', '.join(unknown or header)[:120]}")


def _row(said: Mapping[str, str], line: int) -> GuideRow:
    numbers: dict[str, int | None] = {}
    for name in NUMBERS:
        text = said.get(name, "")
        if text and not (text.isascii() and text.isdecimal() and len(text) < 5):
            raise InputError(name, f"line {line}: {text[:20]!r} is no whole number")
        numbers[name] = int(text) if text else None
    words = {name: said.get(name, "") for name in COLUMNS if name not in (*NUMBERS, "blanks")}
    try:
        return GuideRow(
            since=numbers["from"], until=numbers["to"], cuts=numbers["cuts"],
            blanks=_blanks(said.get("blanks", "")), **words,
        )  # fmt: skip
    except InputError as error:
        raise InputError(error.field, f"line {line}: {error.reason}") from None


def _blanks(text: str) -> tuple[BlankNumber, ...]:
    found = []
    for each in filter(None, map(str.strip, text.split(";"))):
        supplier, colon, number = each.rpartition(":")
        found.append(BlankNumber(supplier.strip() if colon else "", number.strip()))
    return tuple(found)


def write_rows(rows: Iterable[GuideRow]) -> list[list[str]]:
    """A guide's ``rows`` (m,) as cells of text, the column names first. Raises nothing."""
    cells = [list(COLUMNS)]
    for row in rows:
        plain = _plain(row)
        plain["blanks"] = "; ".join(f"{b.supplier}:{b.number}" if b.supplier else b.number for b in row.blanks)
        cells.append(["" if plain[name] is None else str(plain[name]) for name in COLUMNS])
    return cells
