"""The states of a piece: one row each says what it is called, allows and waits for, and what leads there.

Everything that asks about states asks this table: pages, the bench's list, actions, the follower of
the machines and the database's own view of progress.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from django.db import models


class PieceState(models.TextChoices):
    """Where a piece stands. Retired values stay reserved."""

    PLANNED = "planned", "ready to be sent"
    LOADED = "loaded", "at the machine, to be clamped"
    CLAMPED = "clamped", "clamped, ready to start"
    CUTTING = "cutting", "cutting"
    HELD = "held", "held"
    TURN = "turn", "to be turned over"
    STALLED = "stalled", "stalled"
    STOPPED = "stopped", "stopped"
    ASIDE = "aside", "taken out, part cut"
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

    @property
    def words(self) -> str:
        """What its button says."""
        return {
            "load": "Send it again", "clamp": "It is clamped", "start": "Start", "resume": "Go on", "hold": "Hold",
            "stop": "Stop", "home": "Home the machine", "finish": "All cuts are made",
        }[self.value]  # fmt: skip


@dataclass(frozen=True)
class Standing:
    """One row of the table."""

    waits_for: str  # on the bench, of the tag
    now: str  # what to do at the machine, a sentence or two
    allows: tuple[Operation, ...] = ()  # of its machine; the first is the prominent one
    by_hand: tuple[Operation, ...] = ()  # instead, where the smith says how far a machine without a line is
    after: tuple[str, ...] = ()  # kinds of event that lead here
    at_machine: bool = False  # it is in the machine's hands
    ended: bool = False  # nothing happens to it any more
    careful: bool = False  # what to do now is said as a caution
    tone: str = "doubtful"  # how the state is coloured, beside its words


O = Operation  # noqa: E741 - the table is read by its columns
STANDINGS: dict[PieceState, Standing] = {
    PieceState.PLANNED: Standing("a key to be sent to the machine", "", (O.LOAD,), tone="plain"),
    PieceState.LOADED: Standing(
        "a blank to be clamped", "Clamp the blank: bottomed, at its stop, tugged, the stop swung away.",
        (O.CLAMP, O.STOP), (), ("loaded",), at_machine=True, tone="plain",
    ),
    PieceState.CLAMPED: Standing(
        "the machine to be started", "Hands and gauge clear, lid closed, glasses on: start.",
        (O.START, O.CLAMP, O.STOP), (), ("clamped",), at_machine=True, tone="plain",
    ),
    PieceState.CUTTING: Standing(
        "the machine: it is cutting", "Hands clear of the wheel. Hold stops it where it is, spindle lifted.",
        (O.HOLD, O.STOP), (O.FINISH, O.HOLD, O.STOP), ("started", "resumed"), at_machine=True, tone="plain",
    ),
    PieceState.HELD: Standing(
        "the machine: it is held", "Held. Close the lid, hands clear, then go on.",
        (O.RESUME, O.STOP), (), ("held",), at_machine=True,
    ),
    PieceState.TURN: Standing(
        "the key to be turned over",
        "Turn the key over. Same stop, brush the chips away, sight the millings parallel to the jaw: a blade cut deep "
        "at the tip goes in crooked easily. Then clamp it.",
        (O.CLAMP, O.STOP), (), ("turn-wanted",), at_machine=True, careful=True,
    ),
    PieceState.STALLED: Standing(
        "a stalled cutter to be freed",
        "The cutter is stalled. Spindle off, hands away; home the machine, look at wheel and key, then go on. The cut "
        "under way is finished first.",
        (O.HOME, O.STOP), (), ("stalled",), at_machine=True, careful=True,
    ),
    PieceState.STOPPED: Standing(
        "the machine: it was stopped", "Stopped. What is cut stays cut; clamp it again to go on where it stood.",
        (O.CLAMP,), (), ("stopped",), at_machine=True,
    ),
    PieceState.ASIDE: Standing(
        "a key that was taken out part cut",
        "Another key took its place in the machine. Put this one back in the jaw and send it again: it goes on where "
        "it stood.",
        (O.LOAD,), (), ("set-aside",),
    ),
    PieceState.LOST: Standing(
        "a key that its machine has forgotten",
        "The machine no longer knows this key. Look at it: if it is whole say so, else send it again with the same key "
        "in the jaw; cuts already made are only passed over.",
        (O.LOAD,), careful=True,
    ),
    PieceState.UNSURE: Standing(
        "somebody to look at a key",
        "What the machine said of this key cannot be so. Look at the key and count its cuts, then say what it is.",
        (O.STOP,), careful=True,
    ),
    PieceState.FINISHED: Standing(
        "its new key to be proven", "Made. Deburr lightly with the brush, no grinding.", (), (), ("finished",),
        tone="inside",
    ),
    PieceState.SPOILT: Standing("another key in its place", "", ended=True, tone="outside"),
    PieceState.ABANDONED: Standing("another key in its place", "", ended=True, tone="plain"),
}  # fmt: skip

STATE_AFTER = {kind: state for state, row in STANDINGS.items() for kind in row.after}
AT_MACHINE = frozenset(state for state, row in STANDINGS.items() if row.at_machine)
ENDED = frozenset(state for state, row in STANDINGS.items() if row.ended)
OPEN = frozenset(PieceState) - ENDED - {PieceState.FINISHED}
"""Neither made nor ended: the tag waits for it, and cannot be closed before it is one or the other."""
TO_BE_LOOKED_AT = frozenset({PieceState.LOST, PieceState.UNSURE})
"""The machine's word is not enough: the smith looks at the key and says what it is."""
