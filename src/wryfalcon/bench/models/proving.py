"""The measurements of a new key, the verdict on it, and how it goes in its locks."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from wryfalcon.bench.models.jobs import Felt, Lock
from wryfalcon.bench.models.pieces import Piece


class ProofValue(models.Model):
    """One measurement of a new key."""

    piece = models.ForeignKey(Piece, models.CASCADE, related_name="proof_values")
    track = models.CharField(max_length=120)
    space = models.PositiveSmallIntegerField()
    value = models.FloatField(help_text="family unit")
    position = models.FloatField(null=True, help_text="family unit, from the gauge")
    source = models.CharField(max_length=8, choices=[("typed", "typed"), ("caliper", "machine's caliper")])
    typed = models.CharField(max_length=24, blank=True)
    key = models.CharField(max_length=32, blank=True, db_index=True, help_text="of the entry: said twice, kept once")
    withdrawn = models.BooleanField(default=False)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]


class Proof(models.Model):
    """The verdict on a new key, kept when the smith has seen it."""

    piece = models.OneToOneField(Piece, models.CASCADE, related_name="proof")
    verdict = models.CharField(max_length=8, choices=[(v, v) for v in ("inside", "doubtful", "outside")])
    cuts = models.JSONField(help_text="track, space, error, verdict; family unit")
    causes = models.JSONField(help_text="cause, weight, says; likeliest first")
    passed = models.BooleanField(help_text="good enough to hand over, as the smith judged it")
    reason = models.CharField(max_length=200, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now=True)


class WayUp(models.TextChoices):
    """Which way up the key went in."""

    UP = "up", "cuts up"
    DOWN = "down", "cuts down"


class Trial(models.Model):
    """How a new key goes in, turns and comes out of one lock."""

    piece = models.ForeignKey(Piece, models.CASCADE, related_name="trials")
    lock = models.ForeignKey(Lock, models.CASCADE, related_name="trials")
    way_up = models.CharField(max_length=4, choices=WayUp, default=WayUp.UP)
    worked = models.BooleanField(default=False, help_text="after working it a few times")
    enters = models.CharField(max_length=5, choices=Felt, blank=True)
    turns = models.CharField(max_length=5, choices=Felt, blank=True)
    leaves = models.CharField(max_length=5, choices=Felt, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(fields=["piece", "lock", "way_up", "worked"], name="one_trial_of_each_sort")
        ]
