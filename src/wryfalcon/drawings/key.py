"""The one large drawing of a key, from bare blank to measured result."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

from keycore.family import End, Family, Gauge
from keycore.geometry.shape import Shape
from wryfalcon.drawings.kinds import FACE_WORDS, Extras, ViewWords, drawn_as
from wryfalcon.drawings.paper import BOW_LEFT
from wryfalcon.drawings.sheet import FRONT, Sheet, px
from wryfalcon.lengths import figure, unit_words

ARROW = 190.0
"""How long the arrow of the count is, on a blade of that length."""


@dataclass(frozen=True)
class PositionMark:
    """A space under the blade."""

    x: float
    number: int
    text: str


@dataclass(frozen=True)
class KeyDrawing:
    """A key, ready for its template."""

    width: float
    bottom: float
    top: float
    bow: str
    hole: tuple[float, float] | None
    extras: Extras
    blank: str
    blade: str
    ghost: str  # another key to compare with, "" without
    gauge_x: float
    left: float
    right: float
    positions: tuple[PositionMark, ...]
    is_close: bool  # whether figures below it would run into each other
    counted_from: End
    gauge_name: str
    unit: str
    words: str
    said: ViewWords | None  # at its gauge, over its count, at its far end, where they are not those of a blade

    @property
    def is_gauged_at_shoulder(self) -> bool:
        """Whether its gauge stands at the shoulder, with room above for what it is called."""
        return self.gauge_name == Gauge.SHOULDER

    @property
    def arrow_from(self) -> float:
        """Where the arrow of the count begins: no longer than the blade is."""
        return px(max(self.left, self.right - ARROW))

    @property
    def arrow_middle(self) -> float:
        """Where its words stand."""
        return px((self.arrow_from + self.right - 6) / 2)

    @property
    def counts_from_bow(self) -> bool:
        """Whether its first cut is the one nearest the bow."""
        return self.counted_from == End.BOW


def draw_key(
    family: Family, shape: Shape | None = None, ghost: Shape | None = None, track: str | None = None
) -> KeyDrawing:
    """Draw a key of a family that can be drawn: bare, or cut to a shape.

    ``ghost`` is drawn as an outline over it; ``track`` decides whose spaces are marked.
    """
    look, face = drawn_as(family), family.track(track).face if family.kind.is_of_faces else FRONT
    sheet = Sheet.of(family, face)
    marks = tuple(
        PositionMark(px(sheet.x(x)), number, figure(family.space, x))
        for number, x in enumerate(family.track(track).spaces, start=1)
    )
    across = sorted(mark.x for mark in marks)
    has_bow = sheet.paper.has_bow
    return KeyDrawing(
        width=sheet.paper.width,
        bottom=px(sheet.bottom),
        top=px(sheet.top),
        bow=look.bow(sheet) if has_bow else "",
        hole=(px(BOW_LEFT + 44), px((sheet.top + sheet.bottom) / 2)) if look.has_hole and has_bow else None,
        extras=look.extras(sheet, shape),
        said=look.words,
        blank=look.outline(sheet, None),
        blade=look.outline(sheet, shape),
        ghost=look.outline(sheet, ghost) if ghost else "",
        gauge_x=px(sheet.gauge_x),
        left=sheet.left,
        right=px(sheet.blade_right),
        positions=marks,
        is_close=any(b - a < sheet.paper.figure for a, b in pairwise(across)),
        counted_from=family.numbered_from,
        gauge_name=family.gauge.value,
        unit=unit_words(family.space),
        words=(
            f"{family.name}, {'cut' if shape else 'uncut'}, drawn to scale: {look.seen.format(face=FACE_WORDS[face])}, "
            f"positions from the {family.gauge}."
        ),
    )
