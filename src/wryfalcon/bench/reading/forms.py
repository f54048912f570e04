"""What is said on Read: where it was said, and what of it."""

from __future__ import annotations

from django import forms

from wryfalcon.fields import NumberField, Said, WordField


class SourceForm(Said):
    """The source that a page had in front: of its track, still to be begun where it has no number."""

    track = WordField()
    source = NumberField()
    cut = NumberField()


class ValueForm(SourceForm):
    """A value that was typed, or several from its cut on."""

    typed = WordField()
    known = forms.IntegerField(required=False, min_value=0, max_value=999)
    key = WordField()


class DescribeForm(SourceForm):
    """How a source was read: only what its page asked is changed."""

    counted_from = WordField()
    wear = WordField()
    name = WordField()
    plug = WordField()
    other_key = WordField()
    odd_first = WordField()
    of_lock = WordField()
    aid = WordField()
    aid_size = WordField()
