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
from keycore.reading.guide import GuideRow, Question
from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.cells import as_text
from wryfalcon.fields import FILE, PASTED, WORD, WordField, posted
from wryfalcon.library.actions.guide import About, bring_in_guide, change_row, note_missing
from wryfalcon.library.forms import AskedForm, known_of
from wryfalcon.library.models import METAL_ALONE, Guide, GuideEntry
from wryfalcon.library.presenters import QUESTIONS
from wryfalcon.library.queries.guide import missing, search
from wryfalcon.presses import press

ASKED = ("words", "year", "cuts", "blank", "use", "electronics", "before", "since")
ANSWERED = ("use", "electronics", "before", "since")
LARGEST = 5_000_001
STRIPPED = WordField(strip=True)


@require_safe
@needs(Act.LOOK)
def guide(request: PersonRequest) -> HttpResponse:
    """Search it; where several rows are left, the one question that divides them best."""
    form = AskedForm(request.GET)
    asked = {name: request.GET.get(name, "").strip() for name in ASKED}
    form.is_valid()  # what is wrong is said below, and the rest is searched by
    found = search(known_of(form.cleaned_data))
    problem = next((form.errors[name][0] for name in ASKED if name in form.errors), "")
    number = form.cleaned_data.get("tag")
    for_tag = {"tag": str(number)} if number else {}
    context = {
        "asked": asked, "found": found, "problem": problem, "is_asked": any(asked.values()),
        "question": _answers(found.question, asked, for_tag) if found.question else None,
        "for_tag": for_tag.get("tag", ""),
        "answered": [(name, asked[name]) for name in ANSWERED if asked[name]],
        "guides": Guide.objects.all(), "missing": missing(),
    }  # fmt: skip
    return render(request, "library/guide.html", context, status=422 if problem else 200)


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
    note_missing(request.user, known_of(AskedForm.of(request)))
    messages.success(request, "Written down: asked for, and not in the guide.")
    return redirect("library:guide")


@require_http_methods(["GET", "HEAD", "POST"])
@needs(Act.KEEP_LIBRARY)
def bring_in(request: PersonRequest) -> HttpResponse:
    """Bring a guide in, pasted or as a file; what is wrong is named and nothing is lost."""
    about, pasted, error = About("", "", ""), "", None
    if request.method == "POST":
        said = posted(request, name=STRIPPED, edition=STRIPPED, source=STRIPPED, table=PASTED, file=FILE)
        about = About(said["name"], said["edition"], said["source"])
        pasted, upload = said["table"], said["file"]
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
        said = {name: " ".join(text.split()) for name, text in posted(request, **dict.fromkeys(COLUMNS, WORD)).items()}
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
