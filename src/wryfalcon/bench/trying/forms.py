"""What is said of a sheet of keys to try."""

from __future__ import annotations

from typing import Any

from django import forms

from wryfalcon.codes.models import Series
from wryfalcon.fields import NumberField, PressedField, Said, WordField


class SheetForm(Said):
    """The track that a sheet is of; none for all of them."""

    track = WordField()


class MannerForm(SheetForm):
    """How a sheet is worked through."""

    order = WordField()
    half_steps = PressedField()
    series = forms.ModelChoiceField(Series.objects.in_force(), required=False)


class TriedForm(SheetForm):
    """What a key did in the lock."""

    key = WordField()
    outcome = WordField()


class CutKnownForm(SheetForm):
    """A cut that is a depth, or is not."""

    space = NumberField()
    label = WordField()

    def __init__(self, *args: Any, **more: Any) -> None:
        super().__init__(*args, **more)
        self.fields["is"] = WordField()  # a word of the language's own


class LineForm(SheetForm):
    """The line that is taken back."""

    line = NumberField()
