"""Read: caliper values, one after another, from the keyboard alone."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.contrib import messages
from django.http import HttpResponse
from django.views.decorators.http import require_GET, require_POST

from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.bench.actions.read import Typed, add_value, describe_reading, withdraw
from wryfalcon.bench.models import CaliperValue, Tag, WearGrade
from wryfalcon.bench.queries.reading import TrackReading, readings_of
from wryfalcon.bench.refusal import NotDone
from wryfalcon.bench.sentences import sentence_of
from wryfalcon.bench.views.stage import attempt, find_tag, key_of, shop_unit, show_stage, to_stage, whole_number
from wryfalcon.drawings.strip import StripState, draw_strip


@dataclass(frozen=True)
class Row:
    """What was typed for one cut, counted as this reading is counted."""

    number: int
    values: list[CaliperValue]
    mean: float | None
    spread: float | None


@require_GET
@needs(Act.LOOK)
def read_stage(request: PersonRequest, number: int) -> HttpResponse:
    """The entry and everything typed so far."""
    tag = find_tag(number)
    at = whole_number(request.GET.get("cut"))
    return _show(request, tag, request.GET.get("track"), at)


@require_POST
@needs(Act.READ_KEYS)
def type_value(request: PersonRequest, number: int) -> HttpResponse:
    """One value and Enter; an empty entry passes over the cut."""
    tag = find_tag(number)
    reading = _reading(tag, request.POST.get("track"))
    at = whole_number(request.POST.get("cut"))
    text = request.POST.get("typed", "")
    if text.strip():
        typed = Typed(reading.track.name, reading.shown_space(at), text, shop_unit(request))
        try:
            entry = add_value(request.user, tag, typed)
        except NotDone as refusal:
            return _show(request, tag, reading.track.name, at, refusal=refusal.says, typed=text)
        if entry.read_as:
            messages.info(request, f"“{text.strip()}” read as {entry.read_as}.")
    return to_stage(tag, "read", f"?track={reading.track.name}&cut={_next(reading, at)}")


@require_POST
@needs(Act.READ_KEYS)
def withdraw_value(request: PersonRequest, number: int) -> HttpResponse:
    """Take the last value back, or the one named."""
    tag = find_tag(number)
    reading = _reading(tag, request.POST.get("track"))
    value = whole_number(request.POST.get("value")) or None
    gone: list[CaliperValue] = []
    attempt(request, lambda: gone.append(withdraw(request.user, tag, reading.track.name, value)))
    at = reading.shown_space(gone[0].space) if gone else 1
    return to_stage(tag, "read", f"?track={reading.track.name}&cut={at}")


@require_POST
@needs(Act.READ_KEYS)
def describe(request: PersonRequest, number: int) -> HttpResponse:
    """Which end is counted from, and how worn the key looks."""
    tag = find_tag(number)
    reading = _reading(tag, request.POST.get("track"))
    counted_from, wear = request.POST.get("counted_from", ""), request.POST.get("wear", "")
    attempt(request, lambda: describe_reading(request.user, tag, reading.track.name, counted_from, wear))
    return to_stage(tag, "read", f"?track={reading.track.name}&cut={whole_number(request.POST.get('cut'))}")


def _reading(tag: Tag, track: str | None) -> TrackReading:
    readings = readings_of(tag)
    return next((reading for reading in readings if reading.track.name == track), readings[0])


def _next(reading: TrackReading, at: int) -> int:
    """The next cut; after the last, the first one that was passed over, else the last again."""
    spaces = len(reading.track.spaces)
    if at < spaces:
        return at + 1
    read = {reading.shown_space(space) for space in reading.values} | {at}
    return next((cut for cut in range(1, spaces + 1) if cut not in read), spaces)


def _show(
    request: PersonRequest, tag: Tag, track: str | None, at: int, *, refusal: str = "", typed: str = ""
) -> HttpResponse:
    reading = _reading(tag, track)
    spaces = len(reading.track.spaces)
    at = at if 1 <= at <= spaces else _next(reading, 0) if not reading.values else min(_first_unread(reading), spaces)
    state = StripState(
        measured=reading.measured,
        posterior=reading.posterior,
        settled=reading.steps,
        overruled={space: o.reason for space, o in reading.overruled.items()},
        current=reading.shown_space(at),
    )
    context: dict[str, Any] = {
        "reading": reading,
        "at": at,
        "rows": _rows(reading),
        "key": key_of(tag, {}, track=reading.track.name),
        "strip": draw_strip(tag.family, reading.track, state),
        "sentence": sentence_of(reading, shop_unit(request)),
        "wear_grades": WearGrade.choices,
        "refusal": refusal,
        "typed": typed,
        "complete": len([row for row in _rows(reading) if row.values]) == spaces,
    }
    return show_stage(request, tag, "read", context, status=422 if refusal else 200)


def _first_unread(reading: TrackReading) -> int:
    spaces = len(reading.track.spaces)
    read = {reading.shown_space(space) for space in reading.values}
    return next((cut for cut in range(1, spaces + 1) if cut not in read), spaces)


def _rows(reading: TrackReading) -> list[Row]:
    rows = []
    for number in range(1, len(reading.track.spaces) + 1):
        values = list(reading.values.get(reading.shown_space(number), []))
        numbers = [value.value for value in values]
        mean = sum(numbers) / len(numbers) if numbers else None
        spread = max(numbers) - min(numbers) if len(numbers) > 1 else None
        rows.append(Row(number, values, mean, spread))
    return rows
