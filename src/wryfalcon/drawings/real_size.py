"""The planned key and the old one at exactly 1:1 and at 4:1, in millimetres, to hold a key against."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from keycore.cutting.plan import cutting_of
from keycore.errors import InputError
from keycore.family import Family
from keycore.geometry.shape import SECTIONS, THINNEST
from wryfalcon.drawings.kinds import drawn_as, is_drawable
from wryfalcon.drawings.sheet import FRONT, Sheet, path, px

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
    marks: tuple[tuple[str, str], ...] = ()  # what is cut into a face: class and path


def draw_real_size(
    family: Family, planned: Mapping[str, Sequence[float]], old: Mapping[str, Sequence[float]], style: str = "",
    *, face: str = FRONT,
) -> tuple[RealSize, ...]:  # fmt: skip
    """At 1:1 and larger; the planned key as the path of this style leaves it, of faces the one that is looked at.

    Raises InputError without a blank or a tool.
    """
    if not is_drawable(family):
        raise InputError("blank", "a key without a blank, or of a kind without a drawing, cannot be drawn to scale")
    sheet, look, shape = replace(Sheet.at_real_size(family), face=face), drawn_as(family), cutting_of(family).shape
    spaces = next((t.spaces for t in family.tracks if t.face == face), family.tracks[0].spaces)
    new = shape(family, planned, style=style)
    paths = look.outline(sheet, new), old and look.outline(sheet, shape(family, old))
    width, height = sheet.blade_right - sheet.left + 2 * MARGIN, sheet.bottom + 2 * MARGIN
    return tuple(
        RealSize(
            times=times,
            view=f"{px(sheet.left - MARGIN)} {px(-MARGIN)} {px(width)} {px(height)}",
            width=px(width * times),
            height=px(height * times),
            planned=paths[0],
            old=paths[1] or "",
            positions=tuple((px(sheet.x(x)), px(-MARGIN / 2), px(sheet.bottom)) for x in spaces),
            marks=look.marks(sheet, new),
        )
        for times in (1, LARGER)
    )


def draw_sections(family: Family, planned: Mapping[str, Sequence[float]], style: str = "") -> tuple[RealSize, ...]:
    """The blade cut across, or along its rows, at 1:1 and larger; none for a kind without such a view."""
    shape = cutting_of(family).shape(family, planned, style=style)
    views = [view for view in shape.views if view.name == SECTIONS]
    if not views:
        return ()
    mm = family.lengths.to_machine(1.0)
    wide, high = (float(x) for x in views[0].blank.max(axis=0) * mm)
    whole = [curve for curve in views[0].curves if not curve.name.endswith(THINNEST)]
    thin = [curve for curve in views[0].curves if curve.name.endswith(THINNEST)]
    drawn, lines = (
        " ".join(path([(x * mm, high - y * mm) for x, y in curve.points]) for curve in curves)
        for curves in (whole, thin)
    )
    marks = ((THINNEST, lines),) if lines else ()
    width, height = wide + 2 * MARGIN, high + 2 * MARGIN
    view = f"{-MARGIN} {-MARGIN} {px(width)} {px(height)}"
    return tuple(RealSize(t, view, px(width * t), px(height * t), drawn, "", (), marks) for t in (1, LARGER))
