"""What is fitted to a machine: wheels and followers by whoever cuts, clamps and followers in its book by the owner."""

from __future__ import annotations

from django import forms
from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_safe

from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.fields import posted
from wryfalcon.keeping.book.particulars import particulars_page
from wryfalcon.keeping.fittings.queries import Counters, counters_of
from wryfalcon.keeping.forms import ClampForm, FollowerForm
from wryfalcon.machines.fittings.actions import NewClamp, add_clamp, add_follower, fit_cutter, fit_follower
from wryfalcon.machines.fittings.presenters import mismatch_words
from wryfalcon.machines.fittings.queries import holdings_of, mismatch_of
from wryfalcon.machines.models import Cutter, Follower, Machine
from wryfalcon.presses import back_to, press


@require_safe
@needs(Act.LOOK)
def fitted(request: PersonRequest, pk: int) -> HttpResponse:
    """What is fitted, how a key is held, and how many keys it made since."""
    machine = get_object_or_404(Machine.objects.select_related("fitted"), pk=pk)
    followers, counters = list(machine.followers.all()), counters_of(machine)
    context = {
        "machine": machine, "cutters": machine.cutters.all(), "followers": followers,
        "holdings": holdings_of(machine), "counters": counters, "since": since_words(counters),
        "mismatch": mismatch_words(mismatch_of(machine, followers)),
    }  # fmt: skip
    return render(request, "keeping/fittings/fitted.html", context)


@press
@needs(Act.CUT)
def cutter(request: PersonRequest, pk: int) -> HttpResponse:
    """Note that a wheel was fitted."""
    machine = get_object_or_404(Machine, pk=pk)
    said = posted(request, cutter=forms.ModelChoiceField(Cutter.objects.all(), label="Wheel"))
    fit_cutter(request.user, machine, said["cutter"])
    return _done(request, machine, "Check the machine anew.")


@press
@needs(Act.CUT)
def follower(request: PersonRequest, pk: int, follower: int) -> HttpResponse:
    """Note that a follower was fitted."""
    machine = get_object_or_404(Machine, pk=pk)
    fitted = get_object_or_404(Follower, pk=follower, machine=machine)
    fit_follower(request.user, machine, fitted)
    return _done(request, machine, "Trim it by touch anew.")


@press
@needs(Act.KEEP_LIBRARY)
def new_clamp(request: PersonRequest, pk: int) -> HttpResponse:
    """Add a clamp, or a face."""
    machine, form = get_object_or_404(Machine, pk=pk), ClampForm(request.POST)
    if not form.is_valid():
        return particulars_page(request, machine, clamp=form)
    add_clamp(request.user, machine, NewClamp(**form.cleaned_data))
    return _done(request, machine, "It is in the book.")


@press
@needs(Act.KEEP_LIBRARY)
def new_follower(request: PersonRequest, pk: int) -> HttpResponse:
    """Add a follower."""
    machine, form = get_object_or_404(Machine, pk=pk), FollowerForm(request.POST)
    if not form.is_valid():
        return particulars_page(request, machine, follower=form)
    add_follower(request.user, machine, **form.cleaned_data)
    return _done(request, machine, "It is in the book.")


def _done(request: PersonRequest, machine: Machine, says: str) -> HttpResponse:
    messages.success(request, says)
    return back_to(request, reverse("keeping:fitted", args=[machine.pk]))


SINCE = {"trim": "the last trim", "wheel": "the wheel was changed", "jaw": "the jaw was changed or squared"}


def since_words(counters: Counters) -> list[tuple[str, int]]:
    """How many keys since what."""
    return [(SINCE[name], keys) for name, keys in counters.since]
