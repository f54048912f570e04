"""A page to be printed from Settle: the key at its real size."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_safe

from keycore.errors import InputError
from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.bench.filing.presenters import is_filed
from wryfalcon.bench.filing.queries import filing_plan
from wryfalcon.bench.models import Tag
from wryfalcon.bench.reading.queries import TrackReading, factory_values, readings_of
from wryfalcon.bench.stage import open_tag, to_stage
from wryfalcon.drawings.kinds import FACE_WORDS
from wryfalcon.drawings.real_size import RealSize, draw_real_size, draw_sections
from wryfalcon.drawings.sheet import FRONT
from wryfalcon.drawings.stick_on import StickOn, draw_stick_on

RULER = {
    "millimetres": [(mm, 2.0 if mm % 10 == 0 else 3.2 if mm % 5 == 0 else 4.0) for mm in range(61)],
    "inches": [(round(25.4 * i / 16, 4), 9.4 if i % 16 == 0 else 8.4 if i % 8 == 0 else 7.4) for i in range(33)],
}
"""Where the marks of the printed ruler stand and how long they are, mm."""


@require_safe
@needs(Act.LOOK)
def real_size(request: PersonRequest, number: int) -> HttpResponse:
    """The key to be cut and the old one at 1:1 and larger, for paper."""
    tag = open_tag(request, number)
    readings = readings_of(tag)
    settlement, style = tag.settlement, tag.set_up.style if tag.set_up else ""
    planned = settlement.values if settlement else factory_values(readings)
    if len(planned) < len(readings):
        return to_stage(tag, "settle")
    old, partly = _as_it_is(readings, planned)
    try:
        sizes = draw_real_size(tag.family, planned, old, style)
    except InputError as error:
        messages.error(request, f"It cannot be drawn: {error.reason}.")
        return to_stage(tag, "settle")
    bitting = settlement.bitting if settlement else {r.track.name: r.labels for r in readings}
    context = {
        "tag": tag,
        "sizes": sizes,
        "other_faces": _other_faces(tag, planned, style),
        "partly": partly,
        "bitting": bitting.items(),
        "family": tag.family,
        "sections": draw_sections(tag.family, planned, style),
        "stick_on": _stick_on(tag),
        **RULER,
    }
    return render(request, "bench/settling/real_size.html", context)


def _other_faces(
    tag: Tag, planned: Mapping[str, Sequence[float]], style: str
) -> list[tuple[str, tuple[RealSize, ...]]]:
    """Every face and edge that has tracks beside the front, in words."""
    if not tag.family.kind.is_of_faces:
        return []
    faces = [face for face in dict.fromkeys(track.face for track in tag.family.tracks) if face != FRONT]
    return [(FACE_WORDS[face], draw_real_size(tag.family, planned, {}, style, face=face)) for face in faces]


def _stick_on(tag: Tag) -> tuple[StickOn, ...]:
    """The marks of a key that is filed, to the heights it is filed to; none before it is settled."""
    return draw_stick_on(filing_plan(tag)) if is_filed(tag) and tag.to_cut is not None else ()


def _as_it_is(
    readings: list[TrackReading], planned: Mapping[str, Sequence[float]]
) -> tuple[dict[str, list[float]], bool]:
    """The old key's edges where it was measured at all, and whether a cut had to be taken as settled."""
    old, partly = {}, False
    for reading in readings:
        values, name = reading.as_is(), reading.track.name
        if any(value is not None for value in values):
            partly = partly or None in values
            old[name] = [p if v is None else v for p, v in zip(planned[name], values, strict=True)]
    return (old if len(old) == len(readings) else {}), partly
