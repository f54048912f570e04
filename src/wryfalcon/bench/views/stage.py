"""What all stages share: finding the tag, the rail, answering whole or as a fragment."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from django.contrib import messages
from django.http import Http404, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse

from keycore.cutting.profile import Profile, edge_values, profile_of
from keycore.family import Family, Track
from keycore.units import Unit
from wryfalcon.accounts.permissions import PersonRequest
from wryfalcon.bench.models import Tag
from wryfalcon.bench.queries.stages import proven_counts, rail_of, standing, tag_with_progress
from wryfalcon.bench.refusal import NotDone

if TYPE_CHECKING:
    from wryfalcon.bench.queries.stages import TagWithProgress

PAGE, FRAGMENT = "bench/stage_page.html", "bench/stage_fragment.html"


def find_tag(number: int) -> TagWithProgress:
    """The tag of that number with its progress, or 404."""
    tag = tag_with_progress(number)
    if tag is None:
        raise Http404
    return tag


def show_stage(
    request: PersonRequest, tag: TagWithProgress, stage: str, context: dict[str, Any], status: int = 200
) -> HttpResponse:
    """Answer with a stage: the whole page, or its changing part alone when htmx asks."""
    waiting = standing(tag, proven_counts([tag]).get(tag.pk, 0))
    swapped = bool(request.htmx)
    answer = render(
        request,
        f"bench/{stage.replace('-', '_')}.html",
        {
            "layout": FRAGMENT if swapped else PAGE,
            "tag": tag,
            "family": tag.family_record.family if tag.family_record else None,
            "stage": stage,
            "rail": rail_of(waiting, stage),
            "waiting": waiting,
            **context,
        },
        status=status,
    )
    if swapped and request.method == "GET":
        answer["HX-Replace-Url"] = request.get_full_path()
    return answer


def to_stage(tag: Tag, stage: str, query: str = "") -> HttpResponse:
    """Go to a stage of a tag."""
    return redirect(f"{reverse(f'bench:{stage}', args=[tag.number])}{query}")


def attempt(request: PersonRequest, act: Callable[[], Any]) -> bool:
    """Do something; what was refused becomes a message on the page the person comes back to."""
    try:
        act()
    except NotDone as refusal:
        messages.error(request, refusal.says)
        return False
    return True


def shop_unit(request: PersonRequest) -> Unit:
    """The unit this person works in."""
    return Unit(request.user.unit)


def whole_number(text: str | None) -> int:
    """A number from a form or an address, 0 when it is none."""
    return int(text) if text and text.isascii() and text.isdecimal() and len(text) < 10 else 0


def edges(family: Family, values: dict[str, list[float]]) -> dict[str, Profile]:
    """The profile of each track cut to these depth values, for drawing; {} for families not drawn."""
    if family.blank is None or not family.kind.is_profiled:
        return {}
    (height,) = edge_values(family, [family.blank.height])
    return {
        track.name: _edge(family, track, values[track.name], height)
        for track in family.tracks
        if track.name in values and track.cut is not None
    }


def _edge(family: Family, track: Track, values: list[float], height: float) -> Profile:
    assert track.cut is not None
    assert family.blank is not None
    heights = edge_values(family, values)
    return profile_of(track.spaces, heights, track.cut, height, family.blank.length, "plunged")
