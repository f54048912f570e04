"""How a blank lies in its clamp, time after time: its section as seen from the tip, the face that is cut turned up."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from keycore.cutting.plan import Plan
from keycore.family import Place
from keycore.geometry.shape import Points
from keycore.kind import Clamping
from wryfalcon.drawings.sheet import path, px

WIDTH, HEIGHT, JAW = 132.0, 66.0, 14.0
UP = {"front": 90.0, "back": -90.0, "top": 0.0, "bottom": 180.0}
"""How far the section is turned, degrees anticlockwise, so that a face comes up; drawn upright its front is right."""


@dataclass(frozen=True)
class Loading:
    """One clamping: its number, words for it, and its picture."""

    number: int
    says: str
    outline: str
    jaw: str
    width: float = WIDTH
    height: float = HEIGHT


def draw_loadings(plan: Plan) -> tuple[Loading, ...]:
    """Each clamping of a plan with the blank as it goes in: what was milled before is gone. None for a single one."""
    clampings = plan.clampings
    if len(clampings) < 2 or len({clamping.face for clamping in clampings}) < 2:
        return ()
    return tuple(_loading(plan, clamping, clampings[place:]) for place, clamping in enumerate(clampings))


def _loading(plan: Plan, clamping: Clamping, to_come: tuple[Clamping, ...]) -> Loading:
    uncut = [
        (each.number, Place(track, space))
        for each in to_come
        for track in each.tracks
        for space in range(1, len(plan.family.track(track).spaces) + 1)
    ]
    section = _section(plan, uncut)
    turn = np.radians(UP.get(clamping.face, 0.0))
    turned = section @ np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]])
    turned -= turned.min(axis=0)
    scale = (HEIGHT - 18.0) / max(float(plan.blank.height), 1e-9)
    wide, high = turned.max(axis=0) * scale
    left, floor = (WIDTH - wide) / 2, HEIGHT - 8.0
    points = [(left + x * scale, floor - y * scale) for x, y in turned]
    low = floor - min(high * 0.45, 12.0)
    cheeks = [
        path([(px(x), px(low)), (px(x + side * JAW), px(low)), (px(x + side * JAW), floor), (px(x), floor)], close=True)
        for x, side in ((left - 1, -1), (left + wide + 1, 1))
    ]
    base = path([(left - JAW, floor + 1), (left + wide + JAW, floor + 1)])
    tracks = " and ".join(clamping.tracks)
    says = f"{clamping.face.capitalize()} up: {tracks}, with the {clamping.tool}"
    return Loading(clamping.number, says, path(points, close=True), " ".join([*cheeks, base]))


def _section(plan: Plan, uncut: list[tuple[int, Place]]) -> Points:
    """The blade cut across at its first space as it is before a clamping; the bare blank where no view says."""
    values = {planned.track.name: [cut.value for cut in planned.cuts] for planned in plan.tracks}
    cutting = plan.family.kind.cutting
    assert cutting is not None  # it is planned
    shape = cutting.shape(plan.family, values, style=plan.style, tool=plan.tool, uncut=uncut)
    named = [curve.points for view in shape.views for curve in view.curves if curve.name == "section 1"]
    blank = plan.blank
    bare = np.array([[0, 0], [blank.thickness, 0], [blank.thickness, blank.height], [0, blank.height]], dtype=float)
    return named[0] if named else bare
