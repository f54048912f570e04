"""The line to a machine: what was heard on it, what was asked of it, and what cannot be so."""

from __future__ import annotations

import uuid

from django.conf import settings
from django.db import models

from wryfalcon.machines.models.machine import Machine


class Line(models.Model):
    """What is known of a machine's line; only the follower writes it."""

    machine = models.OneToOneField(Machine, models.CASCADE, related_name="line")
    log = models.CharField(max_length=40, blank=True, help_text="the machine's name for its log; another is a new one")
    last_event = models.PositiveBigIntegerField(default=0, help_text="the newest entry recorded of that log")
    begun_again = models.PositiveIntegerField(default=0, help_text="how often the log went back under the same name")
    status = models.JSONField(null=True, help_text="as last told")
    asked_at = models.DateTimeField(null=True, help_text="when the follower last tried")
    heard_at = models.DateTimeField(null=True, help_text="when the machine last answered")
    problem = models.CharField(max_length=200, blank=True, help_text="why it did not answer")
    clock_off = models.FloatField(default=0.0, help_text="seconds that its clock is ahead of ours")

    def __str__(self) -> str:
        return f"line to {self.machine}"


class LineEvent(models.Model):
    """One numbered entry of a machine's log, kept once however often it is told."""

    machine = models.ForeignKey(Machine, models.CASCADE, related_name="line_events")
    log = models.CharField(max_length=60, help_text="the log's name, with how often it was begun again")
    number = models.PositiveBigIntegerField()
    kind = models.CharField(max_length=20)
    job = models.CharField(max_length=60, blank=True, db_index=True)
    data = models.JSONField(default=dict)
    at = models.DateTimeField(null=True, help_text="by the machine's own clock; entries of old have none")
    seen_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["machine", "log", "number"], name="entry_recorded_once")]

    def __str__(self) -> str:
        return f"{self.number} {self.kind}"

    @property
    def is_cut_done(self) -> bool:
        """Whether it tells of a cut that was finished."""
        return self.kind == "cut-done"


class OrderState(models.TextChoices):
    """How far an order to a machine has come. Retired values stay reserved."""

    ASKED = "asked", "not delivered yet"
    SENT = "sent", "sent, not answered yet"
    ACKNOWLEDGED = "acknowledged", "acknowledged"
    REFUSED = "refused", "refused"
    OVERTAKEN = "overtaken", "overtaken by hold or stop"
    EXPIRED = "expired", "not delivered in time"


CUTTING = "cutting"
"""How a machine says that its wheel is in metal."""
STATE_WORDS = {
    "unhomed": "not homed yet",
    "idle": "idle",
    "loaded": "holds a key, not started",
    "cutting": "cutting",
    "held": "held",
    "turn": "waiting for the key to be turned over",
    "index": "waiting for the key to be turned to its next index",
    "tool": "waiting for another tool",
    "stalled": "stalled",
    "stopped": "stopped",
    "done": "finished its last key",
}
"""How a machine says it is, in words."""
COMMAND_WORDS = {
    "load": "The key", "clamp": "“It is clamped”", "start": "Start", "resume": "Go on", "hold": "Hold", "stop": "Stop",
    "home": "Homing", "finish": "“All cuts are made”", "measure": "Reading the caliper", "lid": "The lid",
    "inject": "What was done to the machine", "index": "“It is turned”", "fit": "“It is fitted”",
    "touch": "Touching the face off", "put": "What was laid in its clamp",
}  # fmt: skip


class Order(models.Model):
    """What a press asks of a machine, with an id of its own: pressed or sent twice, it is done once."""

    key = models.UUIDField(unique=True, default=uuid.uuid4)
    machine = models.ForeignKey(Machine, models.CASCADE, related_name="orders")
    job = models.CharField(max_length=60, blank=True, db_index=True, help_text="the key it is about")
    command = models.CharField(max_length=12)
    data = models.JSONField(default=dict, help_text="what goes with it; empty once it is answered")
    seen = models.PositiveBigIntegerField(null=True, help_text="the newest entry of the log that the press rests on")
    log = models.CharField(max_length=40, blank=True, help_text="that log")
    state = models.CharField(max_length=12, choices=OrderState, default=OrderState.ASKED, db_index=True)
    answer = models.CharField(max_length=300, blank=True, help_text="why it was refused")
    result = models.JSONField(null=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True, related_name="+")
    asked_at = models.DateTimeField(auto_now_add=True)
    sent_at = models.DateTimeField(null=True)
    answered_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return f"{self.command} {self.job}".strip()

    @property
    def words(self) -> str:
        """What was asked, as its button says it."""
        return COMMAND_WORDS.get(self.command, self.command)

    @property
    def is_refused(self) -> bool:
        """Whether the machine would not."""
        return self.state == OrderState.REFUSED

    @property
    def is_expired(self) -> bool:
        """Whether it was given up before it was known to be done."""
        return self.state == OrderState.EXPIRED


class Misreport(models.Model):
    """Something a machine said that cannot be so: kept as it was said, named on its pages, never believed."""

    machine = models.ForeignKey(Machine, models.CASCADE, related_name="misreports")
    job = models.CharField(max_length=60, blank=True, db_index=True)
    says = models.CharField(max_length=300)
    raw = models.TextField(blank=True, help_text="the beginning of what came")
    times = models.PositiveIntegerField(default=1)
    first_at = models.DateTimeField(auto_now_add=True)
    last_at = models.DateTimeField(auto_now=True)
    noted_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True, related_name="+")

    class Meta:
        ordering = ["-last_at"]

    def __str__(self) -> str:
        return self.says
