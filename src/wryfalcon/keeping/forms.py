"""What the machine room asks for."""

from __future__ import annotations

from typing import Any

from django import forms

from keycore.machines.side_mill import CLEARANCE, FEWEST_MM, MOST_MM
from wryfalcon.fields import MmField, PressedField, Said, TypedInForm, WordField
from wryfalcon.library.models import FamilyRecord
from wryfalcon.machines.care.actions import PARTICULARS, Particulars
from wryfalcon.machines.models import Closer, JawSide, Machine, MachineKind

AXES = [(axis, axis) for axis in "XYZABCUVW"]
"""The letters of axes, as ISO 841 names them."""
NO_FAMILY = dict.fromkeys(("required", "invalid_choice"), "Choose the family whose blanks the test key is cut on.")


class ParticularsForm(TypedInForm):
    """How a machine is adjusted."""

    kind = forms.ChoiceField(label="Kind", choices=MachineKind)
    depth_step = MmField(label="Smallest depth adjustment", least=0.0001, most=1)
    space_step = MmField(label="Smallest along the blade", least=0.0001, most=1)
    screw_lead = MmField(
        label="Depth screw", per="a turn", least=0.01, most=5, required=False, help_text="Empty: set by number."
    )
    depth_dial = MmField(
        label="Depth dial", per="a division", least=0.0001, most=1, required=False, help_text="Empty: no dial."
    )
    space_dial = MmField(
        label="Space dial", per="a division", least=0.0001, most=1, required=False, help_text="Empty: no dial."
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


class OffsetForm(TypedInForm):
    """An offset set by hand."""

    gauge = forms.ChoiceField(label="Gauge", choices=[("shoulder", "shoulder"), ("tip", "tip")])
    jaw_side = forms.ModelChoiceField(
        label="On top, for jaw side", queryset=JawSide.objects.none(), required=False, empty_label="every side"
    )
    family = forms.ModelChoiceField(
        label="or for family", queryset=FamilyRecord.objects.in_force(), required=False, empty_label="every family"
    )
    value = MmField(label="Depth", initial=0)
    space = MmField(label="Along the blade", initial=0)
    maker_value = MmField(label="The maker’s own depth", required=False, help_text="Empty: as it was.")
    maker_space = MmField(label="The maker’s own along the blade", required=False)
    why = forms.CharField(label="Why", max_length=200)

    def __init__(self, data: Any = None, *, machine: Machine) -> None:
        super().__init__(data, auto_id="offset_%s")
        self.fields["jaw_side"].queryset = machine.jaw_sides.all()  # type: ignore[attr-defined]


class ClampForm(TypedInForm):
    """A clamp or adapter, and a face of it; or one more side of the machine's own jaw."""

    name = forms.CharField(label="Clamp or adapter", max_length=40, required=False, help_text="Empty: its own jaw.")
    space_axis = forms.ChoiceField(label="Axis from space to space", choices=AXES, initial="X")
    depth_axis = forms.ChoiceField(label="Axis of depth there", choices=AXES, initial="Z")
    face = forms.CharField(label="Face", max_length=10)
    slot_depth = MmField(label="Slot", per="deep", least=0, most=50)
    note = forms.CharField(label="Note", max_length=200, required=False)

    def __init__(self, data: Any = None) -> None:
        super().__init__(data, auto_id="clamp_%s")


class FollowerForm(TypedInForm):
    """A follower, or a mill's tracer."""

    name = forms.CharField(label="Follower", max_length=40)
    flat = MmField(label="Flat, or a tracer’s diameter", least=0, most=12)
    angle = forms.FloatField(label="Angle, degrees; 0 for a tracer", min_value=0, max_value=150)

    def __init__(self, data: Any = None) -> None:
        super().__init__(data, auto_id="follower_%s")


class MillForm(TypedInForm):
    """What is measured for a side mill's setting, mm."""

    tracer = MmField(label="Tracer’s diameter", least=FEWEST_MM, most=MOST_MM)
    mill = MmField(label="Mill’s diameter", least=FEWEST_MM, most=MOST_MM)
    touched = MmField(label="Stop where both touch the flats", required=False)
    floor = MmField(label="Stop with the tracer on the track’s floor", required=False)
    clearance = MmField(label="Clearance", initial=round(CLEARANCE, 3), least=0)


class MillProofForm(TypedInForm):
    """The pattern's track and the proving cut's, mm."""

    pattern_depth = MmField(label="Pattern: depth", least=0)
    pattern_width = MmField(label="width", least=0)
    copy_depth = MmField(label="Proving cut: depth", least=0)
    copy_width = MmField(label="width", least=0)


class TrimForm(Said):
    """A trim or a morning check: on whose blanks, in which side of the jaw, on whose own offsets."""

    family = forms.ModelChoiceField(FamilyRecord.objects.in_force(), label="", error_messages=NO_FAMILY)
    side = forms.ModelChoiceField(JawSide.objects.none(), required=False)
    own = WordField()
    check = PressedField()

    def __init__(self, *args: Any, machine: Machine, **more: Any) -> None:
        super().__init__(*args, **more)
        self.fields["side"].queryset = machine.jaw_sides.all()  # type: ignore[attr-defined]
