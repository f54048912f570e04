"""The trial sheet: the next key to cut on which blank, what it did, and the list that is left."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any
from urllib.parse import urlencode

from django import forms
from django.conf import settings
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_safe

from keycore.codes.half_steps import half_step_value
from keycore.codes.trials import Places
from keycore.family import Family, Track
from keycore.proving.lock import play_of
from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.bench.models import ALL_TRACKS, Outcome, SheetEntry, Tag, TrialSheet
from wryfalcon.bench.reading.queries import TrackReading, readings_of, track_of
from wryfalcon.bench.stage import allowed_on, find_tag, key_of, open_tag, to_stage
from wryfalcon.bench.trying.actions import (
    SheetSettings,
    note_cut,
    note_out,
    note_try,
    send_try,
    take_last_back,
    work_through,
)
from wryfalcon.bench.trying.presenters import can_send, sheet_problem, spelled, try_out
from wryfalcon.bench.trying.queries import (
    FIRST_SHOWN,
    MOST_SHOWN,
    SheetLeft,
    entries_of,
    left_of_all,
    left_to_try,
    out_of,
    sheet_of,
)
from wryfalcon.codes.models import Series
from wryfalcon.codes.queries.family import series_read_by
from wryfalcon.fields import NUMBER, PRESSED, WORD, posted
from wryfalcon.lengths import end_words
from wryfalcon.presses import press


@require_safe
@needs(Act.LOOK)
def show(request: PersonRequest, number: int) -> HttpResponse:
    """What is still possible where some cuts are not known, and the key to try next."""
    tag = open_tag(request, number)
    looked = _sheet(tag, request.GET.get("track"))
    reading, sheet, entries, left = looked.reading, looked.sheet, looked.entries, looked.left
    values = {}
    if left.next is not None:
        values = {
            name: _values(tag.family, tag.family.track(name), part)
            for name, part in sheet.parts(left.next.places).items()
        }
    out = out_of(sheet)
    if out is not None:
        values = out.to_cut.values if out.to_cut is not None else values
    record = tag.family_record
    series = series_read_by(record, reading.track.name) if reading is not None and record is not None else []
    counted_from = reading.end_words if reading else end_words(tag.family, tag.family.numbered_from.value)
    context: dict[str, Any] = {
        "tag": tag, "family": tag.family, "allowed": allowed_on(request.user, tag),
        "reading": reading, "sheet": sheet, "left": left, "out": try_out(tag, out) if out is not None else None,
        "track": sheet.track, "counted_from": counted_from,
        "to_settle": _to_settle(tag, sheet),
        "can_send": can_send(tag, sheet),
        "shown": left.trials[: MOST_SHOWN if "all" in request.GET else FIRST_SHOWN],
        "noted": [(entry, _noted(tag, reading, entry)) for entry in reversed(entries)],
        "problem": sheet_problem(left), "has_turned": bool(entries) and entries[-1].outcome == Outcome.TURNS,
        "many_tracks": len(tag.family.tracks) > 1, "series": [(each.pk, each.name) for each in series],
        "tracks": [(track.name, f"{tag.family.kind.track_word} {track.name}") for track in tag.family.tracks],
        "key": key_of(tag, values, track=reading.track.name if reading else None) if values else None,
        "try_minutes": settings.TRY_MINUTES, "hour_price": settings.HOUR_PRICE, "blank_price": settings.BLANK_PRICE,
        "spaces": range(1, len(reading.track.spaces) + 1) if reading else (),
    }  # fmt: skip
    return render(request, "bench/trying/trial_sheet.html", context)


@press
@needs(Act.SETTLE)
def manner(request: PersonRequest, number: int) -> HttpResponse:
    """Choose how the sheet is worked through."""
    tag = find_tag(number)
    series = forms.ModelChoiceField(Series.objects.in_force(), required=False)
    said = posted(request, track=WORD, order=WORD, half_steps=PRESSED, series=series)
    looked = _sheet(tag, said["track"])
    chosen = SheetSettings(said["order"], said["half_steps"], said["series"])
    work_through(request.user, tag, looked.sheet.track, chosen)
    return _back(looked.sheet)


@press
@needs(Act.SETTLE)
def tried(request: PersonRequest, number: int) -> HttpResponse:
    """Note what a key did in the lock."""
    tag, said = find_tag(number), posted(request, track=WORD, key=WORD, outcome=WORD)
    looked = _sheet(tag, said["track"])
    note_try(request.user, looked.sheet, looked.left, said["key"], said["outcome"])
    return _back(looked.sheet)


@press
@needs(Act.CUT)
def send(request: PersonRequest, number: int) -> HttpResponse:
    """A key of the list is to be cut by a machine."""
    tag, said = find_tag(number), posted(request, track=WORD, key=WORD, outcome=WORD)
    looked = _sheet(tag, said["track"])
    send_try(request.user, looked.sheet, looked.left, said["key"])
    return to_stage(tag, "set-up")


@press
@needs(Act.SETTLE)
def tried_out(request: PersonRequest, number: int) -> HttpResponse:
    """Note what the key that a machine cut did in the lock."""
    tag, said = find_tag(number), posted(request, track=WORD, key=WORD, outcome=WORD)
    sheet = _sheet(tag, said["track"]).sheet
    note_out(request.user, sheet, said["outcome"])
    return _back(sheet)


@press
@needs(Act.SETTLE)
def learned(request: PersonRequest, number: int) -> HttpResponse:
    """Note that a cut is or is not a depth."""
    tag, said = find_tag(number), posted(request, track=WORD, space=NUMBER, label=WORD, **{"is": WORD})
    looked = _sheet(tag, said["track"])
    reading, sheet, shown = looked.reading, looked.sheet, said["space"]
    space = reading.shown_space(shown) if reading and 1 <= shown <= len(reading.track.spaces) else 0
    note_cut(request.user, sheet, space, said["label"], is_so=said["is"] == "is")
    return _back(sheet)


@press
@needs(Act.SETTLE)
def take_back(request: PersonRequest, number: int) -> HttpResponse:
    """Take the last line back."""
    tag, said = find_tag(number), posted(request, track=WORD, line=NUMBER)
    sheet = _sheet(tag, said["track"]).sheet
    take_last_back(request.user, sheet, said["line"])
    return _back(sheet)


@dataclass(frozen=True)
class Looked:
    """A sheet as it stands: the reading of its track, None for all tracks together, what was noted, what is left."""

    reading: TrackReading | None
    sheet: TrialSheet
    entries: list[SheetEntry]
    readings: list[TrackReading]

    @cached_property
    def left(self) -> SheetLeft:
        """The keys that are left to try."""
        if self.reading is None:
            return left_of_all(self.readings, self.sheet, self.entries)
        return left_to_try(self.reading, self.sheet, self.entries)


def _sheet(tag: Tag, track: str | None) -> Looked:
    """The sheet of a track, the first one's where none is named; of all together where several are asked for."""
    readings = readings_of(tag)
    is_all = track == ALL_TRACKS and len(readings) > 1
    reading = None if is_all else track_of(readings, track)
    sheet = sheet_of(tag, ALL_TRACKS if reading is None else reading.track.name)
    return Looked(reading, sheet, entries_of(sheet), readings)


def _to_settle(tag: Tag, sheet: TrialSheet) -> str:
    """Where what a sheet leaves is settled."""
    asked = {"again": "1"} | ({} if sheet.is_of_all_tracks else {"track": sheet.track})
    return f"{reverse('bench:settle', args=[tag.number])}?{urlencode(asked)}"


def _back(sheet: TrialSheet) -> HttpResponse:
    return redirect(f"{reverse('bench:tries', args=[sheet.tag.number])}?{urlencode({'track': sheet.track})}")


def _values(family: Family, track: Track, places: Places) -> list[float]:
    """The depth values of a key to try, half steps among them."""
    values = []
    for place in places:
        half = half_step_value(track, play_of(family), place // 2) if place % 2 else None
        values.append(track.values[place // 2] if half is None else half)
    return values


def _noted(tag: Tag, reading: TrackReading | None, entry: SheetEntry) -> str:
    """A line of the sheet in words."""
    if entry.space is not None and reading is not None:
        return f"Cut {reading.shown_space(entry.space)} {entry.get_outcome_display()} a {entry.label}"
    return f"Blank {entry.blank} as {spelled(tag, entry)}: {entry.get_outcome_display()}"
