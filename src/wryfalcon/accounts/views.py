"""What a person prefers to see."""

from __future__ import annotations

from django import forms
from django.http import HttpResponse

from wryfalcon.accounts.models import Theme, UnitShown
from wryfalcon.accounts.permissions import PersonRequest
from wryfalcon.fields import Said
from wryfalcon.presses import back_to, press

FINE = [("1", "finer"), ("0", "plain")]


class PreferForm(Said):
    """One preference or several; what is not said stays."""

    unit = forms.ChoiceField(choices=UnitShown, required=False, label="Unit")
    theme = forms.ChoiceField(choices=Theme, required=False, label="Theme")
    fine = forms.TypedChoiceField(choices=FINE, coerce=lambda said: said == "1", required=False)


@press
def prefer(request: PersonRequest) -> HttpResponse:
    """Keep a preference and go back to the page it was set on."""
    for name, said in PreferForm.of(request).items():
        if said != "":
            setattr(request.user, name, said)
    request.user.save()
    return back_to(request, "/")
