"""The steps of a trim by touch, what each protects from, and the advice after each try.

Common practice, no source; the machine's own book comes first.
"""

from __future__ import annotations

from collections.abc import Sequence

from keycore.machines.touch import TouchMark
from wryfalcon.lengths import say_mm
from wryfalcon.machines.models import Machine, MachineKind, TouchTry
from wryfalcon.machines.sentences import turn_words

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


def last_advice(machine: Machine, tries: Sequence[TouchTry]) -> str:
    """What to do after the last try, in words; "" before the first."""
    if not tries:
        return ""
    last = tries[-1]
    if last.moved == 0:
        return "It cannot be set nearer than this. Try two other blanks, or look whether the jaw holds them alike."
    words = turn_words(machine, -last.moved)
    if not machine.screw_lead:
        way = "closer" if last.moved > 0 else "away"
        words = f"move the wheel {say_mm(abs(last.moved))} {way}"
    return f"{words[0].upper()}{words[1:]}. Do not tighten it yet; turn the wheel by hand again."
