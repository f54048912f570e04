"""Beginning, describing, turning, switching and removing sources; labels, rounds, taps and stages."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.contrib import messages
from django.db import transaction
from django.http import HttpResponse
from django.shortcuts import get_object_or_404

from keycore.family import Track
from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.bench.models import Source, SourceKind, Tag, TumblerSeen
from wryfalcon.bench.reading.actions import (
    compare_cuts,
    labels_of_try_out,
    labels_typed,
    look_with_depth_key,
    mark_cut,
    note_swing,
    see_stage,
    spoil_round,
    state_labels,
    state_turned,
)  # fmt: skip
from wryfalcon.bench.reading.codes import find_code, read_code
from wryfalcon.bench.reading.evidence import SourceReading
from wryfalcon.bench.reading.known import state_card, state_known
from wryfalcon.bench.reading.looks import is_settled
from wryfalcon.bench.reading.source_actions import (
    SourceSettings,
    add_source,
    calipers_of,
    describe_source,
    remove_source,
    switch_source,
    turn_source,
)
from wryfalcon.bench.reading.views import (
    RefusedEntry,
    check_there,
    show_read,
    source_at,
    source_reading,
    to_source,
    track_reading,
)
from wryfalcon.bench.stage import find_tag, to_stage
from wryfalcon.codes.queries.family import series_read_by
from wryfalcon.fields import unit_typed
from wryfalcon.numbers import whole_number
from wryfalcon.presses import press
from wryfalcon.refusal import NotDone

SETTLED = "Settled, over 99 in 100: you can stop here."


@press
@needs(Act.READ_KEYS)
def add(request: PersonRequest, number: int) -> HttpResponse:
    """Begin another source."""
    tag = find_tag(number)
    track, kind = request.POST.get("track", ""), request.POST.get("kind", "")
    return to_source(tag, add_source(request.user, tag, track, kind, request.POST.get("name", "")))


@press
@needs(Act.READ_KEYS)
def describe(request: PersonRequest, number: int) -> HttpResponse:
    """Which end is counted from, how worn the key looks, and what else the kind asks."""
    tag, posted = find_tag(number), request.POST
    wanted = whole_number(posted.get("source"))
    source = _find(tag, wanted) if wanted else calipers_of(tag, posted.get("track") or tag.family.tracks[0].name)
    manner = SourceSettings(
        counted_from=posted.get("counted_from"),
        wear=posted.get("wear"),
        name=posted.get("name"),
        plug=posted.get("plug"),
        other_key=posted.get("other_key") == "1" if "other_key" in posted else None,
        odd_first=posted.get("odd_first") == "1" if "odd_first" in posted else None,
        of_lock=posted.get("of_lock"),
        aid=posted.get("aid"),
        aid_size=posted.get("aid_size"),
    )
    request.goes_back_to = source_at(tag, source, f"&cut={whole_number(posted.get('cut'))}")
    describe_source(request.user, tag, source, manner, unit_typed(request))
    return to_source(tag, source, f"&cut={whole_number(posted.get('cut'))}")


@press
@needs(Act.READ_KEYS)
def change(request: PersonRequest, number: int, source: int) -> HttpResponse:
    """Turn a source round, switch it off or on, or take it away."""
    tag = find_tag(number)
    found = _find(tag, source)
    acts: dict[str, Callable[[Any, Tag, Source], None]] = {
        "turn": turn_source, "switch": switch_source, "remove": remove_source,
    }  # fmt: skip
    act = acts.get(request.POST.get("do", ""))
    if act is not None:
        act(request.user, tag, found)
    back = request.POST.get("back")
    if back == "settle":
        return to_stage(tag, "settle", f"?track={found.track}&again=1")
    return to_stage(tag, "read", f"?track={found.track}") if found.removed else to_source(tag, found)


@press
@needs(Act.READ_KEYS)
def type_labels(request: PersonRequest, number: int, source: int) -> HttpResponse:
    """A machine's decode or stamped parts, typed or pasted as labels."""
    tag, found = _source_reading(request, number, source)
    text = request.POST.get("labels", "")
    try:
        if found.record.kind == SourceKind.TURNED:
            pairs = _all_cuts(found, text.split())
            state_turned(request.user, tag, found.record, " ".join(pairs if found.shown_space(1) == 1 else pairs[::-1]))
            return _after_a_look(request, tag, found)
        is_try_out = found.record.kind == SourceKind.TRY_OUT
        plain = [] if is_try_out else [[label] if label else [] for label in labels_typed(found.track, text)]
        labels = labels_of_try_out(found.track, text) if is_try_out else plain
        stated = {found.shown_space(n): each for n, each in enumerate(labels, start=1)}
        if found.record.kind == SourceKind.KNOWN:
            who = request.POST.get("who", "")
            if state_known(request.user, tag, found.record, stated, who):
                return to_stage(tag, "settle")
        else:
            state_labels(request.user, tag, found.record, stated)
    except NotDone as refusal:
        reading = track_reading(tag, None, source)
        return show_read(request, tag, reading, found, RefusedEntry(refusal=refusal.says, typed=text))
    return _after_a_look(request, tag, found)


@press
@needs(Act.READ_KEYS)
def card(request: PersonRequest, number: int, source: int) -> HttpResponse:
    """A card's code, laid out to every row of the key."""
    tag, found = _source_reading(request, number, source)
    posted = request.POST
    try:
        said = (posted.get("card", ""), posted.get("printed", ""), posted.get("who", ""))
        is_settled_by_it = state_card(request.user, tag, *said)
    except NotDone as refusal:  # on this page, not in an address: what was typed is nearly a key
        reading = track_reading(tag, None, source)
        return show_read(request, tag, reading, found, RefusedEntry(refusal=refusal.says))
    return to_stage(tag, "settle") if is_settled_by_it else _after_a_look(request, tag, found)


def _all_cuts(found: SourceReading, said: list[str]) -> list[str]:
    """What was said of the cuts of a lock that has fewer than the key, a dash put in for those it does not have."""
    if len(said) != len(found.in_lock) or len(said) == len(found.spaces):
        return said
    of_cut = dict(zip(found.in_lock, said, strict=True))
    return [of_cut.get(number, "-") for number in found.spaces]


@press
@needs(Act.READ_KEYS)
def look_up(request: PersonRequest, number: int, source: int) -> HttpResponse:
    """A code of this family's series, typed as it is stamped."""
    tag, found = _source_reading(request, number, source)
    text = request.POST.get("code", "")
    its = {each.pk for each in series_read_by(tag.family_record, found.track.name)} if tag.family_record else set()
    try:
        code = find_code(text, series=its)
    except NotDone as refusal:
        refused = RefusedEntry(refusal=refusal.says, typed=text)
        return show_read(request, tag, track_reading(tag, None, source), found, refused)
    read_code(request.user, tag, code, found.record)
    return _after_a_look(request, tag, found)


@press
@needs(Act.READ_KEYS)
def tap_grid(request: PersonRequest, number: int, source: int) -> HttpResponse:
    """One tap on a tool's grid: a label; a second one beside it means between the two; again takes it back."""
    tag, found = _source_reading(request, number, source)
    shown, _, label = request.POST.get("tap", "").partition(":")
    if whole_number(shown) not in found.in_lock:
        messages.error(request, f"The lock that it is read in has no cut {shown[:4]}.")
        return to_source(tag, found)
    space = found.shown_space(whole_number(shown))
    stated = _tapped(found.track, found.labels.get(space, []), label)
    state_labels(request.user, tag, found.record, {space: stated})
    return _after_a_look(request, tag, found)


def _tapped(track: Track, stated: list[str], label: str) -> list[str]:
    if label in stated:
        return [each for each in stated if each != label]
    both = [*stated, label]
    beside = len(stated) == 1 and label in track.labels and abs(track.step(stated[0]) - track.step(label)) == 1
    return sorted(both, key=track.step) if beside else [label]


@press
@needs(Act.READ_KEYS)
def look(request: PersonRequest, number: int, source: int) -> HttpResponse:
    """One depth key's round, or doing a spoiled one again."""
    tag, found = _source_reading(request, number, source)
    depth = request.POST.get("depth", "")
    if "spoiled" in request.POST:
        spoiled = request.POST["spoiled"]
        spoil_round(request.user, tag, found.record, spoiled)
        return to_source(tag, found, f"&depth={spoiled}")
    seen = {
        found.shown_space(whole_number(space)): how
        for how in (TumblerSeen.FLUSH, TumblerSeen.UNSURE)
        for space in request.POST.getlist(how)
    }
    look_with_depth_key(request.user, tag, found.record, depth, seen)
    return _after_a_look(request, tag, found)


@press
@needs(Act.READ_KEYS)
def stage(request: PersonRequest, number: int, source: int) -> HttpResponse:
    """The blank was cut one stage further: how the tumbler sits."""
    tag, found = _source_reading(request, number, source)
    cut = (found.shown_space(whole_number(request.POST.get("cut"))), request.POST.get("depth", ""))
    seen = request.POST.get("seen", "")
    see_stage(request.user, tag, found.record, cut, seen)
    return _after_a_look(request, tag, found)


@press
@needs(Act.READ_KEYS)
def mark(request: PersonRequest, number: int) -> HttpResponse:
    """What is the matter with one cut of a key that is measured."""
    tag, wanted = find_tag(number), whole_number(request.POST.get("source"))
    reading = track_reading(tag, request.POST.get("track"), wanted)
    source = source_reading(tag, reading, wanted)
    cut, said = whole_number(request.POST.get("cut")), request.POST.get("mark", "")

    request.goes_back_to = source_at(tag, source, f"&cut={cut}")
    with transaction.atomic():
        check_there(source, wanted)
        record = source.record if source.record.pk else calipers_of(tag, reading.track.name)
        mark_cut(request.user, tag, record, source.shown_space(cut), said)
    return to_source(tag, source, f"&cut={cut}")


@press
@needs(Act.READ_KEYS)
def compare(request: PersonRequest, number: int, source: int) -> HttpResponse:
    """Two cuts held against each other by eye."""
    tag, found = _source_reading(request, number, source)
    first, beside = (whole_number(request.POST.get(name)) for name in ("first", "beside"))
    pair, compared = (found.shown_space(first), found.shown_space(beside)), request.POST.get("compared", "")
    compare_cuts(request.user, tag, found.record, pair, compared)
    return _after_a_look(request, tag, found)


def _after_a_look(request: PersonRequest, tag: Tag, found: SourceReading) -> HttpResponse:
    if is_settled(track_reading(tag, found.track.name)):
        messages.success(request, SETTLED)
    return to_source(tag, found)


def _find(tag: Tag, source: int) -> Source:
    return get_object_or_404(Source, pk=source, tag=tag, removed=False)


def _source_reading(request: PersonRequest, number: int, source: int) -> tuple[Tag, SourceReading]:
    """The source that is meant; what is refused is said on its own page, whichever stands first by now."""
    tag = find_tag(number)
    _find(tag, source)
    found = source_reading(tag, track_reading(tag, None, source), source)
    request.goes_back_to = source_at(tag, found)
    return tag, found


@press
@needs(Act.READ_KEYS)
def swing(request: PersonRequest, number: int, source: int) -> HttpResponse:
    """How one disc moved at a click."""
    tag, found = _source_reading(request, number, source)
    space = found.shown_space(whole_number(request.POST.get("disc")))
    note_swing(request.user, tag, found.record, space, request.POST.get("felt", ""))
    return _after_a_look(request, tag, found)
