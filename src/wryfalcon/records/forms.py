"""What is asked of the records: of whom, of which family, how proven, come back or not."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django import forms
from django.db.models import Exists, OuterRef, QuerySet, Subquery

from wryfalcon.bench.models import Customer, Proof, ProvenBy, Tag, TagState
from wryfalcon.bench.tags.forms import MOST_KEYS
from wryfalcon.fields import NumberField, Said, WordField
from wryfalcon.library.models import FamilyRecord

BACK = [("", "any"), ("yes", "a key came back"), ("no", "none came back")]
PROVEN = [("", "any way"), *ProvenBy.choices, ("not", "not proven")]


class RecordsForm(forms.Form):
    """Every field is free to be left; what makes no sense is left too."""

    customer = forms.ChoiceField(required=False)
    family = forms.ChoiceField(required=False)
    state = forms.ChoiceField(choices=[("", "any"), *TagState.choices], required=False)
    proven = forms.ChoiceField(label="Proven", choices=PROVEN, required=False)
    back = forms.ChoiceField(label="Came back", choices=BACK, required=False)

    def __init__(self, data: Mapping[str, Any]) -> None:
        super().__init__(data)
        for name, none, rows in (
            ("customer", "anybody", Customer.objects.order_by("name")),
            ("family", "any", FamilyRecord.objects.in_force()),
        ):
            field = self.fields[name]
            assert isinstance(field, forms.ChoiceField)
            field.choices = [("", none), *rows.values_list("pk", "name")]  # asked once, not for each use of the field

    def tags(self) -> QuerySet[Tag]:
        """The tags asked for."""
        tags = Tag.objects.all()
        self.is_valid()
        said = self.cleaned_data
        for name, field in (("customer", "customer"), ("state", "state")):
            if said.get(name):
                tags = tags.filter(**{field: said[name]})
        if said.get("family"):
            editions = FamilyRecord.objects.filter(
                slug__in=FamilyRecord.objects.filter(pk=said["family"]).values("slug")
            )
            tags = tags.filter(family_record__in=editions)  # by whichever they were made
        if said.get("proven"):
            tags = told_of(tags).filter(proven_by=None if said["proven"] == "not" else said["proven"])
        if said.get("back"):
            tags = told_of(tags).filter(came_back=said["back"] == "yes")
        return tags


class AgainForm(Said):
    """A key made again: what shows that they may have it, and how many."""

    authority = WordField()
    quantity = NumberField(label="How many keys", max_value=MOST_KEYS)


def told_of(tags: QuerySet[Tag]) -> QuerySet[Any]:
    """Each of these with how its last good key was proven, and whether one of its keys came back."""
    passed = Proof.objects.filter(piece__tag=OuterRef("pk"), passed=True).order_by("-pk")
    return tags.annotate(
        proven_by=Subquery(passed.values("proven_by")[:1]),
        came_back=Exists(Tag.objects.filter(brought_back_from=OuterRef("pk"))),
    )


def proven_words(tag: Tag) -> str:
    """How a tag's last good key was proven, as the list says it; "" where none was."""
    proven_by = getattr(tag, "proven_by", None)
    return ProvenBy(proven_by).label if proven_by else ""
