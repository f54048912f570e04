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
from wryfalcon.bench.reading.forms import DescribeForm
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
    source_said,
    to_source,
    track_reading,
)
from wryfalcon.bench.stage import find_tag, to_stage
from wryfalcon.codes.queries.family import series_read_by
from wryfalcon.fields import LIST, NUMBER, PASTED, WORD, posted, unit_typed
from wryfalcon.numbers import whole_number
from wryfalcon.presses import press
from wryfalcon.refusal import NotDone

SETTLED = "Settled, over 99 in 100: you can stop here."


@press
@needs(Act.READ_KEYS)
def add(request: PersonRequest, number: int) -> HttpResponse:
    """Begin another source."""
    tag, said = find_tag(number), posted(request, track=WORD, kind=WORD, name=WORD)
    return to_source(tag, add_source(request.user, tag, said["track"], said["kind"], said["name"]))


@press
@needs(Act.READ_KEYS)
def describe(request: PersonRequest, number: int) -> HttpResponse:
    """Which end is counted from, how worn the key looks, and what else the kind asks."""
    tag, said = find_tag(number), DescribeForm.of(request)
    wanted, cut = said.pop("source"), said.pop("cut")
    source = _find(tag, wanted) if wanted else calipers_of(tag, said["track"] or tag.family.tracks[0].name)
    asked: dict[str, Any] = {name: said[name] for name in said.keys() & request.POST.keys() - {"track"}}
    manner = SourceSettings(**asked | {name: asked[name] == "1" for name in asked.keys() & {"other_key", "odd_first"}})
    request.goes_back_to = source_at(tag, source, f"&cut={cut}")
    describe_source(request.user, tag, source, manner, unit_typed(request))
    return to_source(tag, source, f"&cut={cut}")


@press
@needs(Act.READ_KEYS)
def change(request: PersonRequest, number: int, source: int) -> HttpResponse:
    """Turn a source round, switch it off or on, or take it away."""
    tag, said = find_tag(number), posted(request, do=WORD, back=WORD)
    found = _find(tag, source)
    acts: dict[str, Callable[[Any, Tag, Source], None]] = {
        "turn": turn_source, "switch": switch_source, "remove": remove_source,
    }  # fmt: skip
    act = acts.get(said["do"])
    if act is not None:
        act(request.user, tag, found)
    if said["back"] == "settle":
        return to_stage(tag, "settle", f"?track={found.track}&again=1")
    return to_stage(tag, "read", f"?track={found.track}") if found.removed else to_source(tag, found)


@press
@needs(Act.READ_KEYS)
def type_labels(request: PersonRequest, number: int, source: int) -> HttpResponse:
    """A machine's decode or stamped parts, typed or pasted as labels."""
    tag, found = _source_reading(request, number, source)
    said = posted(request, labels=PASTED, who=WORD)
    text = said["labels"]
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
            if state_known(request.user, tag, found.record, stated, said["who"]):
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
    said = posted(request, card=WORD, printed=WORD, who=WORD)
    try:
        is_settled_by_it = state_card(request.user, tag, said["card"], said["printed"], said["who"])
    except NotDone as refusal:  # on this page, not in an address: what was typed is nearly a key
        reading = track_reading(tag, None, source)
        refused = RefusedEntry(refusal=refusal.says, card=said["card"], printed=said["printed"])
        return show_read(request, tag, reading, found, refused)
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
    text = posted(request, code=WORD)["code"]
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
    shown, _, label = posted(request, tap=WORD)["tap"].partition(":")
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
    said = posted(request, depth=WORD, spoiled=WORD, flush=LIST, unsure=LIST)
    if "spoiled" in request.POST:
        spoil_round(request.user, tag, found.record, said["spoiled"])
        return to_source(tag, found, f"&depth={said['spoiled']}")
    seen = {
        found.shown_space(whole_number(space)): how
        for how in (TumblerSeen.FLUSH, TumblerSeen.UNSURE)
        for space in said[how]
    }
    look_with_depth_key(request.user, tag, found.record, said["depth"], seen)
    return _after_a_look(request, tag, found)


@press
@needs(Act.READ_KEYS)
def stage(request: PersonRequest, number: int, source: int) -> HttpResponse:
    """The blank was cut one stage further: how the tumbler sits."""
    tag, found = _source_reading(request, number, source)
    said = posted(request, cut=NUMBER, depth=WORD, seen=WORD)
    see_stage(request.user, tag, found.record, (found.shown_space(said["cut"]), said["depth"]), said["seen"])
    return _after_a_look(request, tag, found)


@press
@needs(Act.READ_KEYS)
def mark(request: PersonRequest, number: int) -> HttpResponse:
    """What is the matter with one cut of a key that is measured."""
    tag, said = find_tag(number), posted(request, track=WORD, source=NUMBER, cut=NUMBER, mark=WORD)
    reading, source = source_said(tag, said)
    cut = said["cut"]
    request.goes_back_to = source_at(tag, source, f"&cut={cut}")
    with transaction.atomic():
        check_there(source, said["source"])
        record = source.record if source.record.pk else calipers_of(tag, reading.track.name)
        mark_cut(request.user, tag, record, source.shown_space(cut), said["mark"])
    return to_source(tag, source, f"&cut={cut}")


@press
@needs(Act.READ_KEYS)
def compare(request: PersonRequest, number: int, source: int) -> HttpResponse:
    """Two cuts held against each other by eye."""
    tag, found = _source_reading(request, number, source)
    said = posted(request, first=NUMBER, beside=NUMBER, compared=WORD)
    pair = (found.shown_space(said["first"]), found.shown_space(said["beside"]))
    compare_cuts(request.user, tag, found.record, pair, said["compared"])
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
    said = posted(request, disc=NUMBER, felt=WORD)
    note_swing(request.user, tag, found.record, found.shown_space(said["disc"]), said["felt"])
    return _after_a_look(request, tag, found)
