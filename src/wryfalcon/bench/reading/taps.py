"""The lanes of the reading strip as what is tapped: the line of a reading tool's grid, cut by cut."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from wryfalcon.bench.reading.looks import Column
from wryfalcon.drawings.strip import Strip


@dataclass(frozen=True)
class LaneTap:
    """One depth of one lane, where it lies in the drawing, and whether it was tapped."""

    x: float
    y: float
    width: float
    height: float
    number: int  # of the cut, as the source counts
    depth: str
    is_pressed: bool


def taps_of(strip: Strip, columns: Sequence[Column]) -> list[LaneTap]:
    """Every depth of every lane, in the order the source counts."""
    lanes = {lane.space: lane for lane in strip.lanes}
    return [
        LaneTap(
            lane.left, rung.cell_top, lane.width, rung.cell_height, column.number, rung.label,
            rung.label in column.stated,
        )
        for column in columns
        for lane in [lanes[column.space]]
        for rung in lane.rungs
    ]  # fmt: skip
