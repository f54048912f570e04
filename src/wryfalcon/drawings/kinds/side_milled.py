"""Side-milled keys: the front face with what its mills take, other walls as lines, and the section in the bow."""

from __future__ import annotations

import numpy as np

from keycore.cutting.commands import Move
from keycore.cutting.plan import checked_blank
from keycore.geometry.shape import Points, Shape
from keycore.kinds.side_milled import FACES
from wryfalcon.drawings.kinds import Extras, KeyLook
from wryfalcon.drawings.kinds.edge import bow, square_blade
from wryfalcon.drawings.paper import BOW_LEFT
from wryfalcon.drawings.sheet import Sheet, path, px

SECTION_LEFT, SECTION_TALL = BOW_LEFT + 84.0, 104.0
SWATH, WAY = "swath", "path"


def outline(sheet: Sheet, shape: Shape | None) -> str:
    """The blade, as long as a mill may run, whose edges are drawn straight."""
    return square_blade(sheet)


def milled(sheet: Sheet, shape: Shape | None) -> Extras:
    """What is milled into the faces, and the section."""
    if shape is None:
        return Extras()
    section, words = _section(sheet, shape)
    return Extras((*into_faces(sheet, shape), *section), words)


def into_faces(sheet: Sheet, shape: Shape | None) -> tuple[tuple[str, str], ...]:
    """What the mills take of the front, its walls and the ways of the mills; the walls of the back dashed."""
    if shape is None:
        return ()
    paths: list[tuple[str, str]] = []
    for view in shape.views:
        if view.name not in FACES:
            continue  # sections, and tracks in the edges
        is_first = view is shape.views[0]
        for curve in view.curves:
            what = curve.name.partition(" ")[2]
            if is_first or not what:
                kind = {SWATH: "milled", WAY: "mill-way"}.get(what, "mill-wall" if is_first else "face-mark")
                paths.append((kind, _drawn(sheet, curve.points, close=what == SWATH)))
    return tuple(paths)


def _drawn(sheet: Sheet, points: Points, *, close: bool = False) -> str:
    return path([(sheet.along(float(x)), sheet.y(float(y))) for x, y in points], close=close)


def _section(sheet: Sheet, shape: Shape) -> tuple[tuple[tuple[str, str], ...], tuple[tuple[float, float, str], ...]]:
    """The blade cut across at its first space, as seen from the tip, in the bow; none where there is no room."""
    curves = shape.view("sections").curves
    if not sheet.paper.has_bow or not curves:
        return (), ()
    blank = checked_blank(sheet.family)
    scale = SECTION_TALL / blank.height
    top = sheet.top + (sheet.height * sheet.scale - SECTION_TALL) / 2
    points = np.array([[SECTION_LEFT + x * scale, top + SECTION_TALL - y * scale] for x, y in curves[0].points])
    words = (px(SECTION_LEFT + blank.thickness * scale / 2), px(top + SECTION_TALL + 16), "section at 1")
    return (("blade", path([(x, y) for x, y in points], close=True)),), (words,)


def tool_at(sheet: Sheet, move: Move, share: float) -> tuple[float, float]:
    """The mill beside its wall."""
    family = sheet.family
    return sheet.x(family.space.from_machine(move.position)), sheet.y(family.depth.from_machine(move.value))


LOOK = KeyLook(
    outline,
    bow,
    tool_at,
    "its front face, bow on the left, tip on the right",
    extras=milled,
    marks=into_faces,
    has_hole=False,
)
