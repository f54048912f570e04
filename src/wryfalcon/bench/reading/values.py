"""Values typed one after another, on Read and on Prove: several at once, said twice, one too many."""

from __future__ import annotations

from collections.abc import Sequence

from django.contrib import messages
from django.http import HttpRequest, HttpResponse, JsonResponse

from wryfalcon.accounts.permissions import PersonRequest
from wryfalcon.bench.reading.actions import Typed
from wryfalcon.fields import unit_typed
from wryfalcon.lengths import Understood, split_lengths
from wryfalcon.refusal import NotDone, SecondLook

ALL_MEASURED = "Every cut has a value already. Choose the cut that this is a second look at."
MOST_AT_ONCE = 60


def entries_posted(request: PersonRequest, places: Sequence[tuple[str, int]], *, is_whole: bool = False) -> list[Typed]:
    """What was typed, as entries for this and the cuts that follow.

    ``places`` are the track and space of the cut that the page was at and of those after it; ``is_whole`` is a
    line that is one value. Raises NotDone for more values than there are cuts left, or no cut to put one at.
    """
    text = request.POST.get("typed", "")
    typed = [text] if is_whole else split_lengths(text)[:MOST_AT_ONCE]
    if not text.strip():
        return []
    if not places:
        raise NotDone(ALL_MEASURED, "typed")
    if len(typed) > len(places):
        left = len(places)
        raise NotDone(f"{len(typed)} values for {left} cut{'' if left == 1 else 's'} from here on.", "typed")
    given = request.POST.get("known", "")
    known = int(given) if given.isascii() and given.isdecimal() and len(given) < 4 else None
    key = request.POST.get("key", "")
    return [
        Typed(track, space, value, unit_typed(request), key, known)
        for value, (track, space) in zip(typed, places, strict=False)
    ]


def wants_json(request: HttpRequest) -> bool:
    """Whether a page that keeps a line of values asks, rather than a form."""
    return request.headers.get("Accept") == "application/json"


def kept(request: PersonRequest, entries: Sequence[Typed], found: Sequence[Understood]) -> str:
    """How what was typed was read where that is not plain, also as a message on the page."""
    read_as = [f"“{t.text.strip()}” read as {e.read_as}" for t, e in zip(entries, found, strict=True) if e.read_as]
    says = f"{'; '.join(read_as)}." if read_as else ""
    if says:
        messages.info(request, says)
    return says


def refused(refusal: NotDone) -> HttpResponse:
    """A refusal for a page that keeps a line of values."""
    answer: dict[str, object] = {"refusal": refusal.says, "suggest": refusal.suggest}
    if isinstance(refusal, SecondLook):
        answer |= {"is_second": True, "has": refusal.has}
    return JsonResponse(answer, status=422)
