"""What is said of a key that is copied: the job, the steps at the duplicator, a brief look."""

from __future__ import annotations

from typing import Any

from django import forms

from keycore.proving.brief import BLADE_PLACES
from wryfalcon.bench.models import OnBench
from wryfalcon.bench.tags.actions import TagDetails
from wryfalcon.bench.tags.forms import TakeInForm
from wryfalcon.fields import Said, WordField
from wryfalcon.library.models import Blank


class CopyForm(forms.Form):
    """A good key to be copied: who, which blank, how many."""

    title = forms.CharField(label="What it is for", max_length=120, initial="A copy")
    customer = forms.CharField(
        label="Customer", max_length=80, initial="At the counter", help_text="A name or a nickname is enough."
    )
    stamped = TakeInForm.base_fields["stamped"]
    blank = forms.ModelChoiceField(label="Blank", queryset=Blank.objects.all())
    quantity = TakeInForm.base_fields["quantity"]
    in_hand = TakeInForm.base_fields["in_hand"]
    authority = TakeInForm.base_fields["authority"]

    def job(self) -> TagDetails:
        """What the take-in action takes."""
        return TagDetails(**self.cleaned_data, on_bench=OnBench.GOOD_KEY, is_copied=True)


class BriefForm(Said):
    """What was measured of a pattern read briefly."""

    look = WordField()
    blade = WordField()
    generation = WordField()

    def __init__(self, *args: Any, cuts: int, **more: Any) -> None:
        super().__init__(*args, **more)
        places = [(place, place) for place in BLADE_PLACES]
        self.fields["blade-at"] = forms.TypedChoiceField(choices=places, coerce=float, required=False, empty_value=None)
        self.fields |= {f"cut-{space}": WordField() for space in range(1, cuts + 1)}
