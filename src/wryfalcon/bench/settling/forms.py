"""What is said on Settle."""

from __future__ import annotations

from django import forms

from wryfalcon.bench.models import Intent
from wryfalcon.fields import ListField, NumberField, PressedField, Said, WordField

NO_INTENT = {"invalid_choice": "Choose restore, copy or compensate."}


class OverruleForm(Said):
    """A cut decided otherwise and why; or that taken back."""

    track = WordField()
    cut = NumberField()
    label = WordField()
    reason = WordField()
    withdraw = PressedField()


class FillForm(Said):
    """What was not seen, filled: from a code, by the bitting that breaks a rule, or with the shallowest allowed."""

    track = WordField()
    code = NumberField()
    beyond = PressedField()


class ChoiceForm(Said):
    """The choice: restore, copy or compensate, and the cuts that go deeper."""

    intent = forms.ChoiceField(choices=Intent, required=False, error_messages=NO_INTENT, label="")
    deeper_by = WordField()
    reason = WordField()
    deeper_track = ListField()
    deeper_space = ListField()
    deeper_steps = ListField()
    deeper_reason = ListField()
