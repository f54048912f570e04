"""The states of a piece: one row each says what it is called, allows and waits for, and what leads there.

Everything that asks about states asks this table: pages, the bench's list, actions and the follower of
the machines.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from django.db import models


class PieceState(models.TextChoices):
    """Where a piece stands. Retired values stay reserved."""

    PLANNED = "planned", "ready to be sent"
    BEGUN = "begun", "begun by hand"
    LOADED = "loaded", "at the machine, to be clamped"
    CLAMPED = "clamped", "clamped, ready to start"
    CUTTING = "cutting", "cutting"
    HELD = "held", "held"
    TURN = "turn", "to be turned over"
    INDEX = "index", "to be turned to its next index"
    TOOL = "tool", "waiting for another tool"
    STALLED = "stalled", "stalled"
    STOPPED = "stopped", "stopped"
    ASIDE = "aside", "taken out of the machine"
    LOST = "lost", "forgotten by its machine"
    UNSURE = "unsure", "not known: look at the key"
    FINISHED = "finished", "made"
    SPOILT = "spoilt", "spoilt"
    ABANDONED = "abandoned", "given up before it was cut"


class Operation(StrEnum):
    """What can be asked of the machine that has a piece. Values are the line protocol's own words."""

    LOAD = "load"
    CLAMP = "clamp"
    START = "start"
    RESUME = "resume"
    HOLD = "hold"
    STOP = "stop"
    HOME = "home"
    FINISH = "finish"
    INDEX = "index"
    FIT = "fit"

    @property
    def starts_the_spindle(self) -> bool:
        """Whether the wheel turns afterwards."""
        return self in {Operation.START, Operation.RESUME, Operation.INDEX}

    @property
    def turns_the_spindle(self) -> bool:
        """Whether the wheel is set going or comes to rest: a hand may be where it should not."""
        return self.starts_the_spindle or self in {Operation.HOLD, Operation.STOP, Operation.HOME}

    @property
    def is_stop(self) -> bool:
        """Whether it ends the work."""
        return self is Operation.STOP

    @property
    def words(self) -> str:
        """What its button says."""
        return {
            "load": "Send it again", "clamp": "It is clamped", "start": "Start", "resume": "Go on", "hold": "Hold",
            "stop": "Stop", "home": "Home the machine", "finish": "All cuts are made",
            "index": "It is turned: go on", "fit": "It is fitted",
        }[self.value]  # fmt: skip


@dataclass(frozen=True, kw_only=True)
class StateRow:
    """One row of the table."""

    waits_for: str  # on the bench, of the tag
    now: str = ""  # what to do at the machine, a sentence or two
    allows: tuple[Operation, ...] = ()  # of its machine; the first is the prominent one
    by_hand: tuple[Operation, ...] = ()  # instead, where the smith says how far a machine without a line is
    after: tuple[str, ...] = ()  # kinds of entry of the machine's log that lead here
    machine_is: tuple[str, ...] = ()  # how a machine is that has it in its hands; none for one that has not
    wheel_is_in: bool = False  # the drawing shows where the wheel stands
    to_be_looked_at: bool = False  # the machine's word is not enough: the smith says what it is
    ended: bool = False  # nothing happens to it any more
    careful: bool = False  # what to do now is said as a caution
    tone: str = "doubtful"  # how the state is coloured, beside its words


class MadeHow(models.TextChoices):
    """How a piece is made. Retired values stay reserved."""

    DRIVEN = "driven", "driven from here"
    PLAN_FILE = "plan-file", "from a plan file"
    TRACED = "traced", "traced on a duplicator"
    DIALS = "dials", "milled by hand, by the dials"
    FILED = "filed", "cut or filed by hand"
    BOUGHT = "bought", "bought in"

    @property
    def takes_blank(self) -> bool:
        """Whether a blank of ours goes into it."""
        return self != MadeHow.BOUGHT

    @property
    def follows_pattern(self) -> bool:
        """Whether it is copied from a key, so that no bitting need be known."""
        return self in {MadeHow.TRACED, MadeHow.BOUGHT}

    @property
    def needs_machine(self) -> bool:
        """Whether a machine of ours makes it, though nothing is told to it from here."""
        return self in {MadeHow.TRACED, MadeHow.DIALS}


BY_HAND = (MadeHow.TRACED, MadeHow.DIALS, MadeHow.FILED, MadeHow.BOUGHT)
"""Made without a card: whoever makes it says when it is begun and made."""


LOAD, CLAMP, START, RESUME, HOLD, STOP, HOME, FINISH, INDEX, FIT = Operation
STATE_ROWS: dict[PieceState, StateRow] = {
    PieceState.PLANNED: StateRow(waits_for="a key to be sent to the machine", allows=(LOAD,), tone="plain"),
    PieceState.BEGUN: StateRow(
        waits_for="a key to be finished by hand",
        now="Begun. Say when it is made; one that goes wrong is ended as spoilt.",
        tone="plain",
    ),
    PieceState.LOADED: StateRow(
        waits_for="a blank to be clamped",
        now="Clamp the blank: bottomed, at its stop, tugged, the stop swung away.",
        allows=(CLAMP, STOP), after=("loaded",), machine_is=("loaded",), tone="plain",
    ),
    PieceState.CLAMPED: StateRow(
        waits_for="the machine to be started",
        now="Hands and gauge clear, lid closed, glasses on: start.",
        allows=(START, CLAMP, STOP), after=("clamped", "tool-fitted"),
        machine_is=("loaded", "turn", "tool", "stopped"), tone="plain",
    ),
    PieceState.CUTTING: StateRow(
        waits_for="the machine: it is cutting",
        now="Hands clear of the wheel. Hold stops it where it is, spindle lifted.",
        allows=(HOLD, STOP), by_hand=(FINISH, HOLD, STOP), after=("started", "resumed", "indexed"),
        machine_is=("cutting",),
        wheel_is_in=True, tone="plain",
    ),
    PieceState.HELD: StateRow(
        waits_for="the machine: it is held",
        now="Held. Close the lid, hands clear, then go on.",
        allows=(RESUME, STOP), after=("held",), machine_is=("held",), wheel_is_in=True,
    ),
    PieceState.TURN: StateRow(
        waits_for="the key to be turned over",
        now="Turn it over as said here. Deburr, brush the chips away, the same stop, and sight the millings parallel "
        "to the jaw: a blade cut deep at the tip goes in crooked easily. Then clamp it.",
        allows=(CLAMP, STOP), after=("turn-wanted",), machine_is=("turn",), careful=True,
    ),
    PieceState.INDEX: StateRow(
        waits_for="the key to be turned to its next index",
        now="Back at the gauge point, spindle lifted: turn the adapter to the next index. It cuts once you say so.",
        allows=(INDEX, STOP), after=("index-wanted",), machine_is=("index",), careful=True,
    ),
    PieceState.TOOL: StateRow(
        waits_for="another tool to be fitted",
        now="Spindle off, plug pulled: fit the tool that comes next, take the hex key out at once. Say so, then start.",
        allows=(FIT, STOP), after=("tool-wanted",), machine_is=("tool",), careful=True,
    ),
    PieceState.STALLED: StateRow(
        waits_for="a stalled cutter to be freed",
        now="The cutter is stalled. Spindle off, hands away; home the machine, look at wheel and key, then go on. The "
        "cut under way is finished first.",
        allows=(HOME, STOP), after=("stalled",), machine_is=("stalled",), wheel_is_in=True, careful=True,
    ),
    PieceState.STOPPED: StateRow(
        waits_for="the machine: it was stopped",
        now="Stopped. What is cut stays cut; clamp it again to go on where it stood.",
        allows=(CLAMP,), after=("stopped",), machine_is=("stopped", "loaded"),
    ),
    PieceState.ASIDE: StateRow(
        waits_for="a key that was taken out of the machine",
        now="Another key took its place in the machine. Put this one back in the jaw and send it again: it goes on "
        "where it stood.",
        allows=(LOAD,), after=("set-aside",),
    ),
    PieceState.LOST: StateRow(
        waits_for="a key that its machine has forgotten",
        now="The machine no longer knows this key. Look at it: if it is whole say so, else send it again with the same "
        "key in the jaw; cuts already made are only passed over.",
        allows=(LOAD,), to_be_looked_at=True, careful=True,
    ),
    PieceState.UNSURE: StateRow(
        waits_for="its key to be looked at",
        now="What the machine said of this key cannot be so. Look at the key and count its cuts, then say what it is.",
        allows=(STOP,), to_be_looked_at=True, careful=True,
    ),
    PieceState.FINISHED: StateRow(
        waits_for="its new key to be proven",
        now="Made. Deburr lightly with the brush, no grinding.",
        after=("finished",), tone="inside",
    ),
    PieceState.SPOILT: StateRow(waits_for="another key in its place", ended=True, tone="outside"),
    PieceState.ABANDONED: StateRow(waits_for="another key in its place", ended=True, tone="plain"),
}  # fmt: skip

STATE_AFTER = {kind: state for state, row in STATE_ROWS.items() for kind in row.after}
AT_MACHINE = frozenset(state for state, row in STATE_ROWS.items() if row.machine_is)
ENDED = frozenset(state for state, row in STATE_ROWS.items() if row.ended)
OPEN = frozenset(PieceState) - ENDED - {PieceState.FINISHED}
"""Neither made nor ended: the tag waits for it, and cannot be closed before it is one or the other."""
TO_BE_LOOKED_AT = frozenset(state for state, row in STATE_ROWS.items() if row.to_be_looked_at)
SENT_AGAIN = frozenset(state for state, row in STATE_ROWS.items() if LOAD in row.allows)
BY_MACHINE = {row.machine_is[0]: state for state, row in STATE_ROWS.items() if row.machine_is and state != "clamped"}
"""The state of a piece by how the machine says it is: a machine does not say whether its key is clamped."""
