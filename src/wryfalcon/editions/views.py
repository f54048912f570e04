"""Editions in one place: what waits, what it changes and touches; a folder brought in; putting in force."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_safe

from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.codes.models import Series, SeriesState
from wryfalcon.editions.actions import bring_in_folder, put_all_in_force
from wryfalcon.editions.presenters import edition_shown
from wryfalcon.editions.queries import (
    beside_force,
    can_come_in,
    editions_of,
    touched_by,
    waiting_families,
    waiting_series,
)
from wryfalcon.fields import LIST, NUMBER, WORD, posted
from wryfalcon.library.actions.editions import put_in_force, throw_away
from wryfalcon.library.models import EditionState, FamilyRecord
from wryfalcon.numbers import whole_number
from wryfalcon.presses import press

FEW, MANY = 6, 300


@require_safe
@needs(Act.READ_KEYS)
def overview(request: PersonRequest) -> HttpResponse:
    """What waits to be put in force, and every edition there is."""
    families, series = waiting_families(), waiting_series()
    records = [each.record for each in families]
    ready = [each for each in series if can_come_in(each, records)]
    context = {
        "families": [edition_shown(each, FEW) for each in families],
        "series": [(each, each in ready, touched_by(each)) for each in series],
        "ready": ready, "count": len(families) + len(ready),
        "replaced": _replaced(), "replaced_series": _replaced_series(),
    }  # fmt: skip
    return render(request, "editions/overview.html", context)


def _replaced() -> list[FamilyRecord]:
    return list(FamilyRecord.objects.filter(state=EditionState.REPLACED).order_by("name", "-created_at"))


def _replaced_series() -> list[Series]:
    return list(Series.objects.filter(state=SeriesState.REPLACED).select_related("family_record"))


@require_safe
@needs(Act.READ_KEYS)
def one(request: PersonRequest, pk: int) -> HttpResponse:
    """One edition of a family beside the one in force, with every key it touches."""
    record = get_object_or_404(FamilyRecord, pk=pk)
    context = {"shown": edition_shown(beside_force(record), MANY), "editions": editions_of(record.slug)}
    return render(request, "editions/one.html", context)


@press
@needs(Act.KEEP_LIBRARY)
def force(request: PersonRequest, pk: int) -> HttpResponse:
    """Put one edition of a family in force, as it was looked at."""
    record = get_object_or_404(FamilyRecord, pk=pk)
    said = posted(request, against=NUMBER, seen=WORD)
    before = put_in_force(request.user, record, said["against"], said["seen"])
    messages.success(request, f"{record.named} is in force, in the place of {before.edition or 'the one before'}.")
    return redirect("editions:overview")


@press
@needs(Act.KEEP_LIBRARY)
def force_all(request: PersonRequest) -> HttpResponse:
    """Put everything in force together that was on the page."""
    said = posted(request, family=LIST, series=LIST)
    sent = [[*each.split(":"), "", ""][:3] for each in said["family"]]
    families = [(whole_number(key), whole_number(against), seen) for key, against, seen in sent]
    count = put_all_in_force(request.user, families, [whole_number(key) for key in said["series"]])
    messages.success(request, f"{count} editions are in force.")
    return redirect("editions:overview")


@press
@needs(Act.KEEP_LIBRARY)
def discard(request: PersonRequest, pk: int) -> HttpResponse:
    """Throw an edition of a family away that waits."""
    record = get_object_or_404(FamilyRecord, pk=pk)
    throw_away(request.user, record)
    messages.success(request, f"{record.named} was thrown away. Nothing else has changed.")
    return redirect("editions:overview")


@press
@needs(Act.KEEP_LIBRARY)
def bring_in(request: PersonRequest) -> HttpResponse:
    """Bring a folder of documents in; what became of each file is said."""
    uploads = request.FILES.getlist("files")
    files = [(each.name or "", each.file, each.size or 0) for each in uploads if each.file is not None]
    if not files:
        messages.error(request, "Choose a folder, or the documents of an update.")
        return redirect("editions:overview")
    brought = bring_in_folder(request.user, files)
    context = {"brought": brought, "refused": sum(each.is_refused for each in brought)}
    return render(request, "editions/brought.html", context)
