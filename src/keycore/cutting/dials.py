"""A plan as what a hand does at a machine that is worked by two dials, step by step, so that play takes no part.

A screw has play between its two ways: a reading holds only when it is come to from the same side each time. Here every
reading is come to rising; one that lies lower than the last is passed first. Common practice, no source.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from enum import StrEnum

from keycore.cutting.commands import (
    ACROSS,
    AS_TOLD,
    MachineOffsets,
    Move,
    lays_by_clamping,
    moves_of,
    tool_words,
    ways_of,
)
from keycore.cutting.lay import lay_words
from keycore.cutting.plan import Plan
from keycore.family import Place

SAME = 1e-9


class DialAct(StrEnum):
    """What is done at one step."""

    FIT = "fit"  # the tool that the cuts to come are made with
    TOUCH_OFF = "touch-off"  # sets zero for every depth
    ROW = "row"  # across the blade, where a row of holes lies
    INDEX = "index"  # the adapter to its dot
    ALONG = "along"  # the dial that makes the place
    DEPTH = "depth"  # the dial that makes the depth
    FEED = "feed"  # through the metal and no further than the cut mark
    BACK = "back"  # to the gauge point
    TURN_OVER = "turn-over"
    END = "end"  # spindle off, the key out, the machine as it was


@dataclass(frozen=True, slots=True)
class DialStep:
    """One step: what is done, for which cut, and to which reading; mm from zero, or the index, from 1.

    ``is_lower`` whether the reading lies lower than the one before on that dial: it is passed and come to again.
    ``words`` of a tool to fit, of how the key lies, of which way an index is turned; of a cut the side it is on, where
    there are several.
    """

    act: DialAct
    place: Place | None = None
    reading: float = 0.0
    is_lower: bool = False
    words: str = ""


def dial_steps(plan: Plan, offsets: MachineOffsets = AS_TOLD, height: float | None = None) -> tuple[DialStep, ...]:
    """Every step of cutting a key by two dials, in order, from the tool that must be on to the spindle off.

    A depth is read from where nothing is cut. Spaces that are angles are indexed, each from the touch-off on; zero is
    touched off anew with each tool and each lay. Arguments: a ``plan``, the machine's ``offsets`` in mm, and the
    blank's measured ``height``, see ``moves_of``. Returns the steps. Raises nothing.

    >>> from keycore.cutting.plan import plan_cuts
    >>> from keycore.documents.family import read_family
    >>> steps = dial_steps(plan_cuts(read_family("harbour-five"), {"A": ["3", "5", "2", "4", "1"]}))
    >>> [(step.act.value, round(step.reading, 3)) for step in steps][:5]
    [('fit', 0.0), ('touch-off', 0.0), ('along', 5.588), ('depth', 1.143), ('back', 0.0)]
    """
    return tuple(_steps(plan, offsets, height))


def _steps(plan: Plan, offsets: MachineOffsets, height: float | None) -> Iterator[DialStep]:
    family, lays, ways = plan.family, lays_by_clamping(plan), ways_of(plan, offsets, height)
    uncut = family.kind.uncut(family, family.tracks[0])
    zero = 0.0 if uncut is None else family.depth.to_machine(uncut)
    moves = moves_of(plan, offsets, height)
    tool, lay, track, last = "", None, "", 0.0
    for number, move in enumerate(moves, start=1):
        wanted, lies = tool_words(plan, move.place.track), lays.get(move.clamping)
        if (wanted, lies) != (tool, lay):
            if wanted != tool:
                yield DialStep(DialAct.FIT, words=wanted)
            if lay is not None and lies != lay:
                yield DialStep(DialAct.TURN_OVER, words=lay_words(lies) if lies is not None else "")
            yield DialStep(DialAct.TOUCH_OFF, words=lay_words(lies) if lies is not None else "")
            tool, lay, track, last = wanted, lies, "", 0.0
        row = ways[move.place.track].also.get(ACROSS) if move.place.track in ways else None
        if row is not None and move.place.track != track:
            yield DialStep(DialAct.ROW, move.place, row)
        track = move.place.track
        yield from _cut(plan, move, number, deep=abs(move.value - zero), last=last)
        last = move.position if family.space.is_length else abs(move.value - zero)
    yield DialStep(DialAct.END)


def _cut(plan: Plan, move: Move, number: int, *, deep: float, last: float) -> Iterator[DialStep]:
    """One cut: to its place, in to its depth and back."""
    up = next((lay.up for lay in plan.lays if move.clamping in lay.clampings), "")
    side = up if len(plan.tracks) > 1 or len(plan.lays) > 1 else ""
    if plan.family.space.is_length:
        yield DialStep(DialAct.ALONG, move.place, move.position, is_lower=move.position < last - SAME, words=side)
        yield DialStep(DialAct.DEPTH, move.place, deep, words=side)
    else:
        turns = next((lay.index for lay in plan.lays), "")
        yield DialStep(DialAct.INDEX, move.place, float(number), words=turns)
        yield DialStep(DialAct.DEPTH, move.place, deep, is_lower=deep < last - SAME, words=side)
        yield DialStep(DialAct.FEED, move.place, words=side)
    yield DialStep(DialAct.BACK, move.place)
