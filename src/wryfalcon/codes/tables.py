"""Tables of codes as files: CSV, a spreadsheet or a series document, read row by row and written."""

from __future__ import annotations

import csv
import json
from collections.abc import Iterable, Iterator, Sequence
from io import BytesIO, StringIO, TextIOWrapper
from pathlib import Path
from typing import IO, Any
from zipfile import BadZipFile

from keycore.documents.series import Row, SeriesDocument, columns_of, read_series, read_table, write_series
from keycore.documents.text import one_line, parse_json
from keycore.errors import InputError
from wryfalcon.cells import as_text, from_text

LARGEST = 200_000_000
LARGEST_DOCUMENT = 60_000_000  # it is held in memory while it is read
ENDINGS = {b"PK": ".xlsx", b"{": ".json"}
ROWS_AT_ONCE = 2_000
LONGEST_CELL = 32_767
"""Characters that a cell of a spreadsheet can hold (common practice, no source)."""
MOST_EMPTY = 100_000
"""So many empty rows one after another are no table any more."""


class TooMuchWork(Exception):
    """Reading a file takes longer than it may; no ValueError, which libraries take for one of their own."""


def ending_of(beginning: bytes) -> str:
    """What a file is by how it begins: a spreadsheet is a zip archive, a document an object, a table anything else."""
    beginning = beginning.removeprefix(b"\xef\xbb\xbf").lstrip()
    return next((ending for mark, ending in ENDINGS.items() if beginning.startswith(mark)), ".csv")


def document_in(path: Path) -> SeriesDocument:
    """The series document in a file. Raises InputError naming the field."""
    return read_series(parse_json(path.read_bytes(), LARGEST_DOCUMENT))


class TableFile:
    """The rows of a table in a file, and how many of its bytes are read; open while it is a context."""

    def __init__(self, path: Path) -> None:
        self._is_spreadsheet = path.suffix == ".xlsx"
        self._file = path.open("rb")
        self._text = TextIOWrapper(self._file, "utf-8-sig", newline="")

    def __enter__(self) -> TableFile:
        return self

    def __exit__(self, *_: object) -> None:
        self._text.close()

    @property
    def read(self) -> int:
        """Bytes read so far, roughly; a spreadsheet's are read from within its archive."""
        return self._file.tell()

    def rows(self) -> Iterator[Row]:
        """Line, code and bitting, all as written. Raises InputError for what is no table."""
        try:
            if self._is_spreadsheet:
                yield from _spreadsheet(self._file)
                return
            for line, code, bitting in read_table(self._text):
                yield line, from_text(code), from_text(bitting)
        except UnicodeDecodeError as error:
            raise InputError("", f"not UTF-8 text before byte {self.read}: {error.reason}") from None


def _spreadsheet(file: IO[bytes]) -> Iterator[Row]:
    from openpyxl import load_workbook  # takes a moment to load, and few tables are spreadsheets

    try:
        sheet: Any = load_workbook(file, read_only=True, data_only=True).worksheets[0]
        lines = sheet.iter_rows(values_only=True)
        code, bitting = columns_of(next(lines, ()))
        empty = 0
        for number, row in enumerate(lines, start=2):
            if any(cell is not None for cell in row):
                yield number, _text(row[code], number), _text(row[bitting], number)
                empty = 0
                continue
            empty += 1
            if empty > MOST_EMPTY:
                says = f"more than {MOST_EMPTY:,} empty rows before line {number:,}: delete them, or save it as CSV"
                raise InputError("", says)
    except InputError:
        raise
    except (BadZipFile, SyntaxError, KeyError, OSError, IndexError, ValueError) as error:
        why = one_line(str(error.__cause__ or error))[:120]
        raise InputError("", f"not a spreadsheet that can be read: {why}") from None


def _text(cell: object, line: int) -> str:
    """A cell as it reads. A number has lost its leading zeros to the spreadsheet, which the page warns of."""
    if cell is None:
        return ""
    text = str(int(cell)) if isinstance(cell, float) and cell.is_integer() else str(cell)
    if len(text) > LONGEST_CELL:
        raise InputError("", f"a cell of {len(text):,} characters in line {line:,}; {LONGEST_CELL:,} at most")
    return text


def as_csv(rows: Iterable[Sequence[str]], columns: Sequence[str] = ("code", "bitting")) -> Iterator[str]:
    """A table as CSV, piece by piece; no cell of it is run by a spreadsheet, and all come back in unchanged."""
    out = StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow(columns)
    for number, row in enumerate(rows, start=1):
        writer.writerow([as_text(cell) for cell in row])
        if number % ROWS_AT_ONCE == 0:
            yield out.getvalue()
            out.seek(0)
            out.truncate()
    yield out.getvalue()


def as_json(about: SeriesDocument, rows: Iterable[tuple[str, str]]) -> Iterator[str]:
    """A series document, piece by piece."""
    empty = json.dumps(write_series(about, ()), ensure_ascii=False)
    yield empty.removesuffix("[]}") + "["
    before = "\n"
    for row in rows:
        yield before + json.dumps(row, ensure_ascii=False)
        before = ",\n"
    yield "\n]}\n"


def as_spreadsheet(name: str, rows: Iterable[tuple[str, str]]) -> bytes:
    """A table as a spreadsheet, its codes as text so that no zero is lost."""
    from openpyxl import Workbook
    from openpyxl.cell import WriteOnlyCell

    book = Workbook(write_only=True)
    sheet = book.create_sheet(name[:31].translate(str.maketrans(r"[]:*?/\'", "        ")).strip() or "codes")
    sheet.append(["code", "bitting"])
    for row in rows:
        cells = [WriteOnlyCell(sheet, value) for value in row]
        for cell in cells:
            cell.data_type = "s"  # text, also where it begins like a formula
        sheet.append(cells)
    out = BytesIO()
    book.save(out)
    return out.getvalue()
