"""Cutting machines, what is fitted to them, and the runs they make."""

from __future__ import annotations

from django.db import models


class DriverKind(models.TextChoices):
    """How the application reaches a machine."""

    BENCH = "bench", "Code machine on the line"
    FILE = "file", "Cut plan as a file"


class Cutter(models.Model):
    """A cutting wheel the shop owns; lengths in millimetres."""

    name = models.CharField(max_length=40, unique=True)
    flat = models.FloatField(help_text="mm")
    angle = models.FloatField(help_text="included, degrees")

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name


class Machine(models.Model):
    """A machine: how to reach it, how it clamps, and how far it can be trusted."""

    name = models.CharField(max_length=60, unique=True)
    driver = models.CharField(max_length=8, choices=DriverKind, default=DriverKind.BENCH)
    host = models.CharField(max_length=60, default="127.0.0.1")
    port = models.PositiveIntegerField(default=8765)
    cutters = models.ManyToManyField(Cutter, blank=True)
    fitted = models.ForeignKey(Cutter, models.SET_NULL, null=True, blank=True, related_name="fitted_to")
    sd_each = models.FloatField(default=0.006, help_text="scatter of one cut, mm")
    sd_seat = models.FloatField(default=0.008, help_text="scatter of one clamping, mm")
    caliper_sd = models.FloatField(default=0.010, help_text="one reading of its caliper, mm")
    note = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name


class JawSide(models.Model):
    """A slot of a machine's jaw and how deep a blank sits in it."""

    machine = models.ForeignKey(Machine, models.CASCADE, related_name="jaw_sides")
    name = models.CharField(max_length=10)
    slot_depth = models.FloatField(help_text="mm")

    class Meta:
        ordering = ["-slot_depth"]

    def __str__(self) -> str:
        return f"side {self.name}"


class MachineOffset(models.Model):
    """What is added to every command so that this machine cuts true, for one way of gauging."""

    machine = models.ForeignKey(Machine, models.CASCADE, related_name="offsets")
    gauge = models.CharField(max_length=8, choices=[("shoulder", "Shoulder"), ("tip", "Tip")])
    value = models.FloatField(default=0.0, help_text="added to depth values, mm")
    space = models.FloatField(default=0.0, help_text="added to positions, mm")
    why = models.CharField(max_length=200, blank=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["machine", "gauge"], name="one_offset_per_gauge")]


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
