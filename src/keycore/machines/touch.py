"""Follower against wheel: whether their shapes match, and how far to move after what two like blanks showed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from keycore.proving.lock import Feel
from keycore.tools import Wheel

FIRST_MOVE = 0.05  # mm; small, and never tightened until it is right (common practice, no source)
AFTER_A_NICK = 0.02  # mm; less than a caliper tells on a blade, more than the nut moves (common practice, no source)
FROM_A_CUT = 0.15  # mm; a real cut is a good deal too close


class TouchMark(StrEnum):
    """What the wheel leaves on a blank while the follower touches its twin."""

    NOTHING = "nothing"
    NICK = "nick"
    LINE = "line"
    CUT = "cut"


@dataclass(frozen=True, slots=True)
class Touch:
    """One try: what it showed, and how far the wheel was moved afterwards, mm, closer is positive."""

    showed: TouchMark
    moved: float


@dataclass(frozen=True, slots=True)
class Move:
    """What to do next: how far to move, closer is positive; 0 when it is right or cannot be set nearer."""

    by: float
    is_right: bool


def next_move(before: Sequence[Touch], showed: TouchMark, smallest: float) -> Move:
    """How far to move the wheel so that it just ticks the blank.

    Once it was too far and once too close the middle of the two is tried; until then it moves by
    0.05 mm, twice as far each time nothing shows, 0.15 mm away from a real cut. Arguments: the
    tries before, what this one showed, the smallest move worth making, mm. Returns a Move. Raises
    nothing.

    >>> next_move([], TouchMark.NOTHING, 0.005)
    Move(by=0.05, is_right=False)
    >>> next_move([Touch(TouchMark.NOTHING, 0.05)], TouchMark.LINE, 0.005)
    Move(by=-0.025, is_right=False)
    >>> next_move([], TouchMark.NICK, 0.005).is_right
    True
    """
    if showed == TouchMark.NICK:
        return Move(0.0, True)
    at, far, near, nothings = 0.0, None, None, 0
    for touch in [*before, Touch(showed, 0.0)]:
        if touch.showed == TouchMark.NOTHING:
            far, nothings = at if far is None else max(far, at), nothings + 1
        elif touch.showed in (TouchMark.LINE, TouchMark.CUT):
            near = at if near is None else min(near, at)
        at += touch.moved
    if far is not None and near is not None and far < near:
        by = (far + near) / 2 - at
        return Move(by if abs(by) >= smallest else 0.0, False)
    if showed == TouchMark.NOTHING:
        return Move(FIRST_MOVE * 2.0 ** (nothings - 1), False)
    return Move(-FROM_A_CUT if showed == TouchMark.CUT else -FIRST_MOVE, False)


def move_after_cylinder(felt: Feel, smallest: float) -> Move:
    """What a proving key's cylinder says of a machine that was set to a hairline nick.

    A key that rubs is cut shallow, one that snags too deep: the wheel is moved the least that is worth it, since a
    nick is right within a few hundredths. Stuck says nothing of the setting: the key is looked at first. Arguments:
    how the key went in its cylinder, and the ``smallest`` move worth making, mm. Returns a Move. Raises nothing.

    >>> move_after_cylinder(Feel.RUBS, 0.005), move_after_cylinder(Feel.FREE, 0.005).is_right
    (Move(by=0.02, is_right=False), True)
    >>> move_after_cylinder(Feel.SNAGS, 0.05).by
    -0.05
    """
    by = max(AFTER_A_NICK, smallest)
    return Move({Feel.RUBS: by, Feel.SNAGS: -by}.get(felt, 0.0), felt == Feel.FREE)


@dataclass(frozen=True, slots=True)
class ShapeMatch:
    """A follower against the wheel it guides, mm; all 0 where they are alike."""

    wider_at_root: float  # how much wider a copy's cut comes out there
    wider_at_edge: float
    shallow: float  # by how much the follower may stay above the root of a cut that such a wheel made

    @property
    def is_alike(self) -> bool:
        """Whether nothing of it could be measured on a key."""
        return max(abs(self.wider_at_root), abs(self.wider_at_edge), self.shallow) <= ALIKE


ALIKE = 0.02  # mm: less than a caliper tells on a key's edge; common practice, no source


def match_shapes(follower: Wheel, wheel: Wheel, depth: float) -> ShapeMatch:
    """What a follower of another shape than the wheel does to a copy's cuts.

    Each flank of the copy lies where the follower leaves the pattern's, moved by the difference of
    the half widths: w_wheel(h) - w_follower(h) at a height h above the root, w(h) = flat + 2 h T. A
    follower with the wider flat rides on the flanks of a cut that such a wheel made, (difference of
    flats) / 2T above its root. Arguments: both shapes in mm, ``depth`` of the deepest cut. Returns
    a ShapeMatch. Raises nothing. A mill and its tracer are flats without an angle.

    >>> match_shapes(Wheel(1.0, 90.0), Wheel(1.0, 90.0), 2.0).is_alike
    True
    >>> found = match_shapes(Wheel(1.2, 90.0), Wheel(1.0, 90.0), 2.0)
    >>> round(found.wider_at_root, 6), round(found.wider_at_edge, 6), round(found.shallow, 6)
    (-0.2, -0.2, 0.1)
    """
    root = wheel.flat - follower.flat
    edge = root + 2 * depth * (wheel.slope - follower.slope)
    rides = -root / (2 * wheel.slope) if root < 0 and wheel.slope > 0 else 0.0
    return ShapeMatch(root, edge, rides)
