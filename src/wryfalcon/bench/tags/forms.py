"""What is said of a tag: taking it in, its locks, what was heard of a lock that could not be brought."""

from __future__ import annotations

from typing import Any

from django import forms

from wryfalcon.bench.models import Felt, OnBench, Tag
from wryfalcon.bench.proving.actions import BEST_GRADE
from wryfalcon.bench.proving.forms import FELT_PARTS
from wryfalcon.bench.tags.actions import Baseline, TagDetails
from wryfalcon.fields import Said
from wryfalcon.library.models import Blank, EditionState, FamilyRecord

MOST_KEYS = 500


class TakeInForm(forms.Form):
    """A tag: who, what, may they have it, which key, how many."""

    title = forms.CharField(label="What the job is", max_length=120)
    customer = forms.CharField(label="Customer", max_length=80, help_text="A name or a nickname is enough.")
    on_bench = forms.ChoiceField(label="On the bench", choices=OnBench)
    brought_back = forms.CharField(
        label="Tag that made it", max_length=12, required=False, help_text="For a key brought back."
    )
    code_on_it = forms.CharField(
        label="Its code",
        max_length=40,
        required=False,
        help_text="As it is stamped or written: looked up as the tag is hung. Leave it empty where it has none.",
    )
    authority = forms.CharField(
        label="What shows that they may have this key",
        max_length=200,
        required=False,
        help_text="A card, a lease, a face you know. Needed for a code, a record, a lock without its key and a "
        "restricted profile. Local law decides what is enough.",
    )
    in_hand = forms.BooleanField(label="They have the key in hand; I saw it", required=False)
    stamped = forms.CharField(
        label="Stamped on the bow",
        max_length=80,
        required=False,
        help_text="Word for word; it may say who may copy it.",
    )
    family = forms.ModelChoiceField(
        label="Key family", queryset=FamilyRecord.objects.exclude(state=EditionState.CHECKED), required=False
    )
    blank = forms.ModelChoiceField(
        label="Blank", queryset=Blank.objects.all(), required=False, empty_label="The family's own"
    )
    quantity = forms.IntegerField(label="How many keys", min_value=1, max_value=MOST_KEYS, initial=1)
    is_copied = forms.BooleanField(label="Copy it as it is, without reading it", required=False)
    note = forms.CharField(label="Note", required=False, widget=forms.Textarea(attrs={"rows": 2}))

    def job(self, locks: list[Baseline]) -> TagDetails:
        """What the take-in action takes."""
        written = {name: value for name, value in self.cleaned_data.items() if name != "code_on_it"}
        return TagDetails(**written, locks=locks)

    @classmethod
    def of(cls, tag: Tag, data: Any = None) -> TakeInForm:
        """The form of a tag that exists."""
        initial = {
            "title": tag.title,
            "customer": tag.customer.name,
            "on_bench": tag.on_bench,
            "brought_back": str(tag.brought_back_from or ""),
            "authority": tag.authority,
            "stamped": tag.stamped,
            "family": tag.family_record,
            "blank": tag.blank,
            "quantity": tag.quantity,
            "is_copied": tag.is_copied,
            "note": tag.note,
        }
        return cls(data, initial=initial)


class LockForm(forms.Form):
    """A lock the key must work, and how the old key feels in it."""

    name = forms.CharField(label="Lock", max_length=80, required=False)
    enters = forms.ChoiceField(label="Goes in", choices=Felt, required=False)
    turns = forms.ChoiceField(label="Turns", choices=Felt, required=False)
    leaves = forms.ChoiceField(label="Comes out", choices=Felt, required=False)
    grade = forms.IntegerField(label="Grade", min_value=0, max_value=BEST_GRADE, required=False)

    @property
    def felt(self) -> list[forms.BoundField]:
        """The three parts of how it feels."""
        return [self[part] for part in FELT_PARTS]


LockFormSet = forms.formset_factory(LockForm, extra=2, max_num=8, absolute_max=8)
KeptLockFormSet = forms.formset_factory(LockForm, extra=1, max_num=8, absolute_max=8)


def locks_of(formset: Any) -> list[Baseline]:
    """The locks that were named."""
    return [Baseline(**row) for row in formset.cleaned_data if row.get("name", "").strip()]


class PictureForm(Said):
    """A picture that was sent."""

    picture = forms.FileField(error_messages={"required": "Choose the picture first."}, label="")
