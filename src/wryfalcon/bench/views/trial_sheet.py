"""The trial sheet: the next key to cut on which blank, what it did, and the list that is left."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from keycore.codes.half_steps import half_step_value
from keycore.codes.trials import Places
from keycore.family import Family, Track
from keycore.proving.lock import play_of
from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.bench.actions.trial_sheet import (
    SheetSettings,
    note_cut,
    note_out,
    note_try,
    send_try,
    take_last_back,
    work_through,
)
from wryfalcon.bench.models import Outcome, SheetEntry, Tag, TrialSheet
from wryfalcon.bench.queries.reading import TrackReading, readings_of, track_of
from wryfalcon.bench.queries.trial_sheet import (
    FIRST_SHOWN,
    MOST_SHOWN,
    cut_words,
    entries_of,
    left_to_try,
    out_of,
    sheet_of,
)
from wryfalcon.bench.sentences import sheet_problem
from wryfalcon.bench.shown.tries import can_send, try_out
from wryfalcon.bench.views.stage import allowed_on, attempt, find_tag, key_of, open_tag, to_stage, whole_number
from wryfalcon.codes.models import Series
from wryfalcon.codes.queries.family import series_read_by


@require_GET
@needs(Act.LOOK)
def show(request: PersonRequest, number: int) -> HttpResponse:
    """What is still possible where some cuts are not known, and the key to try next."""
    tag = open_tag(request, number)
    reading, sheet = _sheet(tag, request.GET.get("track"))
    entries = entries_of(sheet)
    left = left_to_try(reading, sheet, entries)
    values = {}
    if left.next is not None:
        values = {reading.track.name: _values(reading.family, reading.track, left.next.places)}
    out = out_of(sheet)
    if out is not None:
        values = out.to_cut.values if out.to_cut is not None else values
    series = series_read_by(tag.family_record, reading.track.name) if tag.family_record is not None else []
    context: dict[str, Any] = {
        "tag": tag, "family": tag.family, "allowed": allowed_on(request.user, tag),
        "reading": reading, "sheet": sheet, "left": left, "out": try_out(tag, out) if out is not None else None,
        "can_send": can_send(tag),
        "shown": left.trials[: MOST_SHOWN if "all" in request.GET else FIRST_SHOWN],
        "noted": [(entry, _noted(reading, entry)) for entry in reversed(entries)],
        "problem": sheet_problem(left), "has_turned": bool(entries) and entries[-1].outcome == Outcome.TURNS,
        "many_tracks": len(tag.family.tracks) > 1, "series": [(each.pk, each.name) for each in series],
        "key": key_of(tag, values, track=reading.track.name) if values else None,
        "try_minutes": settings.TRY_MINUTES, "hour_price": settings.HOUR_PRICE, "blank_price": settings.BLANK_PRICE,
        "spaces": range(1, len(reading.track.spaces) + 1),
    }  # fmt: skip
    return render(request, "bench/trial_sheet.html", context)


@require_POST
@needs(Act.SETTLE)
def manner(request: PersonRequest, number: int) -> HttpResponse:
    """Choose how the sheet is worked through."""
    tag = find_tag(number)
    reading, _ = _sheet(tag, request.POST.get("track"))
    series = Series.objects.in_force().filter(pk=whole_number(request.POST.get("series"))).first()
    chosen = SheetSettings(request.POST.get("order", ""), "half_steps" in request.POST, series)
    attempt(request, lambda: work_through(request.user, tag, reading.track.name, chosen))
    return _back(tag, reading)


@require_POST
@needs(Act.SETTLE)
def tried(request: PersonRequest, number: int) -> HttpResponse:
    """Note what a key did in the lock."""
    tag = find_tag(number)
    reading, sheet = _sheet(tag, request.POST.get("track"))
    left = left_to_try(reading, sheet, entries_of(sheet))
    outcome, key = request.POST.get("outcome", ""), request.POST.get("key", "")
    attempt(request, lambda: note_try(request.user, sheet, left, key, outcome))
    return _back(tag, reading)


@require_POST
@needs(Act.CUT)
def send(request: PersonRequest, number: int) -> HttpResponse:
    """A key of the list is to be cut by a machine."""
    tag = find_tag(number)
    reading, sheet = _sheet(tag, request.POST.get("track"))
    left = left_to_try(reading, sheet, entries_of(sheet))
    sent = attempt(request, lambda: send_try(request.user, sheet, left, request.POST.get("key", "")))
    return to_stage(tag, "set-up") if sent else _back(tag, reading)


@require_POST
@needs(Act.SETTLE)
def tried_out(request: PersonRequest, number: int) -> HttpResponse:
    """Note what the key that a machine cut did in the lock."""
    tag = find_tag(number)
    reading, sheet = _sheet(tag, request.POST.get("track"))
    attempt(request, lambda: note_out(request.user, sheet, request.POST.get("outcome", "")))
    return _back(tag, reading)


@require_POST
@needs(Act.SETTLE)
def learned(request: PersonRequest, number: int) -> HttpResponse:
    """Note that a cut is or is not a depth."""
    tag = find_tag(number)
    reading, sheet = _sheet(tag, request.POST.get("track"))
    shown = whole_number(request.POST.get("space"))
    space = reading.shown_space(shown) if 1 <= shown <= len(reading.track.spaces) else 0
    label, is_so = request.POST.get("label", ""), request.POST.get("is") == "is"
    attempt(request, lambda: note_cut(request.user, sheet, space, label, is_so=is_so))
    return _back(tag, reading)


@require_POST
@needs(Act.SETTLE)
def take_back(request: PersonRequest, number: int) -> HttpResponse:
    """Take the last line back."""
    tag = find_tag(number)
    reading, sheet = _sheet(tag, request.POST.get("track"))
    attempt(request, lambda: take_last_back(request.user, sheet))
    return _back(tag, reading)


def _sheet(tag: Tag, track: str | None) -> tuple[TrackReading, TrialSheet]:
    reading = track_of(readings_of(tag), track)
    return reading, sheet_of(tag, reading.track.name)


def _back(tag: Tag, reading: TrackReading) -> HttpResponse:
    return redirect(f"{reverse('bench:tries', args=[tag.number])}?track={reading.track.name}")


def _values(family: Family, track: Track, places: Places) -> list[float]:
    """The depth values of a key to try, half steps among them."""
    values = []
    for place in places:
        half = half_step_value(track, play_of(family), place // 2) if place % 2 else None
        values.append(track.values[place // 2] if half is None else half)
    return values


def _noted(reading: TrackReading, entry: SheetEntry) -> str:
    """A line of the sheet in words."""
    if entry.space is not None:
        return f"Cut {reading.shown_space(entry.space)} {entry.get_outcome_display()} a {entry.label}"
    key = " ".join(cut_words(reading.track, place) for place in entry.places)
    return f"Blank {entry.blank} as {key}: {entry.get_outcome_display()}"
