"""Your hand and calipers: a ten-minute study."""

from __future__ import annotations

from collections import defaultdict

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods

from keycore.units import Unit
from wryfalcon.accounts.permissions import Act, PersonRequest, needs_to_change
from wryfalcon.fields import PASTED, WORD, posted, unit_typed
from wryfalcon.lengths import NotALength, parse_length, say_mm
from wryfalcon.machines.care.actions import keep_study
from wryfalcon.machines.hands.queries import caliper_sd_mm
from wryfalcon.machines.models import HandStudy
from wryfalcon.refusal import NotDone

MOST_LINES = 400


@require_http_methods(["GET", "HEAD", "POST"])
@needs_to_change(Act.PROVE)
def hands(request: PersonRequest) -> HttpResponse:
    """The studies so far, and a new one: one line for each reading."""
    problem, said = "", {"readings": "", "instrument": ""}
    if request.method == "POST":
        said = posted(request, instrument=WORD, readings=PASTED)
        try:
            people, readings = _parsed(said["readings"], unit_typed(request))
            study = keep_study(request.user, said["instrument"], people, readings)
            messages.success(request, f"Kept: one reading is good to {say_mm(study.whole, 4)} from now on.")
            return redirect("machines:hands")
        except NotDone as refusal:
            problem = refusal.says
    context = {
        "studies": HandStudy.objects.select_related("by")[:12], "typed": said["readings"], "problem": problem,
        "instrument": said["instrument"], "sd": caliper_sd_mm(),
    }  # fmt: skip
    return render(request, "machines/hands.html", context, status=422 if problem else 200)


def _parsed(typed: str, shop: Unit) -> tuple[list[str], list[list[list[float]]]]:
    """Lines of a person and what they read of each cut, once through: ``Tam 0.301 0.286 0.322``; mm."""
    rounds: defaultdict[str, list[list[float]]] = defaultdict(list)
    lines = [line.split() for line in typed.splitlines() if line.strip()]
    if len(lines) > MOST_LINES:
        raise NotDone(f"At most {MOST_LINES} lines.")
    for number, (name, *values) in enumerate(lines, start=1):
        if not values:
            raise NotDone(f"Line {number}: no reading after {name}.")
        try:
            rounds[name].append([parse_length(value, shop, Unit.MILLIMETRE).value for value in values])
        except NotALength as error:
            raise NotDone(f"Line {number}: {error}") from None
    people = list(rounds)
    for name in people:
        if len({len(row) for row in rounds[name]}) > 1:
            raise NotDone(f"{name}: the lines are not of the same cuts.")
    return people, [[list(cut) for cut in zip(*rounds[name], strict=True)] for name in people]
