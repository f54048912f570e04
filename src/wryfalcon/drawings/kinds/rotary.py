"""Disc keys: the round of the blade unrolled with a mark for each flat, and over it the end as each disc sees it."""

from __future__ import annotations

from math import cos, radians, sin

from keycore.coordinate import FULL_TURN
from keycore.cutting.commands import Move
from keycore.geometry.shape import Shape
from keycore.kinds.rotary import angle_view, around, height_at
from wryfalcon.drawings.kinds import Extras, KeyLook
from wryfalcon.drawings.kinds.edge import bow
from wryfalcon.drawings.sheet import Sheet, path, px

END, END_ON_A_PHONE = 9.0, 7.0  # radius of an end view
FLAT = 5 / 9  # of it, how far from its middle a flat lies
UNDER = 1.6  # of it, how far below the upper edge its middle lies


def outline(sheet: Sheet, shape: Shape | None) -> str:
    """The round laid flat."""
    corners = [(0.0, 0.0), (0.0, sheet.height), (sheet.length, sheet.height), (sheet.length, 0.0)]
    return path([(sheet.along(x), sheet.y(y)) for x, y in corners], close=True)


def flats(sheet: Sheet, shape: Shape | None) -> Extras:
    """A mark for each flat at its angle, and the end of the blade as its disc sees it."""
    if shape is None:
        return Extras()
    view = shape.view()
    marks = " ".join(
        path([(sheet.along(float(x)), sheet.y(float(y))) for x, y in curve.points], close=True) for curve in view.curves
    )
    lowest, whole = angle_view(sheet.family)[0], around(sheet.family)
    radius = END_ON_A_PHONE if sheet.paper.is_narrow else END
    y = sheet.top + UNDER * radius
    ends = [_end((sheet.along(spot.x), y), radius, lowest + FULL_TURN * spot.y / whole) for spot in view.spots]
    rounds, chords = " ".join(each for each, _ in ends), " ".join(each for _, each in ends)
    return Extras((("face-slot", marks), ("bow", rounds), ("cut-line", chords)))


def _end(middle: tuple[float, float], radius: float, angle: float) -> tuple[str, str]:
    """A small round, and the chord that its flat leaves, turned clockwise from the top."""
    (x, y), turn, flat = middle, radians(angle), FLAT * radius
    along, across = (sin(turn), -cos(turn)), (cos(turn), sin(turn))
    half = (radius**2 - flat**2) ** 0.5
    at = (x + flat * along[0], y + flat * along[1])
    chord = [(at[0] + s * half * across[0], at[1] + s * half * across[1]) for s in (-1, 1)]
    arc = f"A{radius} {radius} 0 1 0"
    return f"M{px(x - radius)} {px(y)} {arc} {px(x + radius)} {px(y)} {arc} {px(x - radius)} {px(y)} Z", path(chord)


def tool_at(sheet: Sheet, move: Move, share: float) -> tuple[float, float]:
    """The wheel over its flat; the clamp has turned the key."""
    along = sheet.x(sheet.family.space.from_machine(move.position))
    return along, sheet.y(height_at(sheet.family, move.value))


LOOK = KeyLook(
    outline, bow, tool_at, "bow on the left, its round unrolled to the right, tip at the far end", extras=flats
)
