"""Lever keys: the bit standing on its stem, its stop at the left, the levers over it."""

from __future__ import annotations

from keycore.cutting.commands import Move
from keycore.geometry.shape import Shape
from keycore.kinds.lever import bit_of
from wryfalcon.drawings.kinds import Extras, KeyLook, ViewWords
from wryfalcon.drawings.sheet import Sheet, path, px

BEFORE, RING = 26.0, 46.0  # pixels of the stem before the bit; radius of the bow's ring


def outline(sheet: Sheet, shape: Shape | None) -> str:
    """The bit, from the axis of its stem up."""
    corners = [(0.0, 0.0), (0.0, sheet.height), (sheet.length, sheet.height), (sheet.length, 0.0)]
    points = corners if shape is None else [(float(x), float(y)) for x, y in shape.view().outline]
    return path([(sheet.along(x), sheet.y(y)) for x, y in points], close=True)


def no_bow(sheet: Sheet) -> str:
    """The stem and its ring are drawn with the levers."""
    return ""


def levers(sheet: Sheet, shape: Shape | None) -> Extras:
    """The stem with its ring, and each lever where it lies on its step."""
    bit = bit_of(sheet.family)
    paths: list[tuple[str, str]] = []
    if bit is not None:
        high = bit.stem * sheet.scale
        right = sheet.paper.blade_right - 2 * RING if sheet.paper.has_bow else sheet.along(sheet.length) + BEFORE
        left, top, low = sheet.along(0.0) - BEFORE, sheet.y(bit.stem), sheet.y(0.0)
        paths.append(("bow", path([(left, top), (right, top), (right, low), (left, low)], close=True)))
        if sheet.paper.has_bow:
            middle = low - high / 2
            rings = " ".join(_round(right, right + 2 * RING, middle, radius) for radius in (RING, RING / 2))
            paths.append(("bow ring", rings))
    for curve in () if shape is None else shape.view().curves:
        if curve.name.endswith("lever"):
            at = [(sheet.along(float(x)), sheet.y(float(y))) for x, y in curve.points]
            paths.append(("face-mark", path(at, close=True)))
    return Extras(tuple(paths))


def _round(left: float, right: float, y: float, radius: float) -> str:
    """A circle about the middle of a span."""
    middle, arc = (left + right) / 2, f"A{radius} {radius} 0 1 0"
    return f"M{px(middle - radius)} {px(y)} {arc} {px(middle + radius)} {px(y)} {arc} {px(middle - radius)} {px(y)} Z"


def tool_at(sheet: Sheet, move: Move, share: float) -> tuple[float, float]:
    """The file over its step."""
    family = sheet.family
    full, left = sheet.height, family.depth.from_machine(move.value)
    return sheet.x(family.space.from_machine(move.position)), sheet.y(full - (full - left) * share)


LOOK = KeyLook(
    outline,
    no_bow,
    tool_at,
    "its bit standing on the stem, the bit’s stop on the left",
    has_hole=False,
    extras=levers,
    words=ViewWords("", "from the stop", ""),
)
