"""The press of a button that asks something of a machine, read from its form."""

from __future__ import annotations

from django import forms
from django.core.validators import RegexValidator
from django.http import HttpRequest

from wryfalcon.accounts.models import User
from wryfalcon.machines.line.orders import Press


class PressForm(forms.Form):
    """Which form it was, and the last entry of the machine's log that its page showed."""

    press = forms.UUIDField(required=False)
    seen = forms.CharField(required=False, validators=[RegexValidator(r"^.{1,40}:[0-9]{1,15}\Z")])

    def clean_seen(self) -> tuple[str, int] | None:
        """The log and the number in it."""
        log, _, number = self.cleaned_data["seen"].rpartition(":")
        return (log, int(number)) if log else None


def press_of(request: HttpRequest) -> Press:
    """Who pressed; which form it was, so that one sent twice is one press; what it showed of the machine's log.

    A form that says neither, or nothing that can be so, is a press all the same.
    """
    form = PressForm(request.POST)
    form.is_valid()
    by = request.user if isinstance(request.user, User) else None
    return Press(by, form.cleaned_data.get("press"), form.cleaned_data.get("seen"))
