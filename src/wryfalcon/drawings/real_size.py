"""The planned key and the old one at exactly 1:1 and at 4:1, in millimetres, to hold a key against."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from keycore.cutting.plan import cutting_of
from keycore.errors import InputError
from keycore.family import Family
from wryfalcon.drawings.kinds import drawn_as, is_drawable
from wryfalcon.drawings.sheet import Sheet, px

MARGIN = 1.5  # mm round the blade
LARGER = 4


@dataclass(frozen=True)
class RealSize:
    """A blade in millimetres: ``width`` and ``height`` of the paper it takes at ``times`` its size."""

    times: int
    view: str  # the drawing's own millimetres
    width: float
    height: float
    planned: str
    old: str  # "" where the old key was not measured
    positions: tuple[tuple[float, float, float], ...]  # x, from y, to y of each cut's centre line


def draw_real_size(
    family: Family, planned: Mapping[str, Sequence[float]], old: Mapping[str, Sequence[float]], style: str = ""
) -> tuple[RealSize, ...]:
    """At 1:1 and larger; the planned key as the path of this style leaves it. InputError without a blank or a tool."""
    if not is_drawable(family):
        raise InputError("blank", "a key without a blank, or of a kind without a drawing, cannot be drawn to scale")
    sheet, look, shape = Sheet.at_real_size(family), drawn_as(family), cutting_of(family).shape
    paths = look.outline(sheet, shape(family, planned, style=style)), old and look.outline(sheet, shape(family, old))
    width, height = sheet.blade_right - sheet.left + 2 * MARGIN, sheet.bottom + 2 * MARGIN
    return tuple(
        RealSize(
            times=times,
            view=f"{px(sheet.left - MARGIN)} {px(-MARGIN)} {px(width)} {px(height)}",
            width=px(width * times),
            height=px(height * times),
            planned=paths[0],
            old=paths[1] or "",
            positions=tuple((px(sheet.x(x)), px(-MARGIN / 2), px(sheet.bottom)) for x in family.tracks[0].spaces),
        )
        for times in (1, LARGER)
    )
