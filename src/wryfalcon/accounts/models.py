"""People of the shop and what they prefer to see."""

from __future__ import annotations

from django.contrib.auth.models import AbstractUser
from django.db import models


class Role(models.TextChoices):
    """What someone does in the shop."""

    OWNER = "owner", "Owner"
    SMITH = "smith", "Smith"
    COUNTER = "counter", "Counter"


class UnitShown(models.TextChoices):
    """The unit lengths are shown and typed in."""

    INCH = "in", "Inches"
    MILLIMETRE = "mm", "Millimetres"


class Theme(models.TextChoices):
    """Paper by day, dark in the van at night."""

    AUTO = "auto", "As the device"
    LIGHT = "light", "Light"
    DARK = "dark", "Dark"


class User(AbstractUser):
    """A person who logs in."""

    role = models.CharField(max_length=12, choices=Role, default=Role.COUNTER)
    unit = models.CharField(max_length=2, choices=UnitShown, default=UnitShown.INCH)
    fine = models.BooleanField(default=False, help_text="one more decimal")
    theme = models.CharField(max_length=5, choices=Theme, default=Theme.AUTO)

    def __str__(self) -> str:
        return self.get_full_name() or self.username
