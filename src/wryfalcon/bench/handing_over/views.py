"""Hand over: the whole record, as a page, a PDF job card and a document."""

from __future__ import annotations

from django.http import HttpResponse
from django.views.decorators.http import require_safe

from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.bench.handing_over.actions import hand_over
from wryfalcon.bench.proving.keys_made import keys_made
from wryfalcon.bench.reading.record import readings_record
from wryfalcon.bench.stage import find_tag, open_tag, settled_key_of, show_stage, to_stage
from wryfalcon.bench.tags.history import history_of
from wryfalcon.fields import WORD, posted
from wryfalcon.presses import press


@require_safe
@needs(Act.LOOK)
def hand_over_stage(request: PersonRequest, number: int) -> HttpResponse:
    """Everything read, decided, cut and proven."""
    tag = open_tag(request, number, without_family=True)
    context = {
        "key": settled_key_of(tag),
        "readings": readings_record(tag),
        "overrulings": tag.overrulings.filter(withdrawn=False),
        "keys": keys_made(tag),
        "history": history_of(tag),
    }
    return show_stage(request, tag, "hand-over", context)


@press
@needs(Act.HAND_OVER)
def close_tag(request: PersonRequest, number: int) -> HttpResponse:
    """Give the keys back and close the tag."""
    tag = find_tag(number, without_family=True)
    hand_over(request.user, tag, posted(request, reason=WORD)["reason"])
    return to_stage(tag, "hand-over")
