"""The steps of a trim by touch, what each protects from, and the advice after each try.

Common practice, no source; the machine's own book comes first.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.utils import timezone

from keycore.machines.touch import TouchMark
from keycore.proving.lock import Feel
from wryfalcon.lengths import say_mm
from wryfalcon.machines.fittings.presenters import turn_words
from wryfalcon.machines.models import Machine, MachineKind, TouchTry
from wryfalcon.machines.touches import is_to_be_proven

STEPS = {
    MachineKind.TRACING: (
        (
            "Unplug it, glasses on. Follower and wheel have the same shape.",
            "A follower of another shape copies every flank wrongly.",
        ),
        (
            "Shoulder gauge down: it touches both jaws at once. Square them sideways until it does.",
            "Jaws out of line shift every cut along the blade.",
        ),
        (
            "Two like blanks, same maker and millings, flat against the back of each jaw, at the shoulder gauge. "
            "Swing the gauge away.",
            "Unlike blanks sit at unlike heights, and you would set the difference in.",
        ),
        (
            "Turn the wheel by hand, one blank against the follower. What does the wheel leave on the other?",
            "A spindle that runs cuts before you see.",
        ),
        (
            "Move a little at a time, closer or away as it says above; do not tighten until it is right.",
            "What is tightened between the tries moves again.",
        ),
        (
            "When it is right, lock it, turn it once more by hand, and look for the same nick.",
            "The nut moves the setting as it is drawn tight.",
        ),
        (
            "Set the bottom stop just clear of the jaw, no deeper.",
            "It protects the jaw from the wheel; it is not the depth setting.",
        ),
        (
            "Prove it with a cut and a cylinder: two light passes, the follower kept in contact, then the brush.",
            "One heavy pass springs key and carriage, and comes out shallow.",
        ),
    ),
    MachineKind.SIDE_MILL: (
        (
            "Unplug it, glasses on. Tracer and mill have the same diameter: measure both.",
            "A thinner tracer cuts every track too wide.",
        ),
        (
            "Set the height by touch: both touch together on two like flats, or on the bare clamp.",
            "A height that differs cuts every track too deep or too shallow.",
        ),
        (
            "Lock the spring tracer for this.",
            "A sprung tracer gives way, and everything comes out too deep.",
        ),
        (
            "Turn the mill by hand on the flats. What does it leave?",
            "A spindle that runs cuts before you see.",
        ),
        (
            "Set the depth for this pattern key, below: tracer on the track’s floor, then the small clearance.",
            "A tracer that drags wears the pattern.",
        ),
        (
            "Lock everything, and prove it with one track; measure its depth and width beside the pattern’s.",
            "A wrong depth is found in one track, not in four.",
        ),
        (
            "For inner holes and tracks only: free the spring tracer again, the height set to the inner tip.",
            "A locked tracer cannot follow them.",
        ),
    ),
}
"""What is done, and what it protects from."""

MARKS = tuple(
    (mark, words, f"drawings/touched/{mark}.svg")
    for mark, words in {
        TouchMark.NOTHING: "No mark at all",
        TouchMark.NICK: "A hairline nick on one edge",
        TouchMark.LINE: "A line right across",
        TouchMark.CUT: "A real cut",
    }.items()
)
"""What the blank may show, in words and drawn."""


FELT_IN_CYLINDER = (
    (Feel.FREE, "It turns freely"), (Feel.RUBS, "It rubs, or turns hard"), (Feel.SNAGS, "It snags, then turns"),
    (Feel.STUCK, "It will not turn"),
)  # fmt: skip
"""How a proving key goes in the cylinder of its family."""
AGAIN = "Do not tighten it yet; turn the wheel by hand again"
PROVE = "A hairline nick: lock it. Then cut a proving key and try it in its cylinder."
LOOK_FIRST = (
    "That says nothing of the setting yet. Measure the key: a blank not bottomed, or the wrong one, does the same. Cut "
    "another, then say how that goes."
)


@dataclass(frozen=True)
class TryShown:
    """One try on a line: what showed, and what was done then."""

    says: str
    who: str


def tries_shown(tries: Sequence[TouchTry]) -> list[TryShown]:
    """Each try in words."""
    return [
        TryShown(f"{_showed(each)}, then {_moved(each.moved)}", f"{each.by}, {timezone.localtime(each.at):%H:%M}")
        for each in tries
    ]


def _showed(each: TouchTry) -> str:
    felt = {feel.value: words for feel, words in FELT_IN_CYLINDER}
    if each.cylinder:
        words = felt[each.cylinder]
        return f"{each.showed}; its proving key: {words[0].lower()}{words[1:]}"
    return each.showed


def _moved(by: float) -> str:
    return f"{say_mm(abs(by))} {'closer' if by > 0 else 'away'}" if by else "nothing"


def last_advice(machine: Machine, tries: Sequence[TouchTry]) -> str:
    """What to do after the last try, in words; "" before the first."""
    if not tries:
        return ""
    last = tries[-1]
    if is_to_be_proven(tries) and last.moved == 0:
        return LOOK_FIRST if last.cylinder else PROVE
    if last.moved == 0:
        return "It cannot be set nearer than this. Try two other blanks, or look whether the jaw holds them alike."
    words = turn_words(machine, -last.moved)
    if not machine.screw_lead:
        way = "closer" if last.moved > 0 else "away"
        words = f"move the wheel {say_mm(abs(last.moved))} {way}"
    then = "Lock it, and cut another proving key" if last.cylinder else AGAIN
    return f"{words[0].upper()}{words[1:]}. {then}."
