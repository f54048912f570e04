"""What is said on the pages of the library."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping
from typing import Any

from django import forms
from django.core.exceptions import ValidationError

from keycore.reading.guide import Known
from wryfalcon.fields import Said, WordField

HOW_MANY = dict.fromkeys(
    ("required", "invalid", "min_value", "max_value"), "How many are left? Type a whole number."
)  # fmt: skip


class CountForm(Said):
    """Where a blank hangs, and how many are left."""

    hook = WordField()
    left = forms.IntegerField(label="", min_value=0, max_value=999_999, error_messages=HOW_MANY)


class _NumberAsked(forms.IntegerField):
    def __init__(self, words: str, least: int, most: int) -> None:
        super().__init__(required=False, min_value=least, max_value=most)
        self.words = words

    def clean(self, value: Any) -> Any:
        try:
            return super().clean(value)
        except ValidationError:
            raise ValidationError(f"“{value.strip()[:20]}” is no {self.words}.") from None


class AskedForm(Said):
    """What a fitting guide is asked."""

    words = WordField(strip=True)
    year = _NumberAsked("year", 1000, 9999)
    cuts = _NumberAsked("count of cuts", 1, 60)
    blank = WordField(strip=True)
    use = WordField(strip=True)
    electronics = WordField(strip=True)
    before = _NumberAsked("year", 1000, 9999)
    since = _NumberAsked("year", 1000, 9999)
    tag = forms.IntegerField(required=False, min_value=1, max_value=99_999_999)


def known_of(said: Mapping[str, Any]) -> Known:
    """What is known of the key by what such a form says; what it could not take is not."""
    return Known(**{each.name: said[each.name] for each in dataclasses.fields(Known) if said.get(each.name)})
