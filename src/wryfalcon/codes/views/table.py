"""Bringing a table or a formula in: it is read and checked first, and put in force from its own page."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods

from keycore.codes.formula import Formula
from keycore.documents.series import SeriesDocument
from keycore.errors import InputError
from wryfalcon.accounts.models import User
from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.codes.actions.offer import held, hold, offer, offer_formula
from wryfalcon.codes.models import Series
from wryfalcon.fields import FILE, PASTED, WordField, posted
from wryfalcon.library.models import FamilyRecord

ABOUT = ("name", "id", "edition", "family", "track", "maker", "use", "printed", "note")
RULES = [
    ("digits", "the cuts are characters of the code"), ("counted", "the bittings the family allows, in order"),
]  # fmt: skip
STRIPPED = WordField(strip=True)
RULE = ("first", "last", "rule", "places", "start", "every")


@require_http_methods(["GET", "HEAD", "POST"])
@needs(Act.KEEP_LIBRARY)
def bring_in_table(request: PersonRequest) -> HttpResponse:
    """Take a table in to be read and checked."""
    words = dict.fromkeys((*ABOUT, *RULE, "held", "held_name"), STRIPPED)
    error, said = None, posted(request, file=FILE, table=PASTED, **words)
    kept, upload = said["held"], said["file"]
    name = upload.name if upload else said["held_name"][:120]
    if request.method == "POST":
        try:
            return redirect("codes:one", pk=_offer(request.user, said).pk)
        except InputError as wrong:
            error = wrong
        if upload:
            upload.seek(0)
            kept = hold(upload.chunks())
        elif error.field == "file":
            kept = ""
    context: dict[str, Any] = {
        "pasted": said["table"], "error": error,
        "about": {name: said[name] for name in (*ABOUT, *RULE)},
        "held": kept, "held_name": name, "rules": RULES,
        "families": FamilyRecord.objects.in_force().values_list("slug", "name"),
    }  # fmt: skip
    return render(request, "codes/bring_in.html", context, status=422 if error else 200)


def _offer(by: User, said: Mapping[str, Any]) -> Series:
    about = SeriesDocument(
        said["id"], said["name"], said["family"], said["track"] or None, said["note"],
        said["maker"], said["use"], said["edition"], said["printed"],
    )  # fmt: skip
    upload, pasted = said["file"], said["table"].encode()
    if upload or pasted.strip():
        return offer(by, upload.chunks() if upload else pasted, about)
    if said["held"]:
        return offer(by, held(said["held"]), about)
    if said["first"]:
        return offer_formula(by, about, _formula(said))
    raise InputError("file", "choose a file, paste a table, or give a range and its rule")


def _formula(said: Mapping[str, Any]) -> Formula:
    return Formula(
        said["first"],
        said["last"],
        "digits" if said["rule"] == "digits" else "counted",
        tuple(_whole(place, "places") for place in said["places"].replace(",", " ").split()),
        _whole(said["start"] or "1", "start"),
        _whole(said["every"] or "1", "every"),
    )


def _whole(text: str, field: str) -> int:
    if not (text.isascii() and text.isdecimal() and 0 < len(text) < 8):
        raise InputError(field, f"{text[:12]!r} is no whole number")
    return int(text)
