"""Errors of a new key, cut by cut, exaggerated and said so."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from keycore.family import Family
from wryfalcon.drawings.kinds import is_drawable
from wryfalcon.drawings.paper import paper_laid
from wryfalcon.drawings.sheet import Sheet, px

HALF = 46.0  # pixels from the middle line to the edge of the strip
SHORTLY = {"inside": "in", "doubtful": "?", "outside": "out"}
SHOWN = 2.0  # tolerances that the strip reaches up and down


@dataclass(frozen=True)
class ErrorMark:
    """One cut's error: above the line is shallow, below is deep."""

    space: int
    x: float
    y: float
    low: float
    high: float
    verdict: str

    @property
    def says(self) -> str:
        """The verdict below it: on a phone a short word, where whole ones would run together."""
        return SHORTLY[self.verdict] if paper_laid().is_narrow else self.verdict

    @property
    def template(self) -> str:
        """What it is drawn by."""
        return f"drawings/verdicts/{self.verdict}.svg"


@dataclass(frozen=True)
class ErrorStrip:
    """All cuts of one track against the tolerance band."""

    top: float
    middle: float
    bottom: float
    band_top: float
    band_height: float
    left: float
    right: float
    words: str  # with the exaggeration against the drawing above
    marks: tuple[ErrorMark, ...]


def draw_errors(
    family: Family, track: str, errors: Sequence[tuple[int, float, str]], expanded: float
) -> ErrorStrip | None:
    """Draw (space, error, verdict) of a track under the key; ``expanded`` is U, all family unit."""
    if family.tolerance is None or not errors or not is_drawable(family):
        return None
    sheet, spaces = Sheet.of(family), family.track(track).spaces
    up = 1.0 if family.track(track).falls_when_deeper else -1.0
    top = sheet.bottom + 44
    middle = top + HALF
    scale = HALF / (SHOWN * family.tolerance.value)

    def y_of(error: float) -> float:
        return px(min(max(middle - up * error * scale, top), top + 2 * HALF))

    marks = tuple(
        ErrorMark(
            space,
            px(sheet.x(spaces[space - 1])),
            y_of(error),
            y_of(error - up * expanded),
            y_of(error + up * expanded),
            verdict,
        )
        for space, error, verdict in errors
    )
    band = family.tolerance.value * scale
    return ErrorStrip(
        top=px(top),
        middle=px(middle),
        bottom=px(top + 2 * HALF),
        band_top=px(middle - band),
        band_height=px(2 * band),
        left=px(min(mark.x for mark in marks) - 34),
        right=px(max(mark.x for mark in marks) + 34),
        words=f"errors ×{round(scale / sheet.scale)}" if family.depth.is_length else "errors",
        marks=marks,
    )
