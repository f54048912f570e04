"""Practice: a hidden fault for a learner, and how it was found."""

from __future__ import annotations

from django.conf import settings
from django.contrib import messages
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect

from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.fields import WORD, posted
from wryfalcon.keeping.practising.actions import begin_practice, end_practice, score_words
from wryfalcon.machines.models import Machine
from wryfalcon.presses import press


@press
@needs(Act.CUT)
def practice(request: PersonRequest, pk: int) -> HttpResponse:
    """Hide a fault in the simulated machine, or score how it was found; only in the demonstration."""
    machine = get_object_or_404(Machine, pk=pk)
    if not settings.DEMONSTRATION:
        raise Http404
    on = machine.practices.filter(ended_at=None).first()
    if on is None:
        begin_practice(request.user, machine)
        messages.success(
            request, "Something may be wrong with it now. Find it, trim it if a trim mends it, then say what it was."
        )
    else:
        messages.success(request, score_words(end_practice(on, posted(request, named=WORD)["named"])))
    return redirect("keeping:care", pk=pk)
