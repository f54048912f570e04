"""What a person prefers to see."""

from __future__ import annotations

from django.http import HttpResponse, HttpResponseRedirect
from django.utils.http import url_has_allowed_host_and_scheme

from wryfalcon.accounts.models import Theme, UnitShown
from wryfalcon.accounts.permissions import PersonRequest
from wryfalcon.presses import press

CHOICES = {"unit": UnitShown.values, "theme": Theme.values}


@press
def prefer(request: PersonRequest) -> HttpResponse:
    """Keep a preference and go back to the page it was set on."""
    for name, allowed in CHOICES.items():
        if request.POST.get(name) in allowed:
            setattr(request.user, name, request.POST[name])
    if "fine" in request.POST:
        request.user.fine = request.POST["fine"] == "1"
    request.user.save()
    back = request.POST.get("back", "/")
    is_ours = back.startswith("/") and url_has_allowed_host_and_scheme(back, allowed_hosts={request.get_host()})
    return HttpResponseRedirect(back if is_ours else "/")
