"""What the machine room asks for."""

from __future__ import annotations

from typing import Any

from django import forms

from wryfalcon.library.models import FamilyRecord
from wryfalcon.machines.actions.care import PARTICULARS, Particulars
from wryfalcon.machines.models import Closer, JawSide, Machine, MachineKind


class ParticularsForm(forms.Form):
    """How a machine is adjusted."""

    kind = forms.ChoiceField(label="Kind", choices=MachineKind)
    depth_step = forms.FloatField(label="Smallest depth adjustment, mm", min_value=0.0001, max_value=1)
    space_step = forms.FloatField(label="Smallest along the blade, mm", min_value=0.0001, max_value=1)
    screw_lead = forms.FloatField(
        label="Depth screw, mm a turn", min_value=0.01, max_value=5, required=False, help_text="Empty: set by number."
    )
    closer = forms.ChoiceField(label="Closer is", choices=[("", "by number"), *Closer.choices], required=False)
    note = forms.CharField(label="Note", max_length=200, required=False)

    def particulars(self) -> Particulars:
        """What the action takes."""
        return Particulars(**self.cleaned_data)

    @classmethod
    def of(cls, machine: Machine) -> ParticularsForm:
        """The form of a machine as it is."""
        return cls(initial={name: getattr(machine, name) for name in PARTICULARS})


class OffsetForm(forms.Form):
    """An offset set by hand."""

    gauge = forms.ChoiceField(label="Gauge", choices=[("shoulder", "shoulder"), ("tip", "tip")])
    jaw_side = forms.ModelChoiceField(
        label="On top, for jaw side", queryset=JawSide.objects.none(), required=False, empty_label="every side"
    )
    family = forms.ModelChoiceField(
        label="or for family", queryset=FamilyRecord.objects.all(), required=False, empty_label="every family"
    )
    value = forms.FloatField(label="Depth, mm", initial=0)
    space = forms.FloatField(label="Along the blade, mm", initial=0)
    why = forms.CharField(label="Why", max_length=200)

    def __init__(self, data: Any = None, *, machine: Machine) -> None:
        super().__init__(data)
        self.fields["jaw_side"].queryset = machine.jaw_sides.all()  # type: ignore[attr-defined]
