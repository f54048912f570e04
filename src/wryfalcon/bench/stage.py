"""What all stages share: finding the tag, the rail, answering whole or as a fragment."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Collection
from typing import Any

from django.http import Http404, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse

from keycore.family import Place
from keycore.units import Unit
from wryfalcon.accounts.models import User
from wryfalcon.accounts.permissions import Act, PersonRequest, may
from wryfalcon.bench.authority import why_not_made
from wryfalcon.bench.models import Settlement, Tag
from wryfalcon.bench.tags.come_back import made_then, made_then_words
from wryfalcon.bench.tags.edition_notice import edition_notice
from wryfalcon.bench.tags.queries import rail_of, stage_of, tag_numbered
from wryfalcon.drawings.cut_key import BARE, CutKey, Values, draw_cut_key
from wryfalcon.drawings.key import KeyDrawing
from wryfalcon.log.actions import note_tag_opened

POLL = "X-Poll"
"""Sent by a page that looks again by itself: what is half typed on it stays."""
WAS = "X-Was"
"""What such a page shows, as its last answer said in X-Stage; where that is the same, nothing is sent."""
NEW_EACH_TIME = re.compile(rb'name="(?:csrfmiddlewaretoken|entry|press)" value="[^"]*"')
READS = {"read", "settle"}
"""Stages that stay closed until the key may be read."""
BEFORE_CUTTING = {"take-in", *READS}
PACKAGES = {
    "take-in": "tags", "read": "reading", "settle": "settling", "set-up": "setting_up", "cut": "cutting",
    "prove": "proving", "hand-over": "handing_over",
}  # fmt: skip
"""Where the page of each stage stands."""
PAGE, FRAGMENT = "bench/stage_page.html", "bench/stage_fragment.html"


def find_tag(number: int, *, without_family: bool = False, of_a_copy: bool = False) -> Tag:
    """The tag of that number, or 404; also where its family is not known yet and the page cannot do without.

    A page ``of_a_copy`` does without the family where the tag's keys are copied from their pattern.
    """
    tag = tag_numbered(number)
    if tag is None:
        raise Http404
    if tag.family_record_id is None and not (without_family or (of_a_copy and tag.is_copied)):
        raise Http404
    return tag


def open_tag(request: PersonRequest, number: int, *, without_family: bool = False, of_a_copy: bool = False) -> Tag:
    """The same; that somebody looks at it is written down."""
    tag = find_tag(number, without_family=without_family, of_a_copy=of_a_copy)
    note_tag_opened(request.user, tag)
    return tag


def show_stage(
    request: PersonRequest, tag: Tag, stage: str, context: dict[str, Any], status: int = 200
) -> HttpResponse:
    """Answer with a stage: the whole page, or its changing part alone when htmx asks."""
    waiting = stage_of(tag)
    swapped = bool(request.htmx)
    closed = why_not_made(tag) if stage in READS and tag.is_open else ""
    if closed:
        context = {**context, "why_not_read": closed}
    rail = rail_of(waiting, stage)
    at = next(place for place, stop in enumerate(rail) if stop.current)
    answer = render(
        request,
        "bench/closed.html" if closed else f"bench/{PACKAGES[stage]}/{stage.replace('-', '_')}.html",
        {
            "layout": FRAGMENT if swapped else PAGE,
            "tag": tag,
            "family": tag.family_record.family if tag.family_record else None,
            "stage": stage,
            "here": rail[at].href,
            "rail": rail,
            "before": rail[at - 1] if at else None,
            "after": rail[at + 1] if at + 1 < len(rail) else None,
            "waiting": waiting,
            "polled": POLL in request.headers,
            "allowed": allowed_on(request.user, tag),
            "made_then": _made_then(tag, stage),
            "edition": edition_notice(tag, names_cuts=may(request.user, Act.READ_KEYS)),
            **context,
        },
        status=status,
    )
    if POLL in request.headers:
        shows = hashlib.sha256(NEW_EACH_TIME.sub(b"", answer.content)).hexdigest()[:16]
        if request.headers.get(WAS) == shows:
            return HttpResponse(status=204)
        answer["X-Stage"] = shows
    if swapped and request.method == "GET":
        answer["HX-Replace-Url"] = request.get_full_path()
    return answer


def _made_then(tag: Tag, stage: str) -> str:
    """How a key that came back was made, until it is known what is to be made of it; "" elsewhere."""
    of_a_copy = tag.is_copied and stage == "cut"
    made = made_then(tag) if of_a_copy or stage in BEFORE_CUTTING else None
    return made_then_words(made) if made is not None else ""


def allowed_on(person: User, tag: Tag) -> dict[str, bool]:
    """What a person may do to a tag as it stands, by the acts' names: nothing to one that is off the bench."""
    return {act.name.lower(): tag.is_open and may(person, act) for act in Act}


def stage_at(tag: Tag, stage: str, query: str = "") -> str:
    """The address of a stage of a tag."""
    return f"{reverse(f'bench:{stage}', args=[tag.number])}{query}"


def to_stage(tag: Tag, stage: str, query: str = "") -> HttpResponse:
    """Go to a stage of a tag."""
    return redirect(stage_at(tag, stage, query))


def shop_unit(request: PersonRequest) -> Unit:
    """The unit this person works in."""
    return Unit(request.user.unit)


def key_of(
    tag: Tag,
    values: Values,
    ghost: CutKey = BARE,
    track: str | None = None,
    *,
    style: str = "",
    uncut: Collection[tuple[int, Place]] = (),
) -> KeyDrawing | None:
    """The drawing of a tag's key cut to these depth values; None for a kind or blank that is not drawn.

    ``style`` is the path's, the kind's usual one without; ``uncut`` what is not cut yet, by clamping and place.
    """
    if tag.family_record is None:
        return None
    return draw_cut_key(tag.family_record.document, CutKey.of(values, style, uncut), ghost, track)


def settled_key_of(tag: Tag, ghost: CutKey = BARE, track: str | None = None) -> KeyDrawing | None:
    """The drawing of a tag's key as it was settled, by the path of its card where there is one; bare before."""
    return _key_as(tag, tag.settlement, ghost, track)


def key_to_cut(tag: Tag) -> KeyDrawing | None:
    """The drawing of what a machine is to cut next: as settled, or before that the try that is out."""
    return _key_as(tag, tag.to_cut)


def _key_as(
    tag: Tag, settlement: Settlement | None, ghost: CutKey = BARE, track: str | None = None
) -> KeyDrawing | None:
    style = tag.set_up.style if tag.set_up else ""
    if settlement is None:
        return key_of(tag, {}, ghost, track)
    return key_of(tag, settlement.values, ghost, track, style=style)
