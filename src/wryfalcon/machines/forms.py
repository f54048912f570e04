"""What the machine room asks for."""

from __future__ import annotations

from typing import Any

from django import forms

from keycore.machines.side_mill import CLEARANCE
from wryfalcon.library.models import FamilyRecord
from wryfalcon.machines.actions.care import PARTICULARS, Particulars
from wryfalcon.machines.models import Closer, JawSide, Machine, MachineKind

AXES = [(axis, axis) for axis in "XYZABCUVW"]
"""The letters of axes, as ISO 841 names them."""


class ParticularsForm(forms.Form):
    """How a machine is adjusted."""

    kind = forms.ChoiceField(label="Kind", choices=MachineKind)
    depth_step = forms.FloatField(label="Smallest depth adjustment, mm", min_value=0.0001, max_value=1)
    space_step = forms.FloatField(label="Smallest along the blade, mm", min_value=0.0001, max_value=1)
    screw_lead = forms.FloatField(
        label="Depth screw, mm a turn", min_value=0.01, max_value=5, required=False, help_text="Empty: set by number."
    )
    depth_dial = forms.FloatField(
        label="Depth dial, mm a division", min_value=0.0001, max_value=1, required=False, help_text="Empty: no dial."
    )
    space_dial = forms.FloatField(
        label="Space dial, mm a division", min_value=0.0001, max_value=1, required=False, help_text="Empty: no dial."
    )
    closer = forms.ChoiceField(label="Closer is", choices=[("", "by number"), *Closer.choices], required=False)
    space_axis = forms.ChoiceField(label="Axis along the blade", choices=AXES)
    depth_axis = forms.ChoiceField(label="Axis of depth", choices=AXES)
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
    maker_value = forms.FloatField(label="The maker’s own depth, mm", required=False, help_text="Empty: as it was.")
    maker_space = forms.FloatField(label="The maker’s own along the blade, mm", required=False)
    why = forms.CharField(label="Why", max_length=200)

    def __init__(self, data: Any = None, *, machine: Machine) -> None:
        super().__init__(data)
        self.fields["jaw_side"].queryset = machine.jaw_sides.all()  # type: ignore[attr-defined]


class ClampForm(forms.Form):
    """A clamp or adapter, and a face of it; or one more side of the machine's own jaw."""

    name = forms.CharField(label="Clamp or adapter", max_length=40, required=False, help_text="Empty: its own jaw.")
    space_axis = forms.ChoiceField(label="Axis from space to space", choices=AXES, initial="X")
    depth_axis = forms.ChoiceField(label="Axis of depth there", choices=AXES, initial="Z")
    face = forms.CharField(label="Face", max_length=10)
    slot_depth = forms.FloatField(label="Slot, mm deep", min_value=0, max_value=50)
    note = forms.CharField(label="Note", max_length=200, required=False)


class FollowerForm(forms.Form):
    """A follower, or a mill's tracer."""

    name = forms.CharField(label="Follower", max_length=40)
    flat = forms.FloatField(label="Flat, or a tracer’s diameter, mm", min_value=0, max_value=12)
    angle = forms.FloatField(label="Angle, degrees; 0 for a tracer", min_value=0, max_value=150)


class MillForm(forms.Form):
    """What is measured for a side mill's setting, mm."""

    tracer = forms.FloatField(label="Tracer’s diameter, mm", min_value=0)
    mill = forms.FloatField(label="Mill’s diameter, mm", min_value=0)
    touched = forms.FloatField(label="Stop where both touch the flats", required=False)
    floor = forms.FloatField(label="Stop with the tracer on the track’s floor", required=False)
    clearance = forms.FloatField(label="Clearance, mm", initial=round(CLEARANCE, 3), min_value=0)


class MillProofForm(forms.Form):
    """The pattern's track and the proving cut's, mm."""

    pattern_depth = forms.FloatField(label="Pattern: depth", min_value=0)
    pattern_width = forms.FloatField(label="width", min_value=0)
    copy_depth = forms.FloatField(label="Proving cut: depth", min_value=0)
    copy_width = forms.FloatField(label="width", min_value=0)
