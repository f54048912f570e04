"""Key families as the shop keeps them, and the blanks on its hooks."""

from __future__ import annotations

from functools import cached_property

from django.db import models

from keycore.family import Family
from wryfalcon.documents import parsed


class FamilyRecord(models.Model):
    """One key family: its document word for word, and what the shop adds to it."""

    slug = models.SlugField(max_length=80, unique=True)
    name = models.CharField(max_length=120)
    kind = models.CharField(max_length=12)
    unit = models.CharField(max_length=2)
    edition = models.CharField(max_length=200, blank=True)
    document = models.TextField()
    restricted = models.BooleanField(default=False, help_text="no key without the authority recorded")
    provenance = models.CharField(max_length=200, blank=True)
    created_at = models.DateTimeField(auto_now_add=True)
    changed_at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name

    @cached_property
    def family(self) -> Family:
        """The family itself, checked."""
        return parsed(self.document)


class Blank(models.Model):
    """A kind of blank: where it hangs and how many are left."""

    code = models.CharField(max_length=40, unique=True)
    hook = models.CharField(max_length=20)
    left = models.PositiveIntegerField(default=0)
    families = models.ManyToManyField(FamilyRecord, related_name="blanks")

    class Meta:
        ordering = ["code"]

    def __str__(self) -> str:
        return f"{self.code}, hook {self.hook}, {self.left} left"
