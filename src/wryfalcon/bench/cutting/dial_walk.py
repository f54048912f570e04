"""The steps at the dials of a machine, in words: one large step at a time, in the divisions of its own dials."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from keycore.cutting.dials import DialAct
from wryfalcon.bench.models import Piece
from wryfalcon.lengths import say_mm
from wryfalcon.machines.models import Closer, Machine

TOUCH_OFF = "Touch off"
OF_A_BLADE = "Both dials on their marks, the blank at its stop and clamped, the standing cutter just ticking it."
OF_A_TUBE = (
    "Both needles on the gauge point, index at the first space. Blank to its stop, push the adapter gently until the "
    "blank touches the standing cutter, then clamp it: that is zero for every depth."
)
FITTED = (
    "Unplugged while it is changed, the hex key out at once. Glasses on, sleeves, hair and rings away; the code card "
    "lies under the needles."
)
FITTED_TO_A_TUBE = f"{FITTED} The tube sits on its set screw, drawn tight, with the cap on the plunger."
OUT_OF_THE_JAW = "Take the key out, brush it and try it."
OUT_OF_THE_ADAPTER = (
    "Take the key out of the adapter and its cap off, brush it, try it. Put the wheel back on, and check the edge "
    "alignment before the next edge key."
)
OF_A_ROW = (
    "Lock it there: every hole of this track lies on it. On a face turned over it goes by the table’s height of the "
    "blank: a lower blank takes as much less."
)
OF_A_CUT = (DialAct.ALONG, DialAct.DEPTH, DialAct.FEED)
OVER = "Brush the chips away, same stop, sight the millings parallel to the jaw."


@dataclass(frozen=True)
class StepShown:
    """One step: what is done, how it is done, and whether it is."""

    number: int  # from 1, as a form sends it back
    says: str
    how: str
    is_done: bool
    is_next: bool


@dataclass(frozen=True)
class Walk:
    """All steps of a key, and the one that is next."""

    steps: tuple[StepShown, ...]
    walked: int
    is_of_old_bitting: bool = False

    @property
    def following(self) -> StepShown | None:
        """The step that is next; None once all are done."""
        return self.steps[self.walked] if self.walked < len(self.steps) else None

    @property
    def before(self) -> StepShown | None:
        """The step that was done last."""
        return self.steps[self.walked - 1] if self.walked else None


def walk_of(piece: Piece) -> Walk | None:
    """The steps of a key that is cut by dials; None for one that is not."""
    if not piece.steps or piece.machine is None:
        return None
    shown = [_step(number, step, piece) for number, step in enumerate(piece.steps, start=1)]
    return Walk(tuple(shown), piece.walked, piece.is_of_old_bitting)


def _step(number: int, step: Mapping[str, Any], piece: Piece) -> StepShown:
    assert piece.machine is not None
    says, how = words_of(step, piece.machine, piece.steps)
    return StepShown(number, says, how, number <= piece.walked, number == piece.walked + 1)


def words_of(step: Mapping[str, Any], machine: Machine, every: Sequence[Mapping[str, Any]]) -> tuple[str, str]:
    """What is done at a step, and how."""
    act, cut, words = DialAct(step["act"]), f"Cut {step['space']}", step.get("words", "")
    if words and act in OF_A_CUT:
        cut = f"Track {step['track']}, {words} up, cut {step['space']}"
    is_indexed = any(each["act"] == DialAct.INDEX for each in every)
    lies = f" It lies {words}." if words else ""
    match act:
        case DialAct.FIT:
            return f"This is on: {words}", FITTED_TO_A_TUBE if is_indexed else FITTED
        case DialAct.TOUCH_OFF:
            return TOUCH_OFF, (OF_A_TUBE if is_indexed else OF_A_BLADE) + lies
        case DialAct.TURN_OVER:
            return "Turn the key over", f"{words[:1].upper()}{words[1:]}. {OVER}" if words else OVER
        case DialAct.ROW:
            return f"Track {step['track']}: set the row {say_mm(step['reading'], 3)} from the fixed jaw", OF_A_ROW
        case DialAct.INDEX:
            turned = f", {words} as its end is looked at" if words else ""
            how = f"Spindle back at the gauge point before it is turned{turned}."
            return f"{cut}: index to dot {step['reading']:.0f}", how
        case DialAct.ALONG:
            return f"{cut}: along to {_read(step['reading'], machine.space_dial)}", _from(step, machine)
        case DialAct.DEPTH:
            dial = "side dial to" if is_indexed else "in to"
            division = machine.space_dial if is_indexed else machine.depth_dial
            return f"{cut}: {dial} {_read(step['reading'], division)}", _from(step, machine)
        case DialAct.FEED:
            return f"{cut}: front dial to the cut mark", "Feed it slowly, no further than the mark."
        case DialAct.BACK:
            return "Back to the gauge point" if is_indexed else "Depth dial back to its mark", ""
        case DialAct.END:
            return "Spindle off, plug pulled", OUT_OF_THE_ADAPTER if is_indexed else OUT_OF_THE_JAW


def _read(mm: float, division: float | None) -> str:
    """A reading in divisions of a dial, and what that is; the length alone where the dial is not known."""
    return f"{mm / division:.1f} divisions ({say_mm(mm, 3)})" if division else say_mm(mm, 3)


def _from(step: Mapping[str, Any], machine: Machine) -> str:
    """Which way the last turn comes from, so that the play of the screw takes no part."""
    way = Closer(machine.closer or Closer.CLOCKWISE).label
    if step["lower"]:
        return f"It lies lower than before: go back past it by half a turn, then come up to it {way}."
    return f"The last turn {way}; gone past it, back half a turn and come up again."
