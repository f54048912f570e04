"""What a key that is filed by hand showed in its lock between one stage and the next."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from wryfalcon.bench.models.pieces import Piece


class StageShowed(models.TextChoices):
    """What a step showed once the key was tried in its lock."""

    HIGH = "high", "marked: still high"
    CLEAR = "clear", "no mark"
    LOW = "low", "stays low"


class StageLook(models.Model):
    """A step of a key filed to a height, tried in the lock, and what it showed there."""

    piece = models.ForeignKey(Piece, models.CASCADE, related_name="stage_looks")
    track = models.CharField(max_length=120)
    space = models.PositiveSmallIntegerField(help_text="from 1")
    height = models.FloatField(help_text="depth value it was filed to, family unit")
    showed = models.CharField(max_length=5, choices=StageShowed)
    mark_at = models.FloatField(null=True, help_text="where the mark lies along the key, family unit")
    by_mark = models.BooleanField(default=False, help_text="below its depth, since the mark said so")
    withdrawn = models.BooleanField(default=False)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return f"{self.piece}, step {self.space} at {self.height:g}: {self.get_showed_display()}"
