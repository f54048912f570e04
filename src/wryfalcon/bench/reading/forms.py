"""What is said on Read: where it was said, and what of it."""

from __future__ import annotations

from django import forms

from wryfalcon.fields import ListField, NumberField, Said, WordField


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


class WithdrawForm(SourceForm):
    """The last value taken back, or one that is named."""

    value = NumberField()
    last = NumberField()


class AddForm(Said):
    """Another source."""

    track = WordField()
    kind = WordField()
    name = WordField()


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


class ChangeForm(Said):
    """A source turned, switched or removed, on Read or on Settle."""

    do = WordField()
    back = WordField()


class LabelsForm(Said):
    """Labels, and for a bitting that is known who says so."""

    labels = WordField()
    who = WordField()


class CardForm(Said):
    """What a card says, how such cards are printed, and who says so."""

    card = WordField()
    printed = WordField()
    who = WordField()


class CodeForm(Said):
    """A code as it is stamped."""

    code = WordField()


class TapForm(Said):
    """A cut of a tool's grid and a label."""

    tap = WordField()


class LookForm(Said):
    """One round of a depth key: which tumblers sit flush, which may; or that it was spoiled."""

    depth = WordField()
    spoiled = WordField()
    flush = ListField()
    unsure = ListField()


class StageForm(Said):
    """How a tumbler sits at a stage of its cut."""

    cut = NumberField()
    depth = WordField()
    seen = WordField()


class MarkForm(SourceForm):
    """What is the matter with a cut."""

    mark = WordField()


class CompareForm(Said):
    """Two cuts held against each other."""

    first = NumberField()
    beside = NumberField()
    compared = WordField()


class SwingForm(Said):
    """How a disc moved."""

    disc = NumberField()
    felt = WordField()
