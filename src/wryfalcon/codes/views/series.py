"""One edition of a series: how far its reading is, what it would change, its codes as a file."""

from __future__ import annotations

from collections.abc import Iterator

from django import forms
from django.contrib import messages
from django.core.paginator import Paginator
from django.http import Http404, HttpResponse, HttpResponseBase, StreamingHttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods

from keycore.documents.series import SeriesDocument
from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.codes.actions.intake import bring_in, discard, stop_reading
from wryfalcon.codes.actions.looks import note_export, note_touched
from wryfalcon.codes.actions.offer import read_again
from wryfalcon.codes.models import Code, Series, SeriesState
from wryfalcon.codes.queries.editions import keys_touched
from wryfalcon.codes.tables import as_csv, as_json, as_spreadsheet
from wryfalcon.fields import posted
from wryfalcon.presses import press

A_PAGE = 50

TYPES = {
    "csv": "text/csv; charset=utf-8",
    "json": "application/json",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
}


@require_http_methods(["GET", "HEAD", "POST"])
@needs(Act.READ_KEYS)
def show(request: PersonRequest, pk: int) -> HttpResponse:
    """A series: its progress while it is read, then what it would bring, then what it is.

    The bittings of keys that it touches are uncovered in answer to a POST, which is written down.
    """
    series = _series(pk)
    if request.htmx and series.state != SeriesState.READING:
        return HttpResponse(headers={"HX-Refresh": "true"})  # it is read: the page is another one now
    intake = getattr(series, "intake", None)
    before = series.replaces
    touched = keys_touched(series, before) if before and series.state != SeriesState.READING else []
    uncovered = request.method == "POST" and bool(touched)
    if uncovered:
        note_touched(request.user, series, touched)
    context = {
        "series": series, "intake": intake, "touched": touched, "uncovered": uncovered,
        "bad": Paginator(intake.bad_codes.all(), A_PAGE).get_page(request.GET.get("page")) if intake else [],
        "editions": Series.objects.filter(slug=series.slug).exclude(state=SeriesState.READING),
        "asks_at": request.get_full_path(),
        "endings": [("csv", "CSV"), ("json", "series document"), ("xlsx", "spreadsheet")],
    }  # fmt: skip
    return render(request, "codes/one.html", context)


@press
@needs(Act.KEEP_LIBRARY)
def put_in_force(request: PersonRequest, pk: int) -> HttpResponse:
    """Bring a checked table in."""
    series = _series(pk)
    said = posted(request, without=forms.IntegerField(required=False, min_value=0, label="Left out"))
    bring_in(request.user, series, without=said["without"])
    messages.success(request, f"{series} is in force, {series.count:,} codes.")
    return redirect("codes:series")


@press
@needs(Act.KEEP_LIBRARY)
def stop(request: PersonRequest, pk: int) -> HttpResponse:
    """Stop a reading."""
    series = _series(pk)
    stop_reading(request.user, series)
    messages.success(request, "The reading stops, and what was read is thrown away.")
    return redirect("codes:series")


@press
@needs(Act.KEEP_LIBRARY)
def again(request: PersonRequest, pk: int) -> HttpResponse:
    """Begin a reading again that has fallen silent."""
    series = _series(pk)
    read_again(request.user, series)
    return redirect("codes:one", pk=pk)


@press
@needs(Act.KEEP_LIBRARY)
def throw_away(request: PersonRequest, pk: int) -> HttpResponse:
    """Throw a table away that is not in force."""
    series = _series(pk)
    discard(request.user, series)
    messages.success(request, f"{series} was thrown away. Nothing else has changed.")
    return redirect("codes:series")


@press
@needs(Act.KEEP_LIBRARY)
def bad_rows(request: PersonRequest, pk: int) -> HttpResponseBase:
    """The rows that cannot be taken, as a table to mend: with their lines and what is wrong."""
    series = _series(pk)
    if not hasattr(series, "intake"):
        raise Http404
    note_export(request.user, series, "bad rows")
    rows = series.intake.bad_codes.values_list("code", "bitting", "line", "reason")
    lines = ((code, bitting, str(line), reason) for code, bitting, line, reason in rows.iterator())
    answer = StreamingHttpResponse(as_csv(lines, ("code", "bitting", "line", "reason")), content_type=TYPES["csv"])
    answer["Content-Disposition"] = f'attachment; filename="{series.slug}-bad-rows.csv"'
    return answer


@press
@needs(Act.KEEP_LIBRARY)
def export(request: PersonRequest, pk: int, ending: str) -> HttpResponseBase:
    """A series as a file: CSV, a series document, or a spreadsheet."""
    series = _series(pk)
    if ending not in TYPES or series.state == SeriesState.READING:
        raise Http404
    note_export(request.user, series, ending)
    rows, about = _rows(series), _about(series)
    answer: HttpResponseBase
    if ending == "xlsx":
        answer = HttpResponse(as_spreadsheet(series.name, rows), content_type=TYPES[ending])
    else:
        answer = StreamingHttpResponse(
            as_csv(rows) if ending == "csv" else as_json(about, rows), content_type=TYPES[ending]
        )
    answer["Content-Disposition"] = f'attachment; filename="{series.slug}.{ending}"'
    return answer


def _rows(series: Series) -> Iterator[tuple[str, str]]:
    """The codes in the table's order, a run at a time."""
    for column in series.columns.filter(space=0).order_by("first"):
        span = column.first, column.first + len(column.steps) - 1
        yield from Code.objects.filter(pk__range=span).order_by("pk").values_list("code", "bitting")


def _about(series: Series) -> SeriesDocument:
    return SeriesDocument(
        series.slug, series.name, series.family_record.slug, series.track, series.note, series.maker, series.use,
        series.edition, series.printed,
    )  # fmt: skip


def _series(pk: int) -> Series:
    related = ("family_record", "replaces", "intake", "by")
    return get_object_or_404(Series.objects.select_related(*related), pk=pk)
