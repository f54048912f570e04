"""Cells of the tables that go out and come in: none that a spreadsheet would run."""

from __future__ import annotations

import re

_RUN = re.compile(r"'*[=+\-@\t\r]")
_TAKEN_FOR_TEXT = re.compile(r"'+[=+\-@\t\r]")


def as_text(cell: str) -> str:
    """A cell of a CSV that no spreadsheet takes for a formula: one that could be has an apostrophe before it.

    >>> as_text("=1+1"), as_text("T-01"), from_text(as_text("'=1")), from_text("'T")
    ("'=1+1", 'T-01', "'=1", "'T")
    """
    return f"'{cell}" if _RUN.match(cell) else cell


def from_text(cell: str) -> str:
    """The same back: what ``as_text`` put before it is taken off."""
    return cell[1:] if _TAKEN_FOR_TEXT.match(cell) else cell
