"""What is said on Prove."""

from __future__ import annotations

from django import forms

from wryfalcon.bench.models import Felt, WayUp
from wryfalcon.bench.proving.actions import BEST_GRADE, TrialFelt
from wryfalcon.bench.reading.forms import ValueForm
from wryfalcon.fields import WordField
from wryfalcon.numbers import whole_number

AT_TIP = "tip"
FELT_PARTS = ("enters", "turns", "leaves")


class ProofValueForm(ValueForm):
    """A value of the new key, and what the cut was measured over."""

    over = WordField()


class TrialForm(forms.Form):
    """How a new key feels in one lock."""

    lock = forms.IntegerField(widget=forms.HiddenInput)
    way_up = forms.ChoiceField(label="Way up", choices=WayUp)
    free = forms.BooleanField(label="Goes freely", required=False)
    at = forms.CharField(label="Shows at", required=False)
    grade = forms.IntegerField(label="Grade", min_value=0, max_value=BEST_GRADE, required=False)
    worked = forms.BooleanField(label="After a few turns", required=False)
    enters = forms.ChoiceField(label="Goes in", choices=Felt, required=False)
    turns = forms.ChoiceField(label="Turns", choices=Felt, required=False)
    leaves = forms.ChoiceField(label="Comes out", choices=Felt, required=False)

    def felt(self) -> TrialFelt:
        """What the action takes; one press says that it goes in, turns and comes out freely."""
        said = self.cleaned_data
        enters, turns, leaves = (Felt.FREE if said["free"] else said[part] for part in FELT_PARTS)
        track, _, space = said["at"].rpartition(":")
        at = None if said["at"] in ("", AT_TIP) else (track, whole_number(space))  # one that is none is refused
        where = {"at": at, "at_tip": said["at"] == AT_TIP}
        return TrialFelt(said["way_up"], said["worked"], enters, turns, leaves, said["grade"], **where)
