"""Faces of clamps touched off: what was in the clamp, where it was touched, and when."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from keycore.machines.faces import FaceStep, FaceTouched
from wryfalcon.machines.models.machine import Cutter, JawSide


class FaceTouch(models.Model):
    """One face of a clamp touched at both its ends; lengths in millimetres."""

    side = models.ForeignKey(JawSide, models.CASCADE, related_name="touches")
    step = models.CharField(max_length=5, choices=[(step.value, step.value) for step in FaceStep])
    thickness = models.FloatField(default=0.0, help_text="of the flat that lay there, mm")
    near = models.FloatField(help_text="mm")
    far = models.FloatField(help_text="mm")
    apart = models.FloatField(help_text="mm between the two")
    faults = models.JSONField(default=list, help_text="what it says is wrong; nothing rests on one that has any")
    cutter = models.ForeignKey(Cutter, models.SET_NULL, null=True, related_name="+", help_text="fitted then")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return f"{self.side}, {self.step}"

    @property
    def touched(self) -> FaceTouched:
        """As the core takes it."""
        return FaceTouched(self.near, self.far, self.apart)
