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


class ProvenBy(models.TextChoices):
    """What a verdict rests on."""

    MEASURED = "measured", "measured"
    TRIED = "tried", "tried in the lock"
    BOTH = "both", "measured, and tried in the lock"
    COMPARED = "compared", "compared with its pattern, not tried here"


class Proof(models.Model):
    """The verdict on a new key, kept when the smith has seen it; lifted as soon as more is known of the key."""

    piece = models.OneToOneField(Piece, models.CASCADE, related_name="proof")
    proven_by = models.CharField(max_length=8, choices=ProvenBy, default=ProvenBy.MEASURED)
    verdict = models.CharField(
        max_length=8, choices=[(v, v) for v in ("inside", "doubtful", "outside")], blank=True,
        help_text="of its measures; none where it was not measured whole",
    )  # fmt: skip
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
    grade = models.PositiveSmallIntegerField(null=True, help_text="0 will not to 10 as new")
    at_track = models.CharField(max_length=120, blank=True, help_text="of the cut that shows a mark, or that was felt")
    at_cut = models.PositiveSmallIntegerField(null=True, help_text="family order")
    at_tip = models.BooleanField(default=False, help_text="its tip catches as it goes in")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(fields=["piece", "lock", "way_up", "worked"], name="one_trial_of_each_sort")
        ]


class Dimension(models.TextChoices):
    """What is measured of a whole key beside the old one."""

    HEIGHT = "height", "Blade height"
    THICKNESS = "thickness", "Thickness"
    SPINE_BOW = "spine-bow", "Spine at the bow"
    SPINE_MIDDLE = "spine-middle", "Spine in the middle"
    SPINE_TIP = "spine-tip", "Spine at the tip"
    LENGTH = "length", "Length"


class SideBySide(models.Model):
    """One dimension of an old key and of the new one, millimetres."""

    piece = models.ForeignKey(Piece, models.CASCADE, related_name="dimensions")
    what = models.CharField(max_length=12, choices=Dimension)
    old = models.FloatField(null=True, help_text="mm")
    new = models.FloatField(null=True, help_text="mm")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["piece", "what"], name="each_dimension_once")]
