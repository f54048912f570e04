"""What is said on Settle."""

from __future__ import annotations

from django import forms

from wryfalcon.bench.models import Intent
from wryfalcon.fields import ListField, Said, WordField

NO_INTENT = {"invalid_choice": "Choose restore, copy or compensate."}


class ChoiceForm(Said):
    """The choice: restore, copy or compensate, and the cuts that go deeper."""

    intent = forms.ChoiceField(choices=Intent, required=False, error_messages=NO_INTENT, label="")
    deeper_by = WordField()
    reason = WordField()
    deeper_track = ListField()
    deeper_space = ListField()
    deeper_steps = ListField()
    deeper_reason = ListField()
