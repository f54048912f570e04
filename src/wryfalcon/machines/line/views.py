"""The machines: how they are, what is fitted, and in the demonstration a hand at the stand-in."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_safe

from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.fields import WORD, posted
from wryfalcon.machines.line.misreports import note_as_seen
from wryfalcon.machines.line.orders import place_order
from wryfalcon.machines.line.press import press_of
from wryfalcon.machines.line.queries import lines_in_full
from wryfalcon.machines.models import DriverKind, Machine
from wryfalcon.presses import back_to, press

FLAT_MM, KEY_MM = 3.0, 2.6
"""How thick the flat and the key are that lie beside the stand-in."""
PANEL: dict[str, tuple[str, dict[str, Any]]] = {
    "open-lid": ("lid", {"open": True}),
    "close-lid": ("lid", {"open": False}),
    "stall": ("inject", {"fault": "stall"}),
    "clear": ("put", {"lying": "empty"}),
    "lay-flat": ("put", {"lying": "flat", "thick": FLAT_MM}),
    "lay-key": ("put", {"lying": "key", "thick": KEY_MM}),
}
"""What a hand, or mischance, does at the simulated machine."""


@require_safe
@needs(Act.LOOK)
def machines(request: PersonRequest) -> HttpResponse:
    """Every machine with its cutters, jaws and offsets."""
    lines = lines_in_full()
    asked = any(line.order is not None and line.order.is_open for line in lines)
    unfollowed = any(line.machine.has_line and not line.is_followed for line in lines)
    context = {"lines": lines, "has_panel": settings.DEMONSTRATION, "asked": asked, "unfollowed": unfollowed}
    return render(request, "machines/machines.html", context)


@press
@needs(Act.CUT)
def home(request: PersonRequest, pk: int) -> HttpResponse:
    """Ask a machine to home itself, spindle off and hands away; that it did is told by its log."""
    machine = get_object_or_404(Machine.objects.exclude(driver=DriverKind.NONE), pk=pk)
    place_order(press_of(request), machine, "home")
    return back_to(request, reverse("machines:machines"))


@press
@needs(Act.CUT)
def misreports(request: PersonRequest, pk: int) -> HttpResponse:
    """Somebody has looked at what a machine said that cannot be so."""
    note_as_seen(request.user, get_object_or_404(Machine, pk=pk))
    return back_to(request, reverse("machines:machines"))


@press
@needs(Act.CUT)
def panel(request: PersonRequest, pk: int) -> HttpResponse:
    """Work the simulated machine's lid or upset it; only in the demonstration."""
    machine = get_object_or_404(Machine, pk=pk, driver=DriverKind.BENCH)
    asked = PANEL.get(posted(request, hand=WORD)["hand"])
    if not settings.DEMONSTRATION or asked is None:
        raise Http404
    command, data = asked
    place_order(press_of(request), machine, command, data=data)
    return back_to(request, reverse("machines:machines"))
