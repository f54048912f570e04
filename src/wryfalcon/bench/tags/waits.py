"""What a tag waits for, one row each: the stage where that is done, and the words of the bench's list."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

from wryfalcon.bench.models import PieceState, Tag
from wryfalcon.bench.piece_states import STATE_ROWS
from wryfalcon.bench.tags.progress import Progress


class Wait(Enum):
    """A stage, and what is waited for there."""

    AUTHORITY = "take-in", "its authority to be written down"
    ANSWERS = "take-in", "to hear what must be known of its lock"
    FAMILY = "take-in", "its family to be found"
    CUTS = "read", "its cuts to be read"
    BITTING = "settle", "its bitting to be settled"
    READING_BACK = "settle", "its bitting to be read back"
    SET_UP = "set-up", "the machine to be set up"
    NEW_CARD = "set-up", "its card to be made anew"
    CHECKS = "set-up", "its card to be checked again"
    PIECE = "cut", "{piece}"
    LAPSED = "cut", "{piece}, its card no longer holds"
    KEY = "cut", "key {number} of {quantity} to be cut"
    COPY = "cut", "key {number} of {quantity} to be copied"
    PROOF = "prove", "{piece}"
    MENDING = "prove", "a failed proof to be mended"
    CUSTOMER = "hand-over", "to be handed over"
    NOTHING = "hand-over", "{state}"

    @property
    def stage(self) -> str:
        """Where it is done."""
        return str(self.value[0])

    @property
    def words(self) -> str:
        """What is waited for, with room for the tag's own figures."""
        return str(self.value[1])


@dataclass(frozen=True)
class Waiting:
    """A tag on the bench, and what it waits for."""

    tag: Tag
    progress: Progress
    wait: Wait

    @property
    def stage(self) -> str:
        """The stage it stands at."""
        return self.wait.stage

    @property
    def waits_for(self) -> str:
        """What it waits for, in words."""
        state = self.progress.piece_state
        return self.wait.words.format(
            piece=STATE_ROWS[PieceState(state)].waits_for if state else "",
            number=self.progress.proven + 1,
            quantity=self.tag.quantity,
            state=self.tag.get_state_display(),
        )
