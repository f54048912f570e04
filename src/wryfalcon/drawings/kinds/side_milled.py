"""Side-milled keys: a face or an edge with what its mills take, other walls as lines, and the section in the bow."""

from __future__ import annotations

import numpy as np

from keycore.cutting.commands import Move
from keycore.cutting.plan import checked_blank
from keycore.geometry.shape import SECTIONS, Points, Shape
from keycore.kinds.side_milled import FACES
from wryfalcon.drawings.kinds import Extras, KeyLook
from wryfalcon.drawings.kinds.edge import bow, square_blade
from wryfalcon.drawings.paper import BOW_LEFT
from wryfalcon.drawings.sheet import Sheet, path, px

SECTION_LEFT, SECTION_TALL = BOW_LEFT + 84.0, 104.0
SWATH, WAY = "swath", "path"


def outline(sheet: Sheet, shape: Shape | None) -> str:
    """The blade, as long as a mill may run, whose edges are drawn straight; on its edge as thick as it is."""
    if not sheet.is_on_edge:
        return square_blade(sheet)
    thick = sheet.blank.thickness
    corners = [(0.0, 0.0), (0.0, thick), (sheet.length, thick), (sheet.length, 0.0)]
    return path([(sheet.along(x), _across(sheet, y)) for x, y in corners], close=True)


def _across(sheet: Sheet, y: float) -> float:
    """How far across what is looked at, from its own reference edge: an edge lies in the middle of the blade's room."""
    low = (sheet.height - sheet.blank.thickness) / 2 if sheet.is_on_edge else 0.0
    return sheet.y(low + y)


def milled(sheet: Sheet, shape: Shape | None) -> Extras:
    """What is milled into the faces, and the section."""
    if shape is None:
        return Extras()
    section, words = _section(sheet, shape)
    return Extras((*into_faces(sheet, shape), *section), words)


def into_faces(sheet: Sheet, shape: Shape | None) -> tuple[tuple[str, str], ...]:
    """What the mills take of the face looked at, its walls and the mills' ways; the other face's walls dashed."""
    if shape is None:
        return ()
    paths: list[tuple[str, str]] = []
    for view in shape.views:
        is_first = view.name == sheet.face
        if not is_first and (sheet.is_on_edge or view.name not in FACES):
            continue  # sections, and tracks in the edges
        for curve in view.curves:
            what = curve.name.partition(" ")[2]
            if is_first or not what:
                kind = {SWATH: "milled", WAY: "mill-way"}.get(what, "mill-wall" if is_first else "face-mark")
                paths.append((kind, _drawn(sheet, curve.points, close=what == SWATH)))
    return tuple(paths)


def _drawn(sheet: Sheet, points: Points, *, close: bool = False) -> str:
    return path([(sheet.along(float(x)), _across(sheet, float(y))) for x, y in points], close=close)


def _section(sheet: Sheet, shape: Shape) -> tuple[tuple[tuple[str, str], ...], tuple[tuple[float, float, str], ...]]:
    """The blade cut across at its first space, as seen from the tip, in the bow; none where there is no room."""
    curves = shape.view(SECTIONS).curves
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
    return sheet.x(family.space.from_machine(move.position)), _across(sheet, family.depth.from_machine(move.value))


LOOK = KeyLook(
    outline,
    bow,
    tool_at,
    "its {face}, bow on the left, tip on the right",
    extras=milled,
    marks=into_faces,
    has_hole=False,
)
