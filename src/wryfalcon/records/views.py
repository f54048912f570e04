"""Records: every job there was, finding anything, and making a key again from its document."""

from __future__ import annotations

from django.core.paginator import Paginator
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods, require_safe

from keycore.errors import InputError
from wryfalcon.accounts.permissions import Act, PersonRequest, may, needs, needs_to_change
from wryfalcon.bench.models import Tag
from wryfalcon.fields import FILE, PASTED, WORD, posted
from wryfalcon.presses import press
from wryfalcon.records.find import find
from wryfalcon.records.forms import AgainForm, RecordsForm
from wryfalcon.records.remake import make_again, make_tag_again
from wryfalcon.records.rows import note_uncovered, rows_of
from wryfalcon.refusal import NotDone

LARGEST_UPLOAD = 5_000_001
A_PAGE = 25


@require_http_methods(["GET", "HEAD", "POST"])
@needs_to_change(Act.READ_KEYS)
def history(request: PersonRequest) -> HttpResponse:
    """Every tag, newest first; those that a smith asks for. Their keys are drawn in answer to a POST, written down."""
    asked = RecordsForm(request.GET)
    page = Paginator(asked.tags().values_list("pk", flat=True), A_PAGE).get_page(request.GET.get("page"))
    kept = request.GET.copy()
    kept.pop("page", None)
    uncovered = request.method == "POST"
    rows = rows_of(page, uncovered=uncovered)
    if uncovered:
        note_uncovered(request.user, rows)
    context = {
        "page": page, "rows": rows, "asked": asked, "kept": kept.urlencode(),
        "uncovered": uncovered, "asks_at": request.get_full_path(),
    }  # fmt: skip
    return render(request, "records/history.html", context)


@require_safe
@needs(Act.LOOK)
def find_anything(request: PersonRequest) -> HttpResponse:
    """What the Find box finds."""
    text = request.GET.get("q", "")
    return render(
        request, "records/find.html", {"text": text, "found": find(text, codes_too=may(request.user, Act.READ_KEYS))}
    )


@press
@needs(Act.SETTLE)
def again(request: PersonRequest, number: int) -> HttpResponse:
    """Make the key of an earlier tag again."""
    tag, said = get_object_or_404(Tag, number=number), AgainForm.of(request)
    made = make_tag_again(
        request.user,
        tag,
        authority=said["authority"],
        quantity=said["quantity"] or 1,
    )
    return redirect("bench:settle", number=made.number)


@require_http_methods(["GET", "HEAD", "POST"])
@needs(Act.SETTLE)
def bring_back(request: PersonRequest) -> HttpResponse:
    """Read a record back in and make the key again."""
    pasted, authority, error = "", "", ""
    if request.method == "POST":
        said = posted(request, document=PASTED, file=FILE, authority=WORD)
        pasted, authority, upload = said["document"], said["authority"], said["file"]
        raw = upload.read(LARGEST_UPLOAD) if upload else pasted.encode()
        try:
            tag = make_again(request.user, raw, authority=authority)
            return redirect("bench:settle", number=tag.number)
        except (InputError, NotDone) as refusal:
            error = str(refusal)
            pasted = pasted or raw.decode("utf-8", "replace")[:200_000]
    context = {"pasted": pasted, "authority": authority, "error": error}
    return render(request, "records/bring_back.html", context, status=422 if error else 200)
