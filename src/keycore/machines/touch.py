"""Follower against wheel, by touch: how far to move after what two like blanks showed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

FIRST_MOVE = 0.05  # mm; small, and never tightened until it is right (common practice, no source)
FROM_A_CUT = 0.15  # mm; a real cut is a good deal too close


class Mark(StrEnum):
    """What the wheel leaves on a blank while the follower touches its twin."""

    NOTHING = "nothing"
    NICK = "nick"
    LINE = "line"
    CUT = "cut"


@dataclass(frozen=True, slots=True)
class Touch:
    """One try: what it showed, and how far the wheel was moved afterwards, mm, closer is positive."""

    showed: Mark
    moved: float


@dataclass(frozen=True, slots=True)
class Move:
    """What to do next: how far to move, closer is positive; 0 when it is right or cannot be set nearer."""

    by: float
    is_right: bool


def next_move(before: Sequence[Touch], showed: Mark, smallest: float) -> Move:
    """How far to move the wheel so that it just ticks the blank.

    Once it was too far and once too close the middle of the two is tried; until then it moves by
    0.05 mm, twice as far each time nothing shows, 0.15 mm away from a real cut. Arguments: the
    tries before, what this one showed, the smallest move worth making, mm. Returns a Move. Raises
    nothing.

    >>> next_move([], Mark.NOTHING, 0.005)
    Move(by=0.05, is_right=False)
    >>> next_move([Touch(Mark.NOTHING, 0.05)], Mark.LINE, 0.005)
    Move(by=-0.025, is_right=False)
    >>> next_move([], Mark.NICK, 0.005).is_right
    True
    """
    if showed == Mark.NICK:
        return Move(0.0, True)
    at, far, near, nothings = 0.0, None, None, 0
    for touch in [*before, Touch(showed, 0.0)]:
        if touch.showed == Mark.NOTHING:
            far, nothings = at if far is None else max(far, at), nothings + 1
        elif touch.showed in (Mark.LINE, Mark.CUT):
            near = at if near is None else min(near, at)
        at += touch.moved
    if far is not None and near is not None and far < near:
        by = (far + near) / 2 - at
        return Move(by if abs(by) >= smallest else 0.0, False)
    if showed == Mark.NOTHING:
        return Move(FIRST_MOVE * 2.0 ** (nothings - 1), False)
    return Move(-FROM_A_CUT if showed == Mark.CUT else -FIRST_MOVE, False)
