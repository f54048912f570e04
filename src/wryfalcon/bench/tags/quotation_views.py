"""A picture sent for a quotation, and what must be known before a price can be said."""

from __future__ import annotations

from django.http import Http404, HttpResponse
from django.views.decorators.http import require_safe

from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.bench.models import Asked, Picture
from wryfalcon.bench.stage import find_tag, open_tag, to_stage
from wryfalcon.bench.tags.forms import PictureForm
from wryfalcon.bench.tags.pictures import LARGEST_FILE, keep_answers, keep_picture
from wryfalcon.fields import WORD, posted
from wryfalcon.presses import press


@require_safe
@needs(Act.LOOK)
def picture(request: PersonRequest, number: int) -> HttpResponse:
    """The picture itself."""
    tag = open_tag(request, number, without_family=True)
    kept = Picture.objects.filter(tag=tag).first()
    if kept is None:
        raise Http404
    return HttpResponse(bytes(kept.jpeg), content_type="image/jpeg")


@press
@needs(Act.TAKE_IN)
def send_picture(request: PersonRequest, number: int) -> HttpResponse:
    """Keep the picture that was sent."""
    tag = find_tag(number, without_family=True)
    keep_picture(request.user, tag, PictureForm.of(request)["picture"].read(LARGEST_FILE + 1))
    return to_stage(tag, "take-in")


@press
@needs(Act.TAKE_IN)
def answer(request: PersonRequest, number: int) -> HttpResponse:
    """Keep what was heard of the lock."""
    tag = find_tag(number, without_family=True)
    keep_answers(request.user, tag, posted(request, **dict.fromkeys(Asked.values, WORD)))
    return to_stage(tag, "take-in")
