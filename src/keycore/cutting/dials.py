"""A plan as what a hand does at a machine that is worked by two dials, step by step, so that play takes no part.

A screw has play between its two ways: a reading holds only when it is come to from the same side each time. Here every
reading is come to rising; one that lies lower than the last is passed first. Common practice, no source.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from enum import StrEnum

from keycore.cutting.commands import Move
from keycore.family import Family, Place

SAME = 1e-9


class DialAct(StrEnum):
    """What is done at one step."""

    TOUCH_OFF = "touch-off"  # sets zero for every depth
    INDEX = "index"  # the adapter to its dot
    ALONG = "along"  # the dial that makes the place
    DEPTH = "depth"  # the dial that makes the depth
    FEED = "feed"  # through the metal and no further than the cut mark
    BACK = "back"  # to the gauge point
    TURN_OVER = "turn-over"


@dataclass(frozen=True, slots=True)
class DialStep:
    """One step: what is done, for which cut, and to which reading; mm from zero, or the index, from 1.

    ``is_lower`` whether the reading lies lower than the one before on that dial: it is passed and come to again.
    """

    act: DialAct
    place: Place | None = None
    reading: float = 0.0
    is_lower: bool = False


def dial_steps(family: Family, moves: Sequence[Move]) -> tuple[DialStep, ...]:
    """Every step of cutting a key by two dials, in order, from the touch-off to back at the gauge point.

    A depth is read from where nothing is cut. Spaces that are angles are indexed, each from the touch-off on.
    Arguments: the ``family`` and the ``moves`` (m,) of its plan, offsets put in. Returns the steps. Raises nothing.

    >>> from keycore.documents.family import read_family
    >>> harbour = read_family("harbour-five")
    >>> steps = dial_steps(harbour, [Move(1, Place("A", 1), 5.588, 7.264), Move(1, Place("A", 2), 9.144, 6.248)])
    >>> [(step.act.value, round(step.reading, 3)) for step in steps][:4]
    [('touch-off', 0.0), ('along', 5.588), ('depth', 1.143), ('back', 0.0)]
    """
    return tuple(_steps(family, moves))


def _steps(family: Family, moves: Sequence[Move]) -> Iterator[DialStep]:
    uncut = family.kind.uncut(family, family.tracks[0])
    zero = 0.0 if uncut is None else family.depth.to_machine(uncut)
    clamping, last = 0, 0.0
    for number, move in enumerate(moves, start=1):
        if move.clamping != clamping:
            if clamping:
                yield DialStep(DialAct.TURN_OVER)
            yield DialStep(DialAct.TOUCH_OFF)
            clamping, last = move.clamping, 0.0
        deep = abs(move.value - zero)
        if family.space.is_length:
            yield DialStep(DialAct.ALONG, move.place, move.position, is_lower=move.position < last - SAME)
            yield DialStep(DialAct.DEPTH, move.place, deep)
            last = move.position
        else:
            yield DialStep(DialAct.INDEX, move.place, float(number))
            yield DialStep(DialAct.DEPTH, move.place, deep, is_lower=deep < last - SAME)
            yield DialStep(DialAct.FEED, move.place)
            last = deep
        yield DialStep(DialAct.BACK, move.place)
