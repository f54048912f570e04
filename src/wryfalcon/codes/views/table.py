"""Bringing a table or a formula in: it is read and checked first, and put in force from its own page."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods

from keycore.codes.formula import Formula
from keycore.documents.series import SeriesDocument
from keycore.errors import InputError
from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.codes.actions.offer import held, hold, offer, offer_formula
from wryfalcon.codes.models import Series
from wryfalcon.library.models import FamilyRecord

ABOUT = ("name", "id", "edition", "family", "track", "maker", "use", "printed", "note")
RULES = [
    ("digits", "the cuts are characters of the code"), ("counted", "the bittings the family allows, in order"),
]  # fmt: skip
RULE = ("first", "last", "rule", "places", "start", "every")


@require_http_methods(["GET", "HEAD", "POST"])
@needs(Act.KEEP_LIBRARY)
def bring_in_table(request: PersonRequest) -> HttpResponse:
    """Take a table in to be read and checked."""
    error, kept, upload = None, request.POST.get("held", ""), request.FILES.get("file")
    name = upload.name if upload else request.POST.get("held_name", "")[:120]
    if request.method == "POST":
        try:
            return redirect("codes:one", pk=_offer(request).pk)
        except InputError as wrong:
            error = wrong
        if upload:
            upload.seek(0)
            kept = hold(upload.chunks())
        elif error.field == "file":
            kept = ""
    context: dict[str, Any] = {
        "pasted": request.POST.get("table", ""), "error": error,
        "about": {name: request.POST.get(name, "") for name in (*ABOUT, *RULE)},
        "held": kept, "held_name": name, "rules": RULES,
        "families": FamilyRecord.objects.in_force().values_list("slug", "name"),
    }  # fmt: skip
    return render(request, "codes/bring_in.html", context, status=422 if error else 200)


def _offer(request: PersonRequest) -> Series:
    posted = {name: request.POST.get(name, "").strip() for name in (*ABOUT, *RULE)}
    about = SeriesDocument(
        posted["id"], posted["name"], posted["family"], posted["track"] or None, posted["note"],
        posted["maker"], posted["use"], posted["edition"], posted["printed"],
    )  # fmt: skip
    upload, pasted = request.FILES.get("file"), request.POST.get("table", "").encode()
    if upload or pasted.strip():
        return offer(request.user, upload.chunks() if upload else pasted, about)
    if request.POST.get("held"):
        return offer(request.user, held(request.POST["held"]), about)
    if posted["first"]:
        return offer_formula(request.user, about, _formula(posted))
    raise InputError("file", "choose a file, paste a table, or give a range and its rule")


def _formula(posted: dict[str, str]) -> Formula:
    return Formula(
        posted["first"],
        posted["last"],
        "digits" if posted["rule"] == "digits" else "counted",
        tuple(_whole(place, "places") for place in posted["places"].replace(",", " ").split()),
        _whole(posted["start"] or "1", "start"),
        _whole(posted["every"] or "1", "every"),
    )


def _whole(text: str, field: str) -> int:
    if not (text.isascii() and text.isdecimal() and 0 < len(text) < 8):
        raise InputError(field, f"{text[:12]!r} is no whole number")
    return int(text)
