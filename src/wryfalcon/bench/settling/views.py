"""Settle: what the key is, what we cut, and reading it back."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404
from django.urls import reverse
from django.views.decorators.http import require_safe

from keycore.errors import InputError
from keycore.units import Unit
from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.bench.models import Intent, Settlement, Tag
from wryfalcon.bench.proving.queries import locks_to_work
from wryfalcon.bench.reading.presenters import influence_words, sentence_of
from wryfalcon.bench.reading.queries import TrackReading, factory_values, readings_of, track_of
from wryfalcon.bench.settling.actions import (
    Choice,
    DeeperCut,
    fill_unread,
    overrule,
    read_back,
    settle,
    take_beyond_rules,
    take_code,
    withdraw_overruling,
)
from wryfalcon.bench.settling.forms import ChoiceForm
from wryfalcon.bench.settling.prospects import COMPENSATE_SHARE, choice_of, options_of
from wryfalcon.bench.stage import (
    find_tag,
    key_of,
    open_tag,
    settled_key_of,
    shop_unit,
    show_stage,
    to_stage,
)
from wryfalcon.bench.strip import strip_of
from wryfalcon.codes.models import Code
from wryfalcon.codes.queries.fitting import FittingCode, codes_that_fit
from wryfalcon.drawings.cut_key import CutKey
from wryfalcon.fields import NUMBER, PRESSED, WORD, posted, unit_typed
from wryfalcon.lengths import NotALength, parse_value, show_value
from wryfalcon.numbers import whole_number
from wryfalcon.presses import press
from wryfalcon.refusal import NotDone


@require_safe
@needs(Act.LOOK)
def settle_stage(request: PersonRequest, number: int) -> HttpResponse:
    """The posterior, in the strip and in words, and the choice of cuts."""
    tag = open_tag(request, number)
    readings = readings_of(tag)
    reading = track_of(readings, request.GET.get("track"))
    at = whole_number(request.GET.get("cut"))
    at = at if 1 <= at <= len(reading.track.spaces) else 0
    again = request.GET.get("again") == "1"
    if tag.settlement is not None and not again and not at:
        return show_stage(request, tag, "settle", _settled(request, tag, tag.settlement, readings))
    deeper_by = max(0.0, COMPENSATE_SHARE * readings[0].wear_found)
    context: dict[str, Any] = {
        "reading": reading,
        "influences": influence_words(reading),
        "readings": readings,
        "at": at,
        "choosing": reading.overruled.get(at),
        "key": key_of(tag, factory_values(readings), track=reading.track.name),
        "lane_link": f"{reverse('bench:settle', args=[tag.number])}?again=1&track={reading.track.name}&cut=",
        "strip": strip_of(reading, at or None),
        "sentence": sentence_of(reading, shop_unit(request)),
        "options": options_of(tag, readings, locks_to_work(tag), deeper_by),
        "deeper_by": show_value(tag.family.depth, deeper_by, shop_unit(request), fine=True),
        "codes": _codes(reading),
        "unread": [r.track.name for r in readings if r.steps is None],
    }
    return show_stage(request, tag, "settle", context)


def _codes(reading: TrackReading) -> tuple[FittingCode, ...]:
    """The codes of the family's series that fit, where not every cut was seen."""
    if not reading.unread or reading.posterior is None or reading.record is None:
        return ()
    evidence = tuple(source.evidence for source in reading.weighed if source.evidence is not None)
    family_record = reading.record.tag.family_record
    return codes_that_fit(family_record, reading.track, evidence).codes if family_record else ()


@press
@needs(Act.SETTLE)
def overrule_cut(request: PersonRequest, number: int) -> HttpResponse:
    """Decide one cut otherwise, or take that back."""
    tag, said = find_tag(number), posted(request, track=WORD, cut=NUMBER, label=WORD, reason=WORD, withdraw=PRESSED)
    track = said["track"] or tag.family.tracks[0].name
    cut = (track, said["cut"])
    try:
        if said["withdraw"]:
            withdraw_overruling(request.user, tag, cut)
        else:
            overrule(request.user, tag, cut, said["label"], said["reason"])
    except InputError as error:
        raise NotDone(error.reason) from None
    return to_stage(tag, "settle", f"?track={track}&again=1")


@press
@needs(Act.SETTLE)
def fill_cuts(request: PersonRequest, number: int) -> HttpResponse:
    """Fill what was not seen: from a code, with the shallowest allowed; or take the bitting that breaks a rule."""
    tag, said = find_tag(number), posted(request, track=WORD, code=NUMBER, beyond=PRESSED)
    readings = readings_of(tag)
    reading = track_of(readings, said["track"])
    name, steps = reading.track.name, reading.steps
    if steps is not None and reading.posterior is not None:
        beyond = reading.posterior.beyond_rules
        if "code" in request.POST:
            related = Code.objects.select_related("series__family_record")
            code = get_object_or_404(related, pk=said["code"], series__track=name)
            if tag.family_record is None or not tag.family_record.reads(code.series.family_record):
                raise Http404
            take_code(request.user, tag, steps, reading.known, code)
        elif said["beyond"] and beyond is not None:
            take_beyond_rules(request.user, tag, name, beyond, steps)
        else:
            known = {space: steps[space - 1] for space in reading.known}
            fill_unread(request.user, tag, name, known)
    return to_stage(tag, "settle", f"?track={name}&again=1")


@press
@needs(Act.SETTLE)
def settle_tag(request: PersonRequest, number: int) -> HttpResponse:
    """Write the choice down."""
    tag = find_tag(number)

    settle(request.user, tag, _choice(request, readings_of(tag)))
    return to_stage(tag, "settle")


@press
@needs(Act.SETTLE)
def read_back_tag(request: PersonRequest, number: int) -> HttpResponse:
    """The bitting was read back against its source and agrees."""
    tag = find_tag(number)
    read_back(request.user, tag)
    return to_stage(tag, "set-up")


def _choice(request: PersonRequest, readings: list[TrackReading]) -> Choice:
    """The choice as it was posted; NotDone where the compensation is no length."""
    said = ChoiceForm.of(request)
    intent = said["intent"] or Intent.RESTORE
    unread = [r.track.name for r in readings if r.steps is None]
    if unread:
        raise NotDone(f"Track {unread[0]} has not been read yet.")
    plain = choice_of(readings, intent, _deeper_by(said, unit_typed(request), readings[0]))
    chances = [reading.chance for reading in readings]
    together = 1.0
    for chance in chances:
        together *= chance or 0.0
    return Choice(
        bitting=plain.bitting,
        chance=together if all(chance is not None for chance in chances) else None,
        intent=intent,
        as_measured=plain.as_measured,
        deeper_by=plain.deeper_by,
        deeper_cuts=_deeper_cuts(said, readings),
        reason=said["reason"],
    )


def _deeper_by(said: Mapping[str, Any], unit: Unit, reading: TrackReading) -> float:
    if said["intent"] != Intent.COMPENSATE:
        return 0.0
    try:
        value = parse_value(said["deeper_by"], unit, reading.family.depth).value
    except NotALength as error:
        raise NotDone(str(error), "deeper_by") from None
    gap = abs(reading.track.values[0] - reading.track.values[-1]) / max(len(reading.track.values) - 1, 1)
    if not 0 <= value < gap:
        raise NotDone("Compensate by less than one step of the depth table.", "deeper_by")
    return value


def _deeper_cuts(said: Mapping[str, Any], readings: list[TrackReading]) -> list[DeeperCut]:
    """The rows that name a cut; a cut or a number of steps that is no number is refused, not passed over."""
    tracks = said["deeper_track"] or [readings[0].track.name] * len(said["deeper_space"])
    rows = zip(tracks, said["deeper_space"], said["deeper_steps"], said["deeper_reason"], strict=False)
    found = []
    for track, space, steps, reason in rows:
        if not space.strip():
            continue
        cut = DeeperCut(track, whole_number(space.strip()), whole_number(steps.strip()), reason)
        spaces = next((len(r.track.spaces) for r in readings if r.track.name == track), 0)
        if not 1 <= cut.space <= spaces or not cut.steps:
            raise NotDone(f"Which cut goes deeper, and by how many steps? “{space}” and “{steps}” do not say.")
        found.append(cut)
    return found


def _settled(request: PersonRequest, tag: Tag, settlement: Settlement, readings: list[TrackReading]) -> dict[str, Any]:
    """What was settled, in the order of its source and in the machine's."""
    by_track = {reading.track.name: reading for reading in readings}
    lines = []
    for name, labels in settlement.bitting.items():
        reading = by_track[name]
        source = labels[::-1] if reading.is_turned else labels
        from_gauge = labels if tag.family.counts_from_gauge else labels[::-1]
        lines.append({"track": name, "source": source, "counted_from": reading.end_words, "machine": from_gauge})
    first = readings[0]
    return {
        "settlement": settlement,
        "lines": lines,
        "reading": first,
        "readings": readings,
        "key": settled_key_of(tag, CutKey.of(_now(readings)), first.track.name),
        "strip": strip_of(first) if first.posterior else None,
    }


def _now(readings: list[TrackReading]) -> dict[str, list[float]]:
    """The old key's own edge, where every cut of it was measured."""
    found: dict[str, list[float]] = {}
    for reading in readings:
        values = [value for value in reading.as_is() if value is not None]
        if len(values) == len(reading.track.spaces):
            found[reading.track.name] = values
    return found
