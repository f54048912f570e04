"""How the metal lies in a clamp, time after time, and what that does to the numbers a machine is told.

The reference edge is the blade's lower one as its front is looked at with the bow to the left; the other edge is above
it. Values on a face are measured from the reference edge, those on an edge from the front. A machine measures across
from its fixed jaw, so that what lies there decides what it is told. Where its bow is on the left, the fixed jaw is the
one nearer to whoever stands there; on a machine the other way round it is the farther one.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Any

from keycore.family import Family, Gauge, Track
from keycore.kind import LONG_AXIS, Clamping, Lay, Turn

REFERENCE, OTHER = "reference edge", "other edge"
FRONT, BACK, TOP, BOTTOM = "front", "back", "top", "bottom"
LEFT, RIGHT = "left", "right"
ROUND = (FRONT, TOP, BACK, BOTTOM)
"""What comes up one quarter after the other as the upper side is rolled towards the fixed jaw."""
AT_JAW = {FRONT: REFERENCE, TOP: FRONT, BACK: OTHER, BOTTOM: BACK}
"""What lies at the fixed jaw by what is up, the bow always on the same side."""
BELOW = {FRONT: BACK, TOP: REFERENCE, BACK: FRONT, BOTTOM: OTHER}
"""What lies below by what is up."""
TURNED = (BACK, BOTTOM)
"""What is up where the reference that its tracks are measured from lies away from the fixed jaw."""
IN_THE_MIRROR = {"below": "above", "above": "below"}
"""The side of a wall that metal stays on, measured from the opposite edge."""


def face_lays(family: Family, clampings: Sequence[Clamping], bow: str = LEFT) -> tuple[Lay, ...]:
    """How a blade lies whose faces are cut, its edges up for side tracks: one lay for each side that comes up in turn.

    Arguments: the ``clampings`` (n,) in order, and the side of the machine that the ``bow`` is on. Returns at most n.
    Raises nothing.

    >>> from keycore.cutting.plan import plan_cuts
    >>> from keycore.documents.family import read_family
    >>> plan = plan_cuts(read_family("capstan-five"), {"A": ["1"] * 5, "B": ["1"] * 4})
    >>> [(lay.up, lay.jaw, lay.turn.angle if lay.turn else None) for lay in plan.lays]
    [('front', 'reference edge', None), ('back', 'other edge', 180)]
    """
    return _in_turn(family, ((clamping.number, clamping.face) for clamping in clampings), bow)


def edge_lays(family: Family, clampings: Sequence[Clamping], bow: str = LEFT) -> tuple[Lay, ...]:
    """How a key lies that is cut on its edges: the first track's up, then the other one; see ``face_lays``."""
    first = family.tracks[0].name
    ups = (BOTTOM if c.turn == LONG_AXIS or first not in c.tracks else TOP for c in clampings)
    lays = _in_turn(family, ((c.number, up) for c, up in zip(clampings, ups, strict=True)), bow)
    if family.gauge != Gauge.SHOULDER or len(lays) < 2:
        return lays
    return tuple(replace(lay, stop=f"{lay.up} shoulder") for lay in lays)


def end_lays(family: Family, clampings: Sequence[Clamping], bow: str = LEFT) -> tuple[Lay, ...]:
    """How a tube stands: its first slot at the index's dot; see ``face_lays``.

    Angles run clockwise round its end, so that it turns the other way as they grow.
    """
    numbers = tuple(clamping.number for clamping in clampings)
    return (Lay(1, numbers, "slot 1", stop="end", bow=bow, index="anticlockwise"),)


def round_lays(family: Family, clampings: Sequence[Clamping], bow: str = LEFT) -> tuple[Lay, ...]:
    """How a key with discs lies that its clamp turns: flat, its front up; see ``face_lays``."""
    return (Lay(1, tuple(clamping.number for clamping in clampings), FRONT, stop=str(family.gauge), bow=bow),)


def no_lays(family: Family, clampings: Sequence[Clamping], bow: str = LEFT) -> tuple[Lay, ...]:
    """A key that lies in no machine's clamp; see ``face_lays``."""
    return ()


def _in_turn(family: Family, ups: Iterable[tuple[int, str]], bow: str) -> tuple[Lay, ...]:
    """Lays from what is up in each clamping. The other edge is no seat once it was up itself: it is cut then."""
    lays: list[Lay] = []
    for number, up in ups:
        if lays and lays[-1].up == up:
            lays[-1] = replace(lays[-1], clampings=(*lays[-1].clampings, number))
            continue
        is_cut = up == BOTTOM and any(lay.up == TOP for lay in lays)
        floor = "" if is_cut else BELOW[up]
        turn = turn_between(lays[-1].up, up) if lays else None
        lays.append(Lay(len(lays) + 1, (number,), up, AT_JAW[up], floor, str(family.gauge), bow, turn))
    return tuple(lays)


def turn_between(before: str, after: str) -> Turn:
    """The turn about the long axis, the bow staying where it is, that brings another side up.

    Arguments: what is up ``before`` and ``after``: front, back, top or bottom. Raises nothing.

    >>> turn_between("front", "back"), turn_between("back", "top").sense
    (Turn(axis='long', angle=180, sense=''), 'away')
    """
    quarters = (ROUND.index(after) - ROUND.index(before)) % len(ROUND)
    return Turn("long", 180) if quarters == 2 else Turn("long", 90, "towards" if quarters == 1 else "away")


def is_mirrored(lay: Lay | None, track: Track) -> bool:
    """Whether what a ``track`` is measured from lies away from the fixed jaw in this lay.

    A track that is listed on the side that is up is measured from its own reference, whatever lies at the jaw; one
    that is repeated there with the key turned over is measured from what lies at the jaw. Raises nothing.
    """
    return lay is not None and lay.up == track.face and track.face in TURNED


NAMED = {OTHER: "upper edge", TOP: "upper edge", BOTTOM: "lower edge"}
"""What is said of a side or an edge where it is not by its own name."""


def lay_words(lay: Lay) -> str:
    """A ``lay`` as it is said to whoever stands there: the turn that leads to it, then how it lies. Raises nothing.

    >>> from keycore.cutting.plan import plan_cuts
    >>> from keycore.documents.family import read_family
    >>> plan = plan_cuts(read_family("capstan-five"), {"A": ["1"] * 5, "B": ["1"] * 4})
    >>> print(lay_words(plan.lays[1]))  # doctest: +NORMALIZE_WHITESPACE
    half a turn about its long axis: back up, bow on the left, upper edge at the fixed jaw, bottomed on its front,
    shoulder at the stop, millings parallel to the jaw
    """
    if lay.index:
        turns = f"from dot to dot it turns {lay.index}, its end looked at"
        return f"{lay.up} at the index’s dot, its end at the stop; {turns}"
    up = NAMED.get(lay.up, lay.up)
    words = [f"{up} up", f"bow on the {lay.bow}"]
    words += [f"{NAMED.get(lay.jaw, lay.jaw)} at the fixed jaw"] if lay.jaw else []
    if lay.floor:
        words.append(f"bottomed on its {NAMED.get(lay.floor, lay.floor)}")
    elif lay.jaw:
        words.append("held by its faces (an edge that is cut is no seat)")
    words.append(f"{_stop_words(lay)} at the stop")
    if lay.turn is None:
        return ", ".join(words)
    how = "half a turn" if lay.turn.angle == 180 else "a quarter turn"
    sense = {"towards": "towards", "away": "away from"}.get(lay.turn.sense, "")
    way = f", what was up going {sense} the fixed jaw" if sense else ""
    return f"{how} about its long axis{way}: {', '.join(words)}, millings parallel to the jaw"


def _stop_words(lay: Lay) -> str:
    side, _, what = lay.stop.rpartition(" ")
    return f"shoulder of the {NAMED.get(side, side)}" if side else what


def write_lay(lay: Lay) -> dict[str, Any]:
    """A ``lay`` as plain data, as the answer of the verb ``plan`` has it. Raises nothing."""
    turn = None if lay.turn is None else {"axis": lay.turn.axis, "angle": lay.turn.angle, "sense": lay.turn.sense}
    return {
        "n": lay.number, "clampings": list(lay.clampings), "up": lay.up, "jaw": lay.jaw or None,
        "floor": lay.floor or None, "stop": lay.stop, "bow": lay.bow, "turn": turn, "index": lay.index or None,
    }  # fmt: skip
