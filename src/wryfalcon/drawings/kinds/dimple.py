"""Dimple keys: one face with its holes, those of the other dashed, and the section along each row in the bow."""

from __future__ import annotations

from keycore.cutting.commands import Move
from keycore.geometry.shape import SECTIONS, Shape
from wryfalcon.drawings.kinds import Extras, KeyLook
from wryfalcon.drawings.kinds.edge import bow, square_blade
from wryfalcon.drawings.sheet import Sheet, path


def outline(sheet: Sheet, shape: Shape | None) -> str:
    """The blade, whose edges no drill takes away."""
    return square_blade(sheet)


def holes(sheet: Sheet, shape: Shape | None) -> Extras:
    """What is drilled into the faces."""
    return Extras(into_faces(sheet, shape))


def into_faces(sheet: Sheet, shape: Shape | None) -> tuple[tuple[str, str], ...]:
    """Mouths and seats of the face looked at; mouths of the other dashed, as if seen through."""
    if shape is None:
        return ()
    paths = []
    for view in shape.views:
        if view.name == SECTIONS:
            continue
        is_first = view.name == sheet.face
        for curve in view.curves:
            is_mouth = curve.name.endswith("mouth")
            if is_first or is_mouth:
                kind = ("milled" if is_mouth else "seat") if is_first else "face-mark"
                at = [(sheet.along(float(x)), sheet.y(float(y))) for x, y in curve.points]
                paths.append((kind, path(at, close=True)))
    return tuple(paths)


def tool_at(sheet: Sheet, move: Move, share: float) -> tuple[float, float]:
    """The drill over its hole, on the line of the blade's middle."""
    return sheet.x(sheet.family.space.from_machine(move.position)), sheet.y(sheet.height / 2)


LOOK = KeyLook(outline, bow, tool_at, "its {face}, bow on the left, tip on the right", extras=holes, marks=into_faces)
