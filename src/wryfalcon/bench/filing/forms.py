"""What is said of a step of a file."""

from __future__ import annotations

from wryfalcon.fields import NumberField, PressedField, Said, WordField


class StageLookForm(Said):
    """A step filed and looked at."""

    step = WordField(max_length=130)
    height = WordField()
    showed = WordField()
    mark_at = WordField()
    by_mark = PressedField()
    known = NumberField()


class LookBackForm(Said):
    """A look that was not so."""

    back = NumberField()
