"""Keys that the shop cut for itself: depth keys, test keys, keys to try out; numbered, held by somebody named."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from wryfalcon.bench.models.pieces import Piece
from wryfalcon.library.models import FamilyRecord


class ToolKind(models.TextChoices):
    """What a key of the shop's own is for."""

    DEPTH_KEY = "depth-key", "depth key"
    TEST_KEY = "test-key", "test key"


class ShopTool(models.Model):
    """One key of the shop's own. Some places regulate such keys: who holds it is known, and what became of it."""

    number = models.PositiveIntegerField(unique=True)
    kind = models.CharField(max_length=9, choices=ToolKind)
    family_record = models.ForeignKey(FamilyRecord, models.PROTECT, related_name="tools")
    label = models.CharField(max_length=60, help_text="as it is stamped on it: its depth, or its bitting")
    piece = models.OneToOneField(Piece, models.PROTECT, related_name="tool")
    holder = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    destroyed_at = models.DateTimeField(null=True)
    destroyed_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True, related_name="+")
    how_destroyed = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["number"]

    def __str__(self) -> str:
        return f"T{self.number:03d}"
