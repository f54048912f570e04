"""The machines: how they are, what is fitted, and in the demonstration a hand at the stand-in."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.contrib import messages
from django.http import Http404, HttpResponse, HttpResponseRedirect
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.http import require_GET, require_POST

from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.machines.actions.care import note_work
from wryfalcon.machines.actions.practice import begin_practice, end_practice, score_words
from wryfalcon.machines.drivers import MachineRefused, MachineUnreachable, driver_of
from wryfalcon.machines.drivers.bench import BenchDriver
from wryfalcon.machines.models import DriverKind, Machine, Work
from wryfalcon.machines.queries.line import machines_in_a_line
from wryfalcon.machines.refusal import NotKept

PANEL: dict[str, dict[str, Any]] = {
    "open-lid": {"do": "lid", "open": True},
    "close-lid": {"do": "lid", "open": False},
    "stall": {"do": "inject", "fault": "stall"},
}
"""What a hand, or mischance, does at the simulated machine."""


@require_GET
@needs(Act.LOOK)
def machines(request: PersonRequest) -> HttpResponse:
    """Every machine with its cutters, jaws and offsets."""
    lines = machines_in_a_line("jaw_sides", "offsets", "cutters")
    return render(request, "machines/machines.html", {"lines": lines, "has_panel": settings.DEMONSTRATION})


@require_POST
@needs(Act.CUT)
def home(request: PersonRequest, pk: int) -> HttpResponse:
    """Home a machine, spindle off and hands away."""
    machine = get_object_or_404(Machine.objects.exclude(driver=DriverKind.NONE), pk=pk)
    try:
        driver_of(machine).operate("home")
        note_work(request.user, machine, Work.HOMED)
        messages.success(request, f"{machine} is homed.")
    except (MachineRefused, MachineUnreachable) as error:
        messages.error(request, f"{machine} was not homed: {error}.")
    return back_to(request, reverse("machines:machines"))


@require_POST
@needs(Act.CUT)
def panel(request: PersonRequest, pk: int) -> HttpResponse:
    """Work the simulated machine's lid or upset it; only in the demonstration."""
    driver = driver_of(get_object_or_404(Machine, pk=pk, driver=DriverKind.BENCH))
    asked = PANEL.get(request.POST.get("hand", ""))
    if not settings.DEMONSTRATION or asked is None or not isinstance(driver, BenchDriver):
        raise Http404
    try:
        driver.panel(**asked)
    except (MachineRefused, MachineUnreachable) as error:
        messages.error(request, f"Nothing done: {error}.")
    return back_to(request, reverse("machines:machines"))


@require_POST
@needs(Act.CUT)
def practice(request: PersonRequest, pk: int) -> HttpResponse:
    """Hide a fault in the simulated machine, or score how it was found; only in the demonstration."""
    machine = get_object_or_404(Machine, pk=pk)
    if not settings.DEMONSTRATION:
        raise Http404
    on = machine.practices.filter(ended_at=None).first()
    try:
        if on is None:
            begin_practice(request.user, machine)
            messages.success(
                request,
                "Something may be wrong with it now. Find it, trim it if a trim mends it, then say what it was.",
            )
        else:
            messages.success(request, score_words(end_practice(on, request.POST.get("named", ""))))
    except NotKept as refusal:
        messages.error(request, refusal.says)
    return redirect("machines:care", pk=pk)


def back_to(request: PersonRequest, usual: str) -> HttpResponse:
    """Go back where the person came from, if that is a page of ours; else where one usually goes."""
    back = request.POST.get("back", "")
    is_ours = back.startswith("/") and url_has_allowed_host_and_scheme(back, allowed_hosts={request.get_host()})
    return HttpResponseRedirect(back if is_ours else usual)
