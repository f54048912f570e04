"""Tubular keys: the tube unrolled from its nib, and its end as a clock face in the place of the bow."""

from __future__ import annotations

from math import cos, pi, radians, sin

from keycore.cutting.commands import Move
from keycore.family import Family
from keycore.geometry.shape import Shape
from wryfalcon.drawings.kinds import Extras, KeyLook, ViewWords
from wryfalcon.drawings.paper import BOW_LEFT, DESK, PHONE, Paper
from wryfalcon.drawings.sheet import Sheet, path, px

BESIDE, OVER = (BOW_LEFT + 84.0, 118.0), (PHONE.width / 2, 92.0)
OUTER, INNER, NIB = 72.0, 44.0, 12.0
NUMBERS = OUTER + 14.0


def outline(sheet: Sheet, shape: Shape | None) -> str:
    """The wall of the tube laid flat, the end that slots are cut into above."""
    if shape is None:
        corners = [(0.0, 0.0), (0.0, sheet.height), (sheet.length, sheet.height), (sheet.length, 0.0)]
    else:
        corners = [(float(x), float(y)) for x, y in shape.view().outline]
    return path([(sheet.along(x), sheet.y(y)) for x, y in corners], close=True)


def no_bow(sheet: Sheet) -> str:
    """The face stands in its place."""
    return ""


def face(sheet: Sheet, shape: Shape | None) -> Extras:
    """The key's end as it is looked at: the ring, the nib on top, each slot where it is, clockwise."""
    x, y = middle = _middle_on(sheet.paper)
    ring = f"{_circle(OUTER, middle)} {_circle(INNER, middle)}"
    nib = path([(x - 5, y - INNER), (x + 5, y - INNER), (x + 4, y - INNER + NIB), (x - 4, y - INNER + NIB)], close=True)
    spots = [] if shape is None else [(spot.place.space, spot.x) for spot in shape.view().spots]
    if shape is None:
        spaces = enumerate(sheet.family.tracks[0].spaces, start=1)
        spots = [(number, sheet.family.kind.along_view(sheet.family, angle)) for number, angle in spaces]
    at = [(number, 2 * pi * arc / sheet.length) for number, arc in spots]
    marks = " ".join(_slot(angle, middle) for _, angle in at)
    numbers = [(px(x + NUMBERS * sin(a)), px(y - NUMBERS * cos(a) + 4), str(number)) for number, a in at]
    paths = (("blade ring", ring), ("blade", nib), ("face-slot" if shape is not None else "face-mark", marks))
    return Extras(paths, (*numbers, (px(x), px(y + 5), "key’s end")))


def _middle_on(paper: Paper) -> tuple[float, float]:
    """Where the face stands: in the place of the bow, over the wall where there is none."""
    return BESIDE if paper.has_bow else OVER


def _circle(radius: float, middle: tuple[float, float]) -> str:
    x, y = middle
    half = f"A{radius} {radius} 0 1 0"
    return f"M{px(x - radius)} {y} {half} {px(x + radius)} {y} {half} {px(x - radius)} {y} Z"


def _slot(
    angle: float, middle: tuple[float, float], inner: float = INNER, outer: float = OUTER,
    half: float = 7.0,
) -> str:  # fmt: skip
    """A mark across the ring, clockwise from the top."""
    (x, y), across, along = middle, (cos(angle), sin(angle)), (sin(angle), -cos(angle))
    corners = [(side * half, reach) for side, reach in ((-1, inner), (1, inner), (1, outer), (-1, outer))]
    return path([(x + s * across[0] + r * along[0], y + s * across[1] + r * along[1]) for s, r in corners], close=True)


def tool_at(sheet: Sheet, move: Move, share: float) -> tuple[float, float]:
    """The slotter over its slot, going down from the end."""
    family = sheet.family
    deep = family.depth.from_machine(move.value)
    return sheet.x(move.position % 360), sheet.y(sheet.height - deep * share)


def counting(family: Family, track: str) -> Extras:
    """Both faces side by side, the nib on top of each: the key's end clockwise, the lock's face the other way."""
    spaces, outer, inner = family.track(track).spaces, 46.0, 28.0
    paths, texts = [], []
    for x, way, says in ((84.0, 1, "key’s end"), (244.0, -1, "lock’s face")):
        y = 72.0
        nib = path([(x - 4, y - inner), (x + 4, y - inner), (x + 3, y - inner + 8), (x - 3, y - inner + 8)], close=True)
        paths += [("blade ring", f"{_circle(outer, (x, y))} {_circle(inner, (x, y))}"), ("blade", nib)]
        for number, angle in enumerate(spaces, start=1):
            turn = way * radians(angle)
            paths.append(("face-slot", _slot(turn, (x, y), inner, outer, 4.5)))
            reach = outer + 11
            texts.append((px(x + reach * sin(turn)), px(y - reach * cos(turn) + 4), str(number)))
        texts.append((x, y + 4, says))
    return Extras(tuple(paths), tuple(texts))


LOOK = KeyLook(
    outline,
    no_bow,
    tool_at,
    "its end as a clock face on the left, its wall unrolled from the nib",
    has_hole=False,
    extras=face,
    counting=counting,
    words=ViewWords("nib", "clockwise, seen at the key’s end", "nib"),
)
assert BESIDE[0] + NUMBERS + 8 < DESK.blade_left, "the face has room beside the wall"
assert OVER[1] + NUMBERS + 4 < PHONE.above, "the face has room over the wall"
