"""A key filed by stages: a step filed and looked at, or a look taken back."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from urllib.parse import urlencode

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404

from keycore.family import Family
from keycore.units import Unit
from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.bench.filing.actions import Seen, look_at_stage, take_look_back
from wryfalcon.bench.filing.presenters import mark_words
from wryfalcon.bench.filing.queries import marks_of
from wryfalcon.bench.models import Piece, StageLook, Tag
from wryfalcon.bench.stage import find_tag, stage_at, to_stage
from wryfalcon.fields import NUMBER, PRESSED, WORD, posted, unit_typed
from wryfalcon.lengths import NotALength, parse_value
from wryfalcon.numbers import whole_number
from wryfalcon.presses import press
from wryfalcon.refusal import NotDone


@press
@needs(Act.CUT)
def look(request: PersonRequest, number: int, piece: int) -> HttpResponse:
    """A step was filed to a height and tried: what it showed; or the last look was not so."""
    tag = find_tag(number)
    kept = get_object_or_404(Piece, pk=piece, tag=tag)
    if "back" in request.POST:
        take_look_back(request.user, tag, kept, posted(request, back=NUMBER)["back"])
        return to_stage(tag, "cut", f"?piece={piece}")
    said = posted(request, step=WORD, height=WORD, showed=WORD, mark_at=WORD, by_mark=PRESSED, known=NUMBER)
    request.goes_back_to = stage_at(tag, "cut", f"?{urlencode({'piece': piece, 'step': said['step'][:130]})}")
    seen = _seen(tag.family, said, unit_typed(request))
    _tell(request, tag, look_at_stage(request.user, tag, kept, seen, said["known"]))
    return to_stage(tag, "cut", f"?piece={piece}")


def _tell(request: PersonRequest, tag: Tag, kept: StageLook) -> None:
    """Say whose the mark may be, where its place was read."""
    if words := mark_words(tag.family, marks_of(tag, kept)):
        messages.info(request, f"The mark there is of {words}.")


def _seen(family: Family, said: Mapping[str, Any], unit: Unit) -> Seen:
    """What was said of a step. Raises NotDone naming what cannot be understood."""
    track, _, space = said["step"].rpartition(":")
    if track not in {each.name for each in family.tracks}:
        raise NotDone("Say which step was filed.", "step")
    top = family.kind.uncut(family, family.track(track)) or 0.0
    size = family.kind.view_size(family)
    try:
        height = parse_value(said["height"], unit, family.depth, (0.0, top)).value
        typed_at = said["mark_at"].strip()
        mark_at = parse_value(typed_at, unit, family.space, (0.0, size[0] if size else top)).value if typed_at else None
    except NotALength as error:
        raise NotDone(str(error), "height") from None
    if height <= 0 or (mark_at is not None and mark_at < 0):
        raise NotDone("Neither a height nor a place along the bit is less than nothing.", "height")
    return Seen(track, whole_number(space), height, said["showed"], mark_at, said["by_mark"])
