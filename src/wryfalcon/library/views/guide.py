"""The fitting guide: what is it, and which blank? Found by a few words, a year, a count of cuts, a number."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Mapping
from urllib.parse import urlencode

from django.contrib import messages
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_http_methods, require_safe

from keycore.documents.guide import COLUMNS, read_rows, write_guide, write_rows
from keycore.documents.guide import Guide as GuideDocument
from keycore.errors import InputError
from keycore.reading.guide import GuideRow, Known, Question
from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.cells import as_text
from wryfalcon.library.actions.guide import About, bring_in_guide, change_row, note_missing
from wryfalcon.library.models import METAL_ALONE, Guide, GuideEntry
from wryfalcon.library.presenters import QUESTIONS
from wryfalcon.library.queries.guide import missing, search
from wryfalcon.presses import press
from wryfalcon.refusal import NotDone

ASKED = ("words", "year", "cuts", "blank", "use", "electronics", "before", "since")
ANSWERED = ("use", "electronics", "before", "since")
LARGEST = 5_000_001


@require_safe
@needs(Act.LOOK)
def guide(request: PersonRequest) -> HttpResponse:
    """Search it; where several rows are left, the one question that divides them best."""
    asked = {name: request.GET.get(name, "").strip() for name in ASKED}
    problem, known = "", Known()
    try:
        known = _known(asked)
    except NotDone as refusal:
        problem = refusal.says
    found, number = search(known), request.GET.get("tag", "")
    for_tag = {"tag": number} if number.isascii() and number.isdecimal() and len(number) < 9 else {}
    context = {
        "asked": asked, "found": found, "problem": problem, "is_asked": any(asked.values()),
        "question": _answers(found.question, asked, for_tag) if found.question else None,
        "for_tag": for_tag.get("tag", ""),
        "answered": [(name, asked[name]) for name in ANSWERED if asked[name]],
        "guides": Guide.objects.all(), "missing": missing(),
    }  # fmt: skip
    return render(request, "library/guide.html", context, status=422 if problem else 200)


def _known(asked: Mapping[str, str]) -> Known:
    """What was typed. Raises NotDone for a year or a count of cuts that is none."""
    numbers: dict[str, int | None] = {}
    for name in ("year", "cuts", "before", "since"):
        words, least, most = ("count of cuts", 1, 60) if name == "cuts" else ("year", 1000, 9999)
        text = asked[name]
        is_number = text.isascii() and text.isdecimal() and len(text) < 5 and least <= int(text) <= most
        if text and not is_number:
            raise NotDone(f"“{text[:20]}” is no {words}.", name)
        numbers[name] = int(text) if text else None
    about = (asked["words"], numbers["year"], numbers["cuts"], asked["blank"], asked["use"], asked["electronics"])
    return Known(*about, numbers["before"], numbers["since"])


def _answers(question: Question, asked: Mapping[str, str], for_tag: Mapping[str, str]) -> dict[str, object]:
    """The question in words, and each answer with what it leaves and where it leads."""
    answers = []
    for answer, left in question.answers:
        sent = QUESTIONS[question.field].sent(question.field, answer)
        query = urlencode({**for_tag, **{name: value for name, value in asked.items() if value}, **sent})
        words = METAL_ALONE if answer == "none" else answer
        answers.append((words, left, f"{reverse('library:guide')}?{query}"))
    return {"words": QUESTIONS[question.field].words, "answers": answers}


@press
@needs(Act.TAKE_IN)
def cannot(request: PersonRequest) -> HttpResponse:
    """We cannot do this one: what was asked for is kept, so that the shop sees what it could not do."""
    asked = {name: request.POST.get(name, "").strip() for name in ASKED}
    note_missing(request.user, _known(asked))
    messages.success(request, "Written down: asked for, and not in the guide.")
    return redirect("library:guide")


@require_http_methods(["GET", "HEAD", "POST"])
@needs(Act.KEEP_LIBRARY)
def bring_in(request: PersonRequest) -> HttpResponse:
    """Bring a guide in, pasted or as a file; what is wrong is named and nothing is lost."""
    posted, error = request.POST, None
    about = About(*(posted.get(name, "").strip() for name in ("name", "edition", "source")))
    pasted = posted.get("table", "")
    if request.method == "POST":
        upload = request.FILES.get("file")
        raw = upload.read(LARGEST) if upload else pasted.encode()
        try:
            kept = bring_in_guide(request.user, raw, about)
            messages.success(request, f"{kept}: {kept.entries.count()} rows are in the guide.")
            return redirect("library:guide")
        except InputError as wrong:
            error = wrong
    context = {"about": about, "pasted": pasted, "error": error}
    return render(request, "library/guide_bring_in.html", context, status=422 if error else 200)


@require_http_methods(["GET", "HEAD", "POST"])
@needs(Act.KEEP_LIBRARY)
def row(request: PersonRequest, pk: int) -> HttpResponse:
    """One row, to be changed."""
    entry = get_object_or_404(GuideEntry.objects.select_related("guide"), pk=pk)
    _, cells = write_rows([entry.row])
    said, error = dict(zip(COLUMNS, cells, strict=True)), None
    if request.method == "POST":
        said = {name: " ".join(request.POST.get(name, "").split()) for name in COLUMNS}
        try:
            change_row(request.user, entry, _row_of(said))
            messages.success(request, f"{entry.what}: changed.")
            return redirect("library:guide-row", pk=pk)
        except InputError as wrong:
            error = wrong
    context = {"entry": entry, "fields": [(name, said[name]) for name in COLUMNS], "error": error}
    return render(request, "library/guide_row.html", context, status=422 if error else 200)


def _row_of(said: Mapping[str, str]) -> GuideRow:
    table = io.StringIO()
    csv.writer(table).writerows([COLUMNS, [said[name] for name in COLUMNS]])
    try:
        return read_rows(io.StringIO(table.getvalue(), newline=""))[0]
    except InputError as wrong:
        raise InputError(wrong.field, wrong.reason.removeprefix("line 2: ")) from None


@require_safe
@needs(Act.LOOK)
def export(request: PersonRequest, slug: str, ending: str) -> HttpResponse:
    """A guide as a table or as a document."""
    kept = get_object_or_404(Guide, slug=slug)
    rows = tuple(entry.row for entry in kept.entries.all())
    if ending == "json":
        document = write_guide(GuideDocument(kept.slug, kept.name, kept.edition, kept.source, rows))
        answer = HttpResponse(json.dumps(document, ensure_ascii=False, indent=1), content_type="application/json")
    elif ending == "csv":
        table = io.StringIO()
        csv.writer(table).writerows([[as_text(cell) for cell in cells] for cells in write_rows(rows)])
        answer = HttpResponse(table.getvalue(), content_type="text/csv; charset=utf-8")
    else:
        raise Http404
    answer["Content-Disposition"] = f'attachment; filename="{kept.slug}.{ending}"'
    return answer
