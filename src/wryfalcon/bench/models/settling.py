"""What the key is, what is cut, and the card it is cut by."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from wryfalcon.bench.models.jobs import Tag
from wryfalcon.machines.models import Cutter, JawSide, Machine


class Intent(models.TextChoices):
    """What is cut from what the key is."""

    RESTORE = "restore", "Restore"
    COPY = "copy", "Copy"
    COMPENSATE = "compensate", "Compensate"

    @property
    def advice(self) -> str:
        """What it means for the customer."""
        return {
            Intent.RESTORE: "Factory depths: the usual advice. May feel tight where the lock wore with the key.",
            Intent.COPY: "As the key is now, wear and all. Every further copy drifts a little more.",
            Intent.COMPENSATE: "Factory depths, all a little deeper for this worn lock. The machine stays true.",
        }[self]


class Settlement(models.Model):
    """What the key is, and what is cut; a change of mind is a new row."""

    tag = models.ForeignKey(Tag, models.CASCADE, related_name="settlements")
    bitting = models.JSONField(help_text="labels by track, family order: what the key is")
    chance = models.FloatField(null=True, help_text="of the whole bitting; null when overruled or given")
    intent = models.CharField(max_length=10, choices=Intent, default=Intent.RESTORE)
    deeper_by = models.FloatField(default=0.0, help_text="compensate: family unit, positive is deeper")
    deeper_cuts = models.JSONField(default=list, help_text="track, space, steps, reason")
    values = models.JSONField(help_text="depth values to cut, by track, family unit")
    reason = models.CharField(max_length=200, blank=True)
    edition = models.CharField(max_length=200, blank=True)
    is_try = models.BooleanField(default=False, help_text="a key of a trial sheet: what is cut, not what the key is")
    read_back_at = models.DateTimeField(null=True, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)


class SetUp(models.Model):
    """The card: which machine, cutter and jaw, what was checked, and the exact commands."""

    tag = models.ForeignKey(Tag, models.CASCADE, related_name="set_ups")
    settlement = models.ForeignKey(Settlement, models.CASCADE, related_name="set_ups")
    machine = models.ForeignKey(Machine, models.PROTECT)
    cutter = models.ForeignKey(Cutter, models.PROTECT)
    jaw_side = models.ForeignKey(JawSide, models.PROTECT, null=True)
    style = models.CharField(max_length=20, default="plunged", help_text="of the path, as its kind of key names it")
    ticks = models.JSONField(default=list)
    commands = models.JSONField(
        default=list, help_text="clamping, track, space, place; mm or degrees: position, value, offsets put in"
    )
    rests_on = models.JSONField(default=dict, help_text="digest of the family, shape of the cutter, jaw; as they were")
    work_seen = models.PositiveIntegerField(default=0, help_text="the last work on the machine before the checks")
    checked_at = models.DateTimeField(null=True, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    @property
    def height(self) -> float | None:
        """The height of the blank as it was measured for this card, mm; None where the table's is taken."""
        height: float | None = self.rests_on.get("height")
        return height

    @property
    def is_blank_used(self) -> bool:
        """Whether a key of this card took a blank already: what was measured of that one says nothing of the next."""
        return self.pieces.filter(onto=None, blank_taken=True).exists()
