"""What is said on Cut."""

from __future__ import annotations

from typing import Any

from wryfalcon.fields import ListField, NumberField, PressedField, Said, WordField


class NextForm(Said):
    """The next key, of which the page knew the number; whether it is one more than wanted."""

    expected = WordField()

    def __init__(self, *args: Any, **more: Any) -> None:
        super().__init__(*args, **more)
        self.fields["one-more"] = PressedField()


class ByHandForm(NextForm):
    """The next key made by hand: how, at which machine, and whether it is made already."""

    way = WordField()
    made = PressedField()


class OperateForm(Said):
    """One operation, what the page knew of the line, and what was looked at before it."""

    operation = WordField()
    known = WordField()
    check = ListField()


class MadeForm(Said):
    """A key made by hand: made, or deburred."""

    deburred = PressedField()


class WalkForm(Said):
    """A step at the dials: done, or not after all."""

    step = NumberField()
    back = NumberField()


class EndForm(Said):
    """A key ended: whole all the same, or what became of its blank and why."""

    made = PressedField()
    blank = WordField()
    why = WordField()
