"""What is said on Set up."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django import forms

from keycore.family import Family
from wryfalcon.bench.setting_up.actions import Chosen
from wryfalcon.fields import MmField, Said
from wryfalcon.machines.models import Cutter, DriverKind, JawSide, Machine


class FittingForm(forms.Form):
    """Machine, cutter, jaw side and path."""

    machine = forms.ModelChoiceField(queryset=Machine.objects.exclude(driver=DriverKind.NONE))
    cutter = forms.ModelChoiceField(queryset=Cutter.objects.all())
    jaw_side = forms.ModelChoiceField(
        queryset=JawSide.objects.select_related("machine", "clamp"), required=False, empty_label="Not named"
    )
    style = forms.ChoiceField(label="Path")

    def __init__(self, family: Family, data: Mapping[str, Any] | None = None) -> None:
        super().__init__(data)
        cutting = family.kind.cutting
        if cutting is None:  # the action says that it cannot be cut from here
            self.fields["style"] = forms.CharField(required=False)
            return
        self.fields["cutter"].queryset = Cutter.that_are(cutting.tool)  # type: ignore[attr-defined]
        self.fields["style"] = forms.ChoiceField(label="Path", choices=list(cutting.styles.items()))

    def fitting(self) -> Chosen:
        """What the set-up action takes."""
        return Chosen(**self.cleaned_data)


class HeightForm(Said):
    """The height of the blank that lies there, as it was measured."""

    height = MmField(label="This blank’s height", least=0.1, most=100)
