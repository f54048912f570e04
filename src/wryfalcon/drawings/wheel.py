"""The section a wheel leaves in a straight edge: as it should be, and as its test cuts show it."""

from __future__ import annotations

from dataclasses import dataclass

from keycore.tools import Wheel
from wryfalcon.drawings.sheet import px

WIDTH, HEIGHT, BOTTOM = 380.0, 190.0, 176.0
EDGE, ROOT = 36.0, 140.0
DEEP = 3.0  # mm drawn
SCALE = (ROOT - EDGE) / DEEP


@dataclass(frozen=True)
class WheelDrawing:
    """Outlines in pixels."""

    width: float
    height: float
    edge: float
    root: float
    meant: str  # the metal that is left
    measured: str  # "" before it was measured
    flat: tuple[float, float]  # left and right end of the flat as it should be


def draw_wheel(flat: float, angle: float, measured: tuple[float, float] | None) -> WheelDrawing:
    """Draw a cut three millimetres deep with the shape meant, and with (flat, angle) as measured; mm, degrees."""
    half = flat / 2 * SCALE
    return WheelDrawing(
        width=WIDTH,
        height=HEIGHT,
        edge=EDGE,
        root=ROOT,
        meant=f"{_outline(Wheel(flat, angle))} {WIDTH},{BOTTOM} 0.0,{BOTTOM}",
        measured=_outline(Wheel(*measured)) if measured else "",
        flat=(px(WIDTH / 2 - half), px(WIDTH / 2 + half)),
    )


def _outline(cut: Wheel) -> str:
    root = cut.flat / 2 * SCALE
    edge = root + DEEP * cut.slope * SCALE
    middle = WIDTH / 2
    points = [
        (0.0, EDGE), (middle - edge, EDGE), (middle - root, ROOT), (middle + root, ROOT), (middle + edge, EDGE),
        (WIDTH, EDGE),
    ]  # fmt: skip
    return " ".join(f"{px(x)},{px(y)}" for x, y in points)
