"""The jaw from its end and from its side: the blank bottomed, at its stop, so much showing, cut so deep."""

from __future__ import annotations

from dataclasses import dataclass

from keycore.family import Family, Gauge
from wryfalcon.drawings.sheet import px

WIDTH, HEIGHT = 300.0, 292.0
JAW_TOP, JAW_BOTTOM = 96.0, 196.0
MIDDLE = 128.0
TALLEST = 128.0
SHOULDER_X, TIP_X = 78.0, 232.0  # of the blade in the side view
STOP_WIDTH = 9.0


@dataclass(frozen=True)
class JawDrawing:
    """The end view, in pixels."""

    width: float
    height: float
    jaw_top: float
    jaw_bottom: float
    left: float
    right: float
    slot_bottom: float
    blank_top: float
    cut_to: float
    middle: float
    stop_x: float  # side view: where the stop stands
    stop: str  # what is against it
    stop_width: float  # away from the blade: to the right of its tip, to the left of its shoulder
    words: str


def draw_jaw(family: Family, showing: float | None, deepest: float | None) -> JawDrawing | None:
    """Draw the blank in the slot; None where the blank or how much of it shows is not known.

    ``showing`` and ``deepest`` (depth of the deepest cut) in the family's unit.
    """
    if family.blank is None or showing is None or deepest is None:
        return None
    scale = TALLEST / family.blank.height
    half = max(family.blank.thickness * scale / 2, 8.0)
    blank_top = JAW_TOP - showing * scale
    return JawDrawing(
        width=WIDTH,
        height=HEIGHT,
        jaw_top=JAW_TOP,
        jaw_bottom=JAW_BOTTOM,
        left=px(MIDDLE - half),
        right=px(MIDDLE + half),
        slot_bottom=px(blank_top + family.blank.height * scale),
        blank_top=px(blank_top),
        cut_to=px(blank_top + deepest * scale),
        middle=MIDDLE,
        stop_x=SHOULDER_X if family.gauge == Gauge.SHOULDER else TIP_X,
        stop=family.gauge.value,
        stop_width=-STOP_WIDTH if family.gauge == Gauge.SHOULDER else STOP_WIDTH,
        words=(
            "The jaw from its end: the blank stands on the bottom of its slot, and this much shows above the jaw. "
            f"Below, from the side: the {family.gauge} against its stop."
        ),
    )
