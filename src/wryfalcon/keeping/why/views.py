"""Why a key came out wrong, on screen and as a file."""

from __future__ import annotations

from typing import Any

from django.http import Http404, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_safe

from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.bench.models import Piece, Tag
from wryfalcon.bench.stage import find_tag, open_tag
from wryfalcon.keeping.course.presenters import changed_words, home_words, offset_words
from wryfalcon.keeping.why.help_file import help_file
from wryfalcon.keeping.why.queries import Why, why_wrong
from wryfalcon.log.actions import note_document
from wryfalcon.presses import press


@require_safe
@needs(Act.LOOK)
def show(request: PersonRequest, number: int, piece: int) -> HttpResponse:
    """The suspects, what speaks for each, and the next check."""
    tag = open_tag(request, number)
    kept, why = _why(tag, piece)
    context: dict[str, Any] = {"tag": tag, "piece": kept, "why": why, "family": tag.family}
    if why is not None:
        context |= {
            "to_home": home_words(why.course.lost),
            "stands": offset_words(why.course),
            "changed": changed_words(why.changed),
        }
    return render(request, "keeping/why/why.html", context)


@press
@needs(Act.PROVE)
def file(request: PersonRequest, number: int, piece: int) -> HttpResponse:
    """The same as a file for whoever must help."""
    tag = find_tag(number)
    kept, why = _why(tag, piece)
    if why is None:
        raise Http404
    note_document(request.user, tag, "a file for whoever must help")
    answer = JsonResponse(help_file(tag, kept, why), json_dumps_params={"indent": 1})
    answer["Content-Disposition"] = f'attachment; filename="tag-{tag}-key-{kept.key_number}.json"'
    return answer


def _why(tag: Tag, piece: int) -> tuple[Piece, Why | None]:
    related = ("machine", "settlement", "set_up__cutter", "set_up__jaw_side")
    kept = get_object_or_404(Piece.objects.select_related(*related), pk=piece, tag=tag)
    return kept, why_wrong(tag, kept)
