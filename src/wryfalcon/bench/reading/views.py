"""Read: every source in the way it is seen; lengths one after another, from the keyboard alone."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlencode

from django.http import HttpResponse, JsonResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.views.decorators.http import require_safe

from keycore.codes.card import usual_card
from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.bench.models import CutMark, OnBench, Sighting, Source, SourceKind, Tag, WearGrade
from wryfalcon.bench.reading.actions import add_values, withdraw
from wryfalcon.bench.reading.chambers import cylinder_of
from wryfalcon.bench.reading.cylinder import CylinderShown, cylinder_shown
from wryfalcon.bench.reading.evidence import SourceReading
from wryfalcon.bench.reading.forms import ValueForm
from wryfalcon.bench.reading.looks import looks_of
from wryfalcon.bench.reading.presenters import WAYS, influence_words, sentence_of
from wryfalcon.bench.reading.queries import TrackReading, readings_of
from wryfalcon.bench.reading.source_actions import calipers_of
from wryfalcon.bench.reading.taps import taps_of
from wryfalcon.bench.reading.tool_walk import ToolStep, is_walked, tool_walk
from wryfalcon.bench.reading.values import entries_posted, kept
from wryfalcon.bench.stage import find_tag, key_of, open_tag, shop_unit, show_stage, stage_at
from wryfalcon.bench.strip import strip_of
from wryfalcon.drawings.kinds import counting_of
from wryfalcon.fields import ENDS, NUMBER, WORD, posted, unit_typed
from wryfalcon.lengths import end_words, how_to_type
from wryfalcon.library.models import CardRule
from wryfalcon.numbers import whole_number
from wryfalcon.presses import press, wants_json
from wryfalcon.refusal import NotDone, SecondLook

NO_KEY = {OnBench.LOCK, OnBench.LOCK_PARTS, OnBench.PART_LOCK, OnBench.CODE}
"""What is on the bench has no key to measure: the way of reading is chosen first."""


@dataclass(frozen=True)
class Row:
    """What was typed for one cut, counted as this source is counted."""

    number: int
    values: list[Sighting]
    mean: float | None
    spread: float | None
    depth: float | None  # what the mean says of the key
    mark: str = ""  # what is the matter with the cut, in words
    counts: float | None = None  # how much it then counts, of an unmarked one


@dataclass(frozen=True)
class RefusedEntry:
    """What comes back to the page with an entry that was refused."""

    at: int = 0
    refusal: str = ""
    typed: str = ""
    suggest: str = ""
    is_second: bool = False
    card: str | None = None
    printed: str = ""


@require_safe
@needs(Act.LOOK)
def read_stage(request: PersonRequest, number: int) -> HttpResponse:
    """The entry and everything seen so far."""
    tag = open_tag(request, number)
    reading = track_reading(tag, request.GET.get("track"), whole_number(request.GET.get("source")))
    source = source_reading(tag, reading, whole_number(request.GET.get("source")))
    return show_read(request, tag, reading, source, RefusedEntry(whole_number(request.GET.get("cut"))))


@press
@needs(Act.READ_KEYS)
def type_value(request: PersonRequest, number: int) -> HttpResponse:
    """One value and Enter; an empty entry passes over the cut."""
    tag, said = find_tag(number), ValueForm.of(request)
    reading, source = source_said(tag, said)
    at, cuts = said["cut"], len(source.track.spaces)
    places = [(reading.track.name, source.shown_space(cut)) for cut in range(at, cuts + 1)] if at else []
    one_by_one = WAYS[SourceKind(source.record.kind)].one_by_one
    try:
        check_there(source, said["source"])
        entries = entries_posted(said, unit_typed(request), places, is_whole=one_by_one)
        found = add_values(request.user, tag, entries, source.record if source.record.pk else None)
    except NotDone as refusal:
        if wants_json(request):
            raise
        entry = RefusedEntry(at, refusal.says, said["typed"], refusal.suggest, isinstance(refusal, SecondLook))
        return show_read(request, tag, reading, source, entry)
    says = kept(request, entries, found)
    if wants_json(request):
        begun = calipers_of(tag, reading.track.name).pk if entries and not source.record.pk else source.record.pk
        return JsonResponse({"kept": len(entries), "says": says, "source": begun})
    return to_source(tag, source, f"&cut={_next(source, at, max(1, len(entries)))}")


@press
@needs(Act.READ_KEYS)
def withdraw_value(request: PersonRequest, number: int) -> HttpResponse:
    """Take the last look back, or the value named."""
    tag, said = find_tag(number), posted(request, track=WORD, source=NUMBER, value=NUMBER, last=NUMBER)
    _, source = source_said(tag, said)
    record = source.record if source.record.pk else None
    request.goes_back_to = source_at(tag, source)
    check_there(source, said["source"])
    gone = withdraw(request.user, tag, record, said["value"] or None, last=said["last"])
    return to_source(tag, source, f"&cut={source.shown_space(gone.space)}")


def track_reading(tag: Tag, track: str | None, source: int = 0) -> TrackReading:
    """The reading of a track, or of the track a source belongs to; the first one otherwise."""
    readings = readings_of(tag)
    for reading in readings:
        if any(each.record.pk == source for each in reading.sources) or reading.track.name == track:
            return reading
    return readings[0]


def source_reading(tag: Tag, reading: TrackReading, wanted: int) -> SourceReading:
    """The source of that number, else the first of the track, else calipers still to be begun."""
    for source in reading.sources:
        if source.record.pk == wanted or not wanted:
            return source
    begun = Source(tag=tag, track=reading.track.name, counted_from=reading.family.numbered_from.value)
    return reading.sources[0] if reading.sources else SourceReading(reading.family, reading.track, begun, ())


def source_said(tag: Tag, said: Mapping[str, Any]) -> tuple[TrackReading, SourceReading]:
    """The track and the source that a form speaks of."""
    reading = track_reading(tag, said["track"], said["source"])
    return reading, source_reading(tag, reading, said["source"])


def source_at(tag: Tag, source: SourceReading | Source, more: str = "") -> str:
    """The address of a source on the read stage."""
    record = source.record if isinstance(source, SourceReading) else source
    which = f"?source={record.pk}" if record.pk else f"?track={record.track}"
    return stage_at(tag, "read", which + more)


def to_source(tag: Tag, source: SourceReading | Source, more: str = "") -> HttpResponse:
    """Go to a source on the read stage."""
    return redirect(source_at(tag, source, more))


GONE = "That source was removed, or is not of this tag: look at the page again."


def check_there(source: SourceReading, wanted: int) -> None:
    """Raise NotDone where a page speaks of a source that is not there any more: nothing goes to another instead."""
    if wanted and source.record.pk != wanted:
        raise NotDone(GONE, "typed")


def _next(source: SourceReading, at: int, count: int = 1) -> int:
    """The cut after those just typed; after the last, the first one that was passed over, 0 where none was."""
    spaces = len(source.track.spaces)
    if at + count <= spaces:
        return at + count
    read = {source.shown_space(space) for space in source.values} | set(range(at, at + count))
    return next((cut for cut in range(1, spaces + 1) if cut not in read), 0)


def show_read(
    request: PersonRequest, tag: Tag, reading: TrackReading, source: SourceReading, entry: RefusedEntry
) -> HttpResponse:
    """The stage with one source in front."""
    spaces = len(reading.track.spaces)
    at = entry.at if 1 <= entry.at <= spaces else _first_unread(source)
    rows = _rows(source)
    choosing = "add" in request.GET or (not reading.sources and tag.on_bench in NO_KEY)
    kind = SourceKind(source.record.kind)
    looks = looks_of(reading, source, request.GET.get("depth", ""))
    is_tapped = kind == SourceKind.GRID and not choosing
    strip = strip_of(
        reading, source.shown_space(at) if kind.is_typed_value and at else None, is_tapped=is_tapped
    )  # fmt: skip
    context: dict[str, Any] = {
        "reading": reading,
        "influences": influence_words(reading),
        "source": source,
        "kind": kind,
        "choosing": choosing,
        "kinds": SourceKind.offered(tag.family),
        "at": at,
        "rows": rows,
        "current": rows[at - 1] if at else None,
        "known": ",".join(str(len(row.values)) for row in rows),
        "way": WAYS[kind],
        "panel": WAYS[kind].panel,
        "key": key_of(tag, _cut_so_far(reading, looks), track=reading.track.name),
        "strip": strip,
        "taps": taps_of(strip, looks["columns"]) if is_tapped and tag.is_open else (),
        "is_tapped": is_tapped,
        "sentence": sentence_of(reading, shop_unit(request)),
        "ends": [(end, end_words(tag.family, end)) for end, _ in ENDS],
        "counting": counting_of(tag.family, reading.track.name),
        "wear_grades": WearGrade.choices,
        **_aids(tag, source.record),
        "cut_marks": _marks_offered(source, at),
        "refusal": entry.refusal,
        "suggest": entry.suggest,
        "is_second": entry.is_second,
        "typed": entry.typed,
        "how_to_type": how_to_type(tag.family.depth, shop_unit(request), pins=kind == SourceKind.PINS),
        "complete": not reading.unread,
        "to_settle": _address_of_settling(tag, reading),
        "cylinder": _cylinder(reading, source),
        "tool_steps": _tool_steps(tag, reading, source) if is_tapped else (),
        **(_card(tag, entry) if kind == SourceKind.KNOWN else {}),
        "locks": [("", "a lock with every cut"), *((each, each) for each in tag.family.positions)],
        **looks,
    }
    return show_stage(request, tag, "read", context, status=422 if entry.refusal else 200)


def _tool_steps(tag: Tag, reading: TrackReading, source: SourceReading) -> list[ToolStep]:
    """The steps of a tool for two tracks; the other tracks are read only where there are any."""
    if not is_walked(source):
        return []
    return tool_walk(tag, [reading] if len(tag.family.tracks) == 1 else readings_of(tag), source)


def _card(tag: Tag, entry: RefusedEntry) -> dict[str, Any]:
    """How cards of the family are printed, and what was typed where it could not be so."""
    assert tag.family_record is not None
    usual = usual_card(tag.family)
    rule = CardRule.objects.filter(slug=tag.family_record.slug).first()
    printed = rule.printed if rule is not None else usual
    if printed.count("#") != usual.count("#"):
        printed = usual  # of an edition with other cuts
    rows = ", then ".join(f"{len(track.spaces)} of {track.name}" for track in tag.family.tracks)
    return {
        "card_typed": entry.card or "",
        "card_rule": entry.printed or printed,
        "card_rows": rows,
        "is_card_asked": entry.card is not None or len(tag.family.tracks) > 1,
    }


def _aids(tag: Tag, source: Source) -> dict[str, Any]:
    """What the cuts of such a key can be measured over, where calipers or a probe read them."""
    offered = tag.family.kind.aids if source.kind in (SourceKind.CALIPERS, SourceKind.PROBE) else ()
    chosen = next((each for each in offered if each.id == source.aid), None)
    return {
        "aids": [("", "on the cut itself"), *((each.id, each.words) for each in offered)] if offered else [],
        "aid_asks": chosen.asks if chosen is not None else "Its size",
        "aid_working": chosen.working if chosen is not None else "",
    }


def _cylinder(reading: TrackReading, source: SourceReading) -> CylinderShown | None:
    """What a cylinder taken apart says, chamber by chamber."""
    found = cylinder_of(reading, source)
    return cylinder_shown(reading.track, found) if found is not None else None


def _address_of_settling(tag: Tag, reading: TrackReading) -> str:
    """Where this track is settled; a tag that is settled already is settled again."""
    asked = {"track": reading.track.name} | ({"again": "1"} if tag.settlement else {})
    return f"{reverse('bench:settle', args=[tag.number])}?{urlencode(asked)}"


def _cut_so_far(reading: TrackReading, looks: Mapping[str, Any]) -> dict[str, list[float]]:
    """A blank cut down is drawn as it is now."""
    now, blank = looks.get("blank_now", []), reading.family.blank
    if blank is None or not any(now):
        return {}
    return {reading.track.name: [blank.height if value is None else value for value in now]}


MARK_KEYS = [(key, mark.value, mark.label) for key, mark in zip("ndbrs", CutMark, strict=True)]
"""One key each, pressed in the empty entry: nicked, dirty, burred, on a ramp, sound."""


def _marks_offered(source: SourceReading, at: int) -> list[tuple[str, str, str]]:
    """What a cut can be said to be; sound again only one that something was the matter with."""
    is_marked = at > 0 and source.shown_space(at) in source.marks
    return [mark for mark in MARK_KEYS if is_marked or mark[1] != CutMark.SOUND]


def _first_unread(source: SourceReading) -> int:
    read = {source.shown_space(space) for space in source.values}
    return next((cut for cut in source.spaces if cut not in read), 0)


def _rows(source: SourceReading) -> list[Row]:
    rows = []
    for number in source.spaces:
        values = list(source.values.get(source.shown_space(number), []))
        numbers = [value.value for value in values if value.value is not None]
        mean = sum(numbers) / len(numbers) if numbers else None
        spread = max(numbers) - min(numbers) if len(numbers) > 1 else None
        depths = [depth for depth in map(source.shown_depth, values) if depth is not None]
        space = source.shown_space(number)
        mark = source.marks[space].label if space in source.marks else ""
        depth = sum(depths) / len(depths) if depths else None
        rows.append(Row(number, values, mean, spread, depth, mark, source.counts_for(space)))
    return rows
