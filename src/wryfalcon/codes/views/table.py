"""Bringing a table or a formula in: it is read and checked first, and put in force from its own page."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django import forms
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
from wryfalcon.fields import Said, WordField
from wryfalcon.library.models import FamilyRecord

ABOUT = ("name", "id", "edition", "family", "track", "maker", "use", "printed", "note")
RULES = [
    ("digits", "the cuts are characters of the code"), ("counted", "the bittings the family allows, in order"),
]  # fmt: skip
RULE = ("first", "last", "rule", "places", "start", "every")


class TableForm(Said):
    """A table pasted, as a file or held from before; else a range and its rule; and what it is of."""

    file = forms.FileField(required=False, allow_empty_file=True)
    table = WordField()
    held = WordField()
    held_name = WordField()
    name, id, edition, family, track, maker, use, printed, note = (WordField() for _ in ABOUT)
    first, last, rule, places, start, every = (WordField() for _ in RULE)


@require_http_methods(["GET", "HEAD", "POST"])
@needs(Act.KEEP_LIBRARY)
def bring_in_table(request: PersonRequest) -> HttpResponse:
    """Take a table in to be read and checked."""
    error = None
    said: dict[str, Any] = dict.fromkeys(TableForm.base_fields, "")
    if request.method == "POST":
        said = TableForm.of(request)
    kept, upload = said["held"], said["file"]
    name = upload.name if upload else said["held_name"]
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
    posted = {name: said[name].strip() for name in (*ABOUT, *RULE)}
    about = SeriesDocument(
        posted["id"], posted["name"], posted["family"], posted["track"] or None, posted["note"],
        posted["maker"], posted["use"], posted["edition"], posted["printed"],
    )  # fmt: skip
    upload, pasted = said["file"], said["table"].encode()
    if upload or pasted.strip():
        return offer(by, upload.chunks() if upload else pasted, about)
    if said["held"]:
        return offer(by, held(said["held"]), about)
    if posted["first"]:
        return offer_formula(by, about, _formula(posted))
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
