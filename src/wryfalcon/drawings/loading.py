"""How a blank lies in its clamp, lay after lay: its section as seen from the tip, the fixed jaw on the left."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from keycore.cutting.lay import lay_words
from keycore.cutting.plan import Plan
from keycore.family import Place
from keycore.geometry.shape import Points
from keycore.kind import Lay
from wryfalcon.drawings.sheet import path, px

WIDTH, HEIGHT, JAW = 132.0, 78.0, 14.0
FLOOR = HEIGHT - 20.0
HELD = 5.0  # above the floor, where no edge is a seat
UP = {"front": -90.0, "back": 90.0, "top": 0.0, "bottom": 180.0}
"""How far the section is turned, degrees anticlockwise, so that a side comes up; drawn upright its front is left."""
REFERENCE = {"front": (0.0, 0.5), "back": (1.0, 0.5), "top": (0.5, 0.0), "bottom": (0.5, 1.0)}
"""Where the reference edge comes to lie by what is up: shares of the width and of the height of what is drawn."""


@dataclass(frozen=True)
class Loading:
    """One lay: its number, words for it, what is cut so, and its picture."""

    number: int
    says: str
    cuts: str
    outline: str
    fixed: str  # the fixed jaw and the floor
    moving: str  # the jaw that is drawn up
    reference: tuple[float, float]
    width: float = WIDTH
    height: float = HEIGHT


def draw_loadings(plan: Plan) -> tuple[Loading, ...]:
    """Each lay of a plan with the blank as it goes in: what was cut before is gone. None for a single one."""
    lays = plan.lays
    if len(lays) < 2 or any(lay.up not in UP for lay in lays):
        return ()
    return tuple(_loading(plan, lay) for lay in lays)


def _loading(plan: Plan, lay: Lay) -> Loading:
    uncut = [
        (each.number, Place(track, space))
        for each in plan.clampings
        if each.number >= lay.clampings[0]
        for track in each.tracks
        for space in range(1, len(plan.family.track(track).spaces) + 1)
    ]
    section = _section(plan, uncut)
    turn = np.radians(UP[lay.up])
    turned = section @ np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]])
    turned -= turned.min(axis=0)
    wide, high = turned.max(axis=0)
    scale = min((FLOOR - HELD - 6.0) / float(high), (WIDTH - 2 * JAW - 8.0) / float(wide))
    wide, high = turned.max(axis=0) * scale
    left = (WIDTH - wide) / 2
    rise = 0.0 if lay.floor else HELD
    points = [(left + x * scale, FLOOR - rise - y * scale) for x, y in turned]
    low = FLOOR - min(high * 0.45, 12.0)
    fixed, moving = (
        path([(px(x), px(low)), (px(x + side * JAW), px(low)), (px(x + side * JAW), FLOOR), (px(x), FLOOR)], close=True)
        for x, side in ((left - 1, -1), (left + wide + 1, 1))
    )
    base = path([(left - JAW, FLOOR + 1), (left + wide + JAW, FLOOR + 1)])
    across, up = REFERENCE[lay.up]
    named = [(c.tracks, c.tool) for c in plan.clampings if c.number in lay.clampings]
    cuts = ", then ".join(f"{' and '.join(tracks)} with the {tool}" for tracks, tool in named)
    return Loading(
        number=lay.number,
        says=lay_words(lay),
        cuts=cuts,
        outline=path(points, close=True),
        fixed=f"{fixed} {base}",
        moving=moving,
        reference=(px(left + across * wide), px(FLOOR - rise - up * high)),
    )


def _section(plan: Plan, uncut: list[tuple[int, Place]]) -> Points:
    """The blade cut across at its first space as it is before a lay; the bare blank where no view says."""
    values = {planned.track.name: [cut.value for cut in planned.cuts] for planned in plan.tracks}
    cutting = plan.family.kind.cutting
    assert cutting is not None  # it is planned
    shape = cutting.shape(plan.family, values, style=plan.style, tool=plan.tool, uncut=uncut)
    named = [curve.points for view in shape.views for curve in view.curves if curve.name == "section 1"]
    blank = plan.blank
    bare = np.array([[0, 0], [blank.thickness, 0], [blank.thickness, blank.height], [0, blank.height]], dtype=float)
    return named[0] if named else bare
