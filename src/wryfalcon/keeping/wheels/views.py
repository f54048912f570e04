"""A cutting wheel: what it has done, what it is like, and when to change it."""

from __future__ import annotations

from django.db.models import QuerySet
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods

from keycore.machines.wheel import TestCut, WheelVerdict
from keycore.units import Unit
from wryfalcon.accounts.permissions import Act, PersonRequest, needs_to_change
from wryfalcon.drawings.wheel import draw_wheel
from wryfalcon.fields import PASTED, posted, unit_typed
from wryfalcon.keeping.wheels.actions import look_at_wheel
from wryfalcon.keeping.wheels.queries import wheel_of
from wryfalcon.lengths import parse_length, split_lengths
from wryfalcon.machines.models import Cutter, CutterLook
from wryfalcon.refusal import NotDone
from wryfalcon.requests import or_404

MOST_CUTS = 12


@require_http_methods(["GET", "HEAD", "POST"])
@needs_to_change(Act.CUT)
def wheel(request: PersonRequest, pk: int) -> HttpResponse:
    """The wheel's page; posting keeps the test cuts that were measured."""
    cutter = or_404(_cutters(pk).first())
    problem, typed = "", ""
    if request.method == "POST":
        typed = posted(request, cuts=PASTED)["cuts"]
        try:
            look_at_wheel(request.user, cutter, _cuts(typed, unit_typed(request)))
            return redirect("keeping:wheel", pk=pk)
        except NotDone as refusal:
            problem = refusal.says
    found = wheel_of(cutter)
    context = {
        "wheel": found, "says": verdict_words(found.verdict), "cutter": cutter, "typed": typed, "problem": problem,
        "looks": _looks(cutter),
        "drawing": draw_wheel(cutter.flat, cutter.angle, (found.look.flat, found.look.angle) if found.look else None),
    }  # fmt: skip
    return render(request, "keeping/wheels/wheel.html", context, status=422 if problem else 200)


def _cutters(pk: int) -> QuerySet[Cutter]:
    return Cutter.objects.filter(pk=pk)


def _looks(cutter: Cutter) -> list[CutterLook]:
    return list(cutter.looks.select_related("by")[:6])


def _cuts(typed: str, shop: Unit) -> list[TestCut]:
    lines = [split_lengths(line) for line in typed.splitlines() if line.strip()]
    if len(lines) > MOST_CUTS:
        raise NotDone(f"At most {MOST_CUTS} test cuts.")
    cuts = []
    for number, line in enumerate(lines, start=1):
        if len(line) != 2:
            raise NotDone(f"Line {number}: two lengths are wanted, how deep and how wide.")
        depth, width = (parse_length(each, shop, Unit.MILLIMETRE).value for each in line)
        cuts.append(TestCut(depth, width))
    return cuts


def verdict_words(verdict: WheelVerdict) -> str:
    """What to do with a wheel."""
    reasons = "; ".join(verdict.reasons)
    return {
        "keep": "Keep it: nothing speaks against it.",
        "look": f"Look at it: {reasons}. Measure it by a test cut.",
        "change": f"Change it: {reasons}.",
    }[verdict.advice]
