"""A piece: one key made for a tag, however it is made."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from wryfalcon.bench.models.jobs import Tag
from wryfalcon.bench.models.settling import Settlement, SetUp
from wryfalcon.bench.piece_states import BY_HAND, STATE_ROWS, MadeHow, PieceState, StateRow
from wryfalcon.library.models import Blank
from wryfalcon.machines.models import Cutter, Machine

ORDINALS = ("first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth")


class Piece(models.Model):
    """One key made for a tag: its number, the blank it took, and how far it is.

    A key that a machine of ours makes has a card; its job is the name its machine knows it by, the
    same for ever, so that sending it twice makes no second key. One made by hand has no card, and lives
    the same life: begun, made, deburred, measured or not, tried, proven, given out, or spoilt. A further
    try is a piece of its own with the same key number; so is a touch-up, which is cut onto a finished
    piece and takes no blank.
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
    made_how = models.CharField(max_length=9, choices=MadeHow, default=MadeHow.DRIVEN)
    maker = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True, related_name="+")
    cutter = models.ForeignKey(
        Cutter, models.SET_NULL, null=True, related_name="+", help_text="on its machine then, where no card says so"
    )
    bitting = models.JSONField(null=True, help_text="labels by track, where it is not that of its settlement")
    values = models.JSONField(null=True, help_text="wanted, by track, family unit; where not those of its settlement")
    cuts = models.JSONField(default=list, help_text="as commanded, see the commands of a card")
    touched = models.JSONField(default=list, help_text="of a touch-up: track, space, deeper by, reason, lock")
    finish = models.JSONField(default=list, help_text="what was looked at by eye: corners, bevel, burrs")
    clampings = models.PositiveSmallIntegerField(default=0, help_text="of an exchange in one clamp that are done")
    steps = models.JSONField(default=list, help_text="at the dials of its machine: act, track, space, reading, lower")
    walked = models.PositiveSmallIntegerField(default=0, help_text="steps at the dials that are done")
    aid = models.CharField(max_length=12, blank=True, help_text="what its cuts are measured over, by its name")
    aid_size = models.FloatField(null=True, help_text="of that, family unit")
    done = models.PositiveIntegerField(default=0, help_text="cuts its machine has reported")
    blank_taken = models.BooleanField(default=False)
    blank = models.ForeignKey(
        Blank, models.SET_NULL, null=True, related_name="+", help_text="that was taken; its tag's may be another by now"
    )
    why_ended = models.CharField(max_length=200, blank=True)
    created_at = models.DateTimeField(auto_now_add=True)
    began_at = models.DateTimeField(null=True, help_text="when metal was first touched, by the machine's clock")
    finished_at = models.DateTimeField(null=True, help_text="by the machine's clock")
    ended_at = models.DateTimeField(null=True)
    deburred_at = models.DateTimeField(null=True)
    given_at = models.DateTimeField(null=True, help_text="to whom it was made for")

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
        if self.onto_id is None:
            return name
        is_try = self.values is not None and not self.touched
        return f"{name}, cut deeper" if is_try else f"{name}, touched up"

    @property
    def over(self) -> str:
        """How its cuts are measured now, in a word: sent back with each value, so that none is read another way."""
        return f"{self.aid} {self.aid_size:g}" if self.aid and self.aid_size is not None else ""

    @property
    def state_row(self) -> StateRow:
        """The row of the table of states that it is in."""
        return STATE_ROWS[PieceState(self.state)]

    @property
    def is_by_hand(self) -> bool:
        """Whether no card and no plan made it."""
        return self.made_how in BY_HAND

    @property
    def wanted_bitting(self) -> dict[str, list[str]] | None:
        """What it is to be, labels by track; None where that was never known."""
        return self.bitting or (self.settlement.bitting if self.settlement is not None else None)

    @property
    def wanted_values(self) -> dict[str, list[float]] | None:
        """The depth values it is to have, by track, family unit; None likewise."""
        return self.values or (self.settlement.values if self.settlement is not None else None)

    @property
    def is_beside_pattern(self) -> bool:
        """Whether it is judged by its pattern as that was measured: a duplicator makes nothing else."""
        return self.made_how == MadeHow.TRACED and self.values is not None and self.onto_id is None

    @property
    def made_on(self) -> str:
        """Where it was made, for a line about it: its machine, or how it was made without one."""
        return str(self.machine) if self.machine is not None else MadeHow(self.made_how).label

    @property
    def made_where(self) -> str:
        """The same within a sentence."""
        return f"made on {self.machine}" if self.machine is not None else MadeHow(self.made_how).label

    @property
    def is_of_old_bitting(self) -> bool:
        """Whether its tag was settled anew since it was begun, to other cuts."""
        begun, now = self.settlement, self.tag.settlement
        return begun is not None and (now is None or now.values != begun.values)

    @property
    def next_index(self) -> int:
        """The index that an adapter is turned to for the next cut, from 1; 0 where nothing is turned."""
        return self.done + 1 if self.state == PieceState.INDEX else 0

    @property
    def next_tool(self) -> str:
        """The tool that the next cut wants, "" where whatever is fitted will do."""
        return str(self.cuts[self.done].get("tool") or "") if self.done < len(self.cuts) else ""

    @property
    def is_begun(self) -> bool:
        """Whether it is being made by hand."""
        return self.state == PieceState.BEGUN

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
