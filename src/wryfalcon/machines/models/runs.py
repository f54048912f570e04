"""The runs that machines make, and what they reported of them."""

from __future__ import annotations

from django.db import models

from wryfalcon.machines.models.machine import Machine


class RunState(models.TextChoices):
    """Where a run stands. Retired values stay reserved."""

    PLANNED = "planned", "Not sent yet"
    LOADED = "loaded", "Sent, waiting to be clamped"
    CLAMPED = "clamped", "Clamped, ready to start"
    CUTTING = "cutting", "Cutting"
    HELD = "held", "Held"
    TURN = "turn", "Turn the key over"
    STALLED = "stalled", "Stalled"
    STOPPED = "stopped", "Stopped"
    LOST = "lost", "The machine has forgotten it"
    FINISHED = "finished", "Finished"


class Run(models.Model):
    """One key on one machine, from the plan sent to the last cut."""

    set_up = models.ForeignKey("bench.SetUp", models.CASCADE, related_name="runs")
    machine = models.ForeignKey(Machine, models.PROTECT, related_name="runs")
    job = models.CharField(max_length=60, unique=True)
    key_number = models.PositiveIntegerField(default=1)
    touches_up = models.ForeignKey("self", models.SET_NULL, null=True, blank=True)
    state = models.CharField(max_length=10, choices=RunState, default=RunState.PLANNED)
    cuts = models.JSONField(help_text="as commanded, mm: side, position, value")
    boot = models.CharField(max_length=20, blank=True)
    last_event = models.PositiveIntegerField(default=0)
    done = models.PositiveIntegerField(default=0)
    blank_taken = models.BooleanField(default=False)
    created_at = models.DateTimeField(auto_now_add=True)
    finished_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["created_at", "id"]

    def __str__(self) -> str:
        return self.job


class RunEvent(models.Model):
    """One numbered event of a machine's log, kept once however often it is asked for."""

    run = models.ForeignKey(Run, models.CASCADE, related_name="events")
    boot = models.CharField(max_length=20)
    number = models.PositiveIntegerField()
    kind = models.CharField(max_length=20)
    data = models.JSONField(default=dict)
    seen_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["run", "boot", "number"], name="event_counted_once")]
