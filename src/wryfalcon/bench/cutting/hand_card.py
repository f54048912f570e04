"""The hand card: what is done at a machine that is worked by hand, step by step, and what still holds of it."""

from __future__ import annotations

from dataclasses import dataclass

from django.utils import timezone

from keycore.machines.side_mill import CLEARANCE
from wryfalcon.bench.copying.actions import EXCHANGE
from wryfalcon.bench.copying.queries import WHILE_MADE, StepNow, copy_steps, shift_on
from wryfalcon.bench.cutting.presenters import HandWay
from wryfalcon.bench.models import MadeHow, Piece, Tag
from wryfalcon.lengths import say_mm
from wryfalcon.machines.models import TRACES, CopyStep, MachineKind, Shift
from wryfalcon.machines.touches import is_to_be_proven, touches_of

TRACE = (
    "Both keys’ backs level in their jaws, cuts towards the wheel.",
    "Pattern at the gauge first, the blank to the same gauge; then the gauge away.",
    "Begin just before the shoulder, end past the tip.",
    "Two light passes, easing off at each cut’s end; where the follower lifts, go back over it.",
    "Brush the burrs away, never with wire on a plated key.",
)
"""At a duplicator that follows edges; common practice, no source."""
DIALS = (
    "Begin it, and every step stands here in the divisions of these dials, offsets put in: touch off, then each cut.",
    "Every reading is come to from the same side, so that the play of the screw takes no part.",
)
FILING = (
    "Measure as you go: a file takes metal off, nothing puts it on.",
    "File the deepest cut last; stop a hair above each depth, try, then finish.",
)
WHERE_IT_TURNS = (
    "Glasses on; no gloves, sleeves, hair or rings near the {tool}. The guard down before it turns, the plug out "
    "before it is touched, hands clear until it stands."
)
WHERE_IT_IS_FILED = "Glasses on. The key in a vice, never in the hand; clear of chips by a brush, not by a finger."
"""One line above every card that a hand works by; common practice, no source, local rules first."""
PASS_SECONDS = 10
WHICH = {"pattern": "the customer’s key", "new": "the new key"}


@dataclass(frozen=True)
class StepShown:
    """One step before copying: what is done, whether it holds and what says so, whether it is next."""

    step: CopyStep
    detail: str
    holds: bool
    says: str
    is_next: bool


@dataclass(frozen=True)
class ClampShown:
    """One clamping of an exchange: which key, which side up."""

    key: str
    side: str
    is_done: bool
    is_next: bool


@dataclass(frozen=True)
class HandCard:
    """All that a hand card says."""

    way: HandWay
    sentences: tuple[str, ...]
    steps: tuple[StepShown, ...]
    exchange: tuple[ClampShown, ...]
    shift: Shift | None
    is_shifted_here: bool  # for this very tag
    pass_seconds: int | None  # of one pass at a side mill
    caution: str
    is_unproven: bool  # set by touch, and no proving key said yet that it is right

    @property
    def is_walked(self) -> bool:
        """Whether it is gone through step by step once it is begun."""
        return self.way.made_how == MadeHow.DIALS

    @property
    def is_ready(self) -> bool:
        """Whether every step before copying holds."""
        return all(step.holds for step in self.steps if step.step not in WHILE_MADE)


def hand_card(tag: Tag, way: HandWay, piece: Piece | None) -> HandCard:
    """What is done for the next key of a tag, or for the one under way."""
    machine = way.machine
    steps = copy_steps(tag, machine) if machine is not None else []
    shift = shift_on(machine) if machine is not None and way.made_how == MadeHow.TRACED else None
    is_side_mill = machine is not None and machine.kind == MachineKind.SIDE_MILL
    undone = next((each.step for each in steps if not each.holds), None)
    return HandCard(
        way=way,
        sentences=() if is_side_mill else SENTENCES.get(way.made_how, ()),
        steps=tuple(
            StepShown(each.step, _detail(each.step), each.holds, _says(each), each.step == undone) for each in steps
        ),
        exchange=_exchange(piece) if machine is not None and machine.one_clamp else (),
        shift=shift,
        is_shifted_here=shift is not None and shift.tag_id == tag.pk,
        pass_seconds=PASS_SECONDS if is_side_mill else None,
        caution=caution_of(way),
        is_unproven=machine is not None and machine.kind in TRACES and is_to_be_proven(touches_of(machine)),
    )


def caution_of(way: HandWay) -> str:
    """What is minded where a key is made this way, by what turns there; "" where nothing is cut."""
    if way.made_how == MadeHow.FILED:
        return WHERE_IT_IS_FILED
    if way.machine is None:
        return ""
    return WHERE_IT_TURNS.format(tool=way.machine.fitted.tool if way.machine.fitted is not None else "cutter")


SENTENCES = {MadeHow.TRACED: TRACE, MadeHow.DIALS: DIALS, MadeHow.FILED: FILING}


def _detail(step: CopyStep) -> str:
    return {
        CopyStep.BACK: "After the last key; else the next levelling is out by as much as it was lifted.",
        CopyStep.MATCH: "After any change of mill, tracer or jaws.",
        CopyStep.DEPTH: "After any change of kind. A blank in the jaw would hold the mill off.",
        CopyStep.LIFT: f"About {say_mm(CLEARANCE, 3)}: the follower, not the mill: the wall stays the pattern’s.",
        CopyStep.BLANK: "",
        CopyStep.LOCK: "Free, it would give way and every hole come out deep.",
        CopyStep.ROW: "Set anew for each row; a hole off its row lifts its pin up the cone.",
        CopyStep.FREE: "Locked, the inner tracer would stand on the outer floor and drill nothing.",
    }[step]


def _says(step: StepNow) -> str:
    if step.at is None:
        return ""
    at = timezone.localtime(step.at)
    return f"holds from the last job, {at:%H:%M}" if step.is_left_over else f"done {at:%H:%M}"


def _exchange(piece: Piece | None) -> tuple[ClampShown, ...]:
    done = piece.clampings if piece is not None and piece.is_begun else 0
    under_way = piece is not None and piece.is_begun
    return tuple(
        ClampShown(
            WHICH[which],
            f"{side} side up" + (", uncut" if (which, side) == EXCHANGE[-1] else ""),
            place < done,
            under_way and place == done,
        )
        for place, (which, side) in enumerate(EXCHANGE)
    )
