"""A piece: one key made for a tag, however it is made."""

from __future__ import annotations

from django.db import models

from wryfalcon.bench.models.jobs import Tag
from wryfalcon.bench.models.settling import Settlement, SetUp
from wryfalcon.bench.piece_states import STATE_ROWS, PieceState, StateRow
from wryfalcon.machines.models import Machine

ORDINALS = ("first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth")


class Piece(models.Model):
    """One key made for a tag: its number, the blank it took, and how far it is.

    A key that a machine of ours makes has a card, and a job: the name its machine knows it by, the
    same for ever, so that sending it twice makes no second key. One made in another way has neither.
    A further try is a piece of its own with the same key number; so is a touch-up, which is cut onto
    a finished piece and takes no blank.
    """

    tag = models.ForeignKey(Tag, models.CASCADE, related_name="pieces")
    settlement = models.ForeignKey(Settlement, models.RESTRICT, null=True, related_name="pieces")
    set_up = models.ForeignKey(SetUp, models.RESTRICT, null=True, related_name="pieces")
    machine = models.ForeignKey(Machine, models.PROTECT, null=True, related_name="pieces")
    job = models.CharField(max_length=60, unique=True)
    key_number = models.PositiveIntegerField(default=1)
    try_number = models.PositiveIntegerField(default=1)
    onto = models.ForeignKey("self", models.RESTRICT, null=True, related_name="touched_up")
    state = models.CharField(max_length=10, choices=PieceState, default=PieceState.PLANNED, db_index=True)
    cuts = models.JSONField(default=list, help_text="as commanded, see the commands of a card")
    done = models.PositiveIntegerField(default=0, help_text="cuts its machine has reported")
    blank_taken = models.BooleanField(default=False)
    why_ended = models.CharField(max_length=200, blank=True)
    created_at = models.DateTimeField(auto_now_add=True)
    began_at = models.DateTimeField(null=True, help_text="when metal was first touched, by the machine's clock")
    finished_at = models.DateTimeField(null=True, help_text="by the machine's clock")
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["created_at", "id"]
        constraints = [
            models.UniqueConstraint(
                fields=["tag", "key_number", "try_number"],
                condition=models.Q(onto=None) & ~models.Q(state="abandoned"),
                name="each_try_counted_once",
            ),
            models.UniqueConstraint(
                fields=["onto"], condition=~models.Q(state="abandoned"), name="one_touch_up_of_each_piece"
            ),
        ]

    def __str__(self) -> str:
        return self.job

    @property
    def called(self) -> str:
        """What it is called on pages and labels."""
        name = f"key {self.key_number}"
        if 1 < self.try_number <= len(ORDINALS):
            name += f", {ORDINALS[self.try_number - 1]} try"
        elif self.try_number > 1:
            name += f", try {self.try_number}"
        return f"{name}, touched up" if self.onto_id is not None else name

    @property
    def state_row(self) -> StateRow:
        """The row of the table of states that it is in."""
        return STATE_ROWS[PieceState(self.state)]

    @property
    def is_planned(self) -> bool:
        """Whether it was not sent to its machine yet."""
        return self.state == PieceState.PLANNED

    @property
    def is_cutting(self) -> bool:
        """Whether its machine is at work on it."""
        return self.state == PieceState.CUTTING

    @property
    def is_made(self) -> bool:
        """Whether it is whole."""
        return self.state == PieceState.FINISHED

    @property
    def is_ended(self) -> bool:
        """Whether it is spoilt or given up."""
        return self.state_row.ended
