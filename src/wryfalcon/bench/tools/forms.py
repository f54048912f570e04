"""What is said of the shop's own keys: depth keys and test keys."""

from __future__ import annotations

from typing import Any

from django import forms

from wryfalcon.accounts.models import Role, User
from wryfalcon.fields import PressedField, Said, WordField
from wryfalcon.library.models import FamilyRecord

SMITHS = (Role.SMITH, Role.OWNER)
NO_SMITH = {"required": "Only a smith holds such a key.", "invalid_choice": "Only a smith holds such a key."}


class ToolForm(Said):
    """A set of depth keys of a family, or a test key of a bitting."""

    family = forms.ModelChoiceField(FamilyRecord.objects.in_force(), label="Family")
    bitting = WordField(strip=True)

    def __init__(self, *args: Any, **more: Any) -> None:
        super().__init__(*args, **more)
        self.fields["set"] = PressedField()


class HolderForm(Said):
    """Who holds a key from now on."""

    holder = forms.ModelChoiceField(
        User.objects.filter(role__in=SMITHS, is_active=True), label="", error_messages=NO_SMITH
    )
