"""Code series and their codes."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from wryfalcon.library.models import FamilyRecord


class Series(models.Model):
    """One table of codes, of one edition."""

    slug = models.SlugField(max_length=60, unique=True)
    name = models.CharField(max_length=120)
    family_record = models.ForeignKey(FamilyRecord, models.PROTECT, related_name="series")
    track = models.CharField(max_length=120)
    note = models.CharField(max_length=300, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name


class Code(models.Model):
    """One code: as printed, as it is looked up, and its bitting in the family's order."""

    series = models.ForeignKey(Series, models.CASCADE, related_name="codes")
    code = models.CharField(max_length=40)
    looked_up = models.CharField(max_length=40, db_index=True)
    bitting = models.CharField(max_length=240, help_text="labels with a space between")
    broken = models.CharField(max_length=60, blank=True, help_text="the rules of the family it breaks")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["series", "looked_up"], name="one_code_once_in_a_series")]
        indexes = [models.Index(fields=["series", "bitting"])]

    def __str__(self) -> str:
        return self.code
