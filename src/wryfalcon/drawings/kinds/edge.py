"""Keys cut on one edge or both: the blade from its side, its nose tapering to the tip."""

from __future__ import annotations

import numpy as np

from keycore.cutting.commands import Move
from keycore.family import Gauge
from keycore.geometry.shape import Points, Shape
from wryfalcon.drawings.kinds import KeyLook
from wryfalcon.drawings.paper import BOW_LEFT
from wryfalcon.drawings.sheet import Sheet, path, px

NOSE = 0.06  # share of the blade that tapers to the tip


def outline(sheet: Sheet, shape: Shape | None) -> str:
    """The blade's outline: what bounds the metal above and below, the blank's own edges where nothing does."""
    bounds = {} if shape is None else {curve.bounds: curve.points for curve in shape.view().curves if curve.bounds}
    above = _edge(sheet, bounds.get("above"), sheet.blank.height, is_upper=True)
    below = _edge(sheet, bounds.get("below"), 0.0, is_upper=False)
    return path([*above, *reversed(below)], close=True)


def _edge(sheet: Sheet, edge: Points | None, straight: float, *, is_upper: bool) -> list[tuple[float, float]]:
    """One edge of the blade from shoulder to tip, the nose's taper taken into account."""
    length, half = sheet.blank.length, sheet.blank.height / 2
    nose = np.linspace(length * (1 - NOSE), length, 6)
    at = np.unique(np.concatenate([[0.0, length], nose, np.linspace(0, length * NOSE, 6)]))
    if edge is not None:
        at = np.unique(np.concatenate([at, edge[:, 0]]))
    heights = np.full_like(at, straight) if edge is None else np.interp(at, edge[:, 0], edge[:, 1])
    from_shoulder = length - at if sheet.family.gauge == Gauge.TIP else at
    taken = np.maximum(0.0, from_shoulder - length * (1 - NOSE)) / (length * NOSE) * half
    kept = np.minimum(heights, straight - taken) if is_upper else np.maximum(heights, straight + taken)
    return sorted(
        (sheet.left + x * sheet.scale, sheet.y(height)) for x, height in zip(from_shoulder, kept, strict=True)
    )


def square_blade(sheet: Sheet) -> str:
    """A blade looked at on its face, its edges straight to the tip."""
    corners = [(0.0, 0.0), (0.0, sheet.height), (sheet.length, sheet.height), (sheet.length, 0.0)]
    return path([(sheet.along(x), sheet.y(y)) for x, y in corners], close=True)


def bow(sheet: Sheet) -> str:
    """The bow: a plain shape of our own, a shield lying on its side."""
    half = sheet.height / 2 * sheet.scale
    middle = sheet.top + half
    tall, neck = max(half * 1.12, 74), half + 9
    left, right = BOW_LEFT, sheet.left
    steps = [
        ("M", right, middle - neck), ("L", right - 26, middle - neck),
        ("L", right - 40, middle - tall), ("L", left + 46, middle - tall),
        ("Q", left, middle - tall), ("", left, middle - tall * 0.45),
        ("L", left, middle + tall * 0.45), ("Q", left, middle + tall), ("", left + 46, middle + tall),
        ("L", right - 40, middle + tall), ("L", right - 26, middle + neck), ("L", right, middle + neck),
    ]  # fmt: skip
    return " ".join(f"{letter}{px(x)} {px(y)}" for letter, x, y in steps) + " Z"


def tool_at(sheet: Sheet, move: Move, share: float) -> tuple[float, float]:
    """The wheel over its cut, going down from the blank's edge; it always comes from above."""
    family, full = sheet.family, sheet.blank.height
    left = family.depth.from_machine(move.value)
    deep = (full - left) * family.share_per_edge
    return sheet.x(family.space.from_machine(move.position)), sheet.y(full - deep * share)


LOOK = KeyLook(outline, bow, tool_at, "bow on the left, tip on the right")
