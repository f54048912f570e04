"""Finding codes by name or by bitting. Bittings stay covered until somebody asks, which is kept."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from django.core.paginator import Paginator
from django.http import HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_http_methods, require_safe

from keycore.codes.pattern import parse_pattern
from keycore.errors import InputError
from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.codes.actions.looks import note_look
from wryfalcon.codes.models import Code, Series, SeriesState
from wryfalcon.codes.queries.by_bitting import Asked, Matches, find_matches
from wryfalcon.codes.queries.by_code import FoundCode, by_cuts, codes_called
from wryfalcon.fields import ENDS
from wryfalcon.library.models import FamilyRecord
from wryfalcon.log.models import AuditEntry, Event
from wryfalcon.numbers import whole_number

A_PAGE, SERIES_A_PAGE = 50, 20
SERIES_SHOWN = (
    "name", "edition", "state", "count", "note", "family_record__name", "family_record__slug", "family_record__edition",
    "family_record__state",
)  # fmt: skip


@require_http_methods(["GET", "HEAD", "POST"])
@needs(Act.READ_KEYS)
def by_code(request: PersonRequest) -> HttpResponse:
    """Every series, and a code or a range of codes in all of them."""
    text, narrow = request.GET.get("code", "").strip(), request.GET.get("narrow", "").strip()
    found = codes_called(text, narrow) if text else []
    shown = _shown(request, found, "by name")
    every = Series.objects.exclude(state=SeriesState.REPLACED).select_related("family_record").only(*SERIES_SHOWN)
    page = Paginator(every, SERIES_A_PAGE).get_page(request.GET.get("page"))
    context = {"page": page, "wanted": text, "narrow": narrow, "found": by_cuts(found), "many": len(found), **shown}
    return render(request, "codes/series.html", context)


@require_http_methods(["GET", "HEAD", "POST"])
@needs(Act.READ_KEYS)
def by_bitting(request: PersonRequest) -> HttpResponse:
    """The codes whose bitting agrees with what is known of one."""
    asked, error, matches = _asked(request), None, Matches()
    if asked.text and asked.record is not None:
        try:
            track = asked.record.family.track(asked.track or None)
            pattern = parse_pattern(
                track, asked.text, from_other_end=asked.from_end != asked.record.family.numbered_from
            )
            matches = find_matches(asked.record, track, pattern, misread=asked.misread)
        except InputError as wrong:
            error = wrong
    shown = _shown(request, matches.codes, "by bitting")
    with_codes = Series.objects.in_force().values("family_record__slug")
    families = FamilyRecord.objects.in_force().filter(slug__in=with_codes)
    context: dict[str, Any] = {
        "asked": asked, "error": error, "matches": matches, **shown,
        "families": families.values_list("pk", "name"), "ends": ENDS, "here": request.get_full_path(),
    }  # fmt: skip
    return render(request, "codes/by_bitting.html", context, status=422 if error else 200)


@require_safe
@needs(Act.KEEP_LIBRARY)
def seen(request: PersonRequest) -> HttpResponse:
    """Who asked to see codes, and when."""
    looks = AuditEntry.objects.filter(event=Event.CODES_SEEN).select_related("actor")
    page = Paginator(looks, A_PAGE).get_page(request.GET.get("page"))
    return render(request, "codes/seen.html", {"page": page, "looks": named_looks(page.object_list)})


def named_looks(looks: Iterable[AuditEntry]) -> list[tuple[AuditEntry, list[str]]]:
    """Looks with the codes and tags that were seen, by the names their records have now."""
    looks = list(looks)
    wanted = {pk for look in looks for pk in look.data.get("codes", []) if isinstance(pk, int)}
    codes = Code.objects.select_related("series").in_bulk(wanted)
    return [
        (
            look,
            [f"{codes[pk]}, {codes[pk].series}" for pk in look.data.get("codes", []) if pk in codes]
            + [f"tag {number}" for number in look.data.get("tags", [])],
        )
        for look in looks
    ]


def _shown(request: PersonRequest, found: Sequence[FoundCode], what: str) -> dict[str, Any]:
    """Whether bittings are uncovered on this page: only in answer to asking, which is written down."""
    asked = request.method == "POST" and bool(found)
    if asked:
        note_look(request.user, what, found)
    return {"uncovered": asked, "asks_at": request.get_full_path()}


def _asked(request: PersonRequest) -> Asked:
    given = request.GET
    family = given.get("family", "")
    record = FamilyRecord.objects.filter(pk=whole_number(family)).first()
    from_end = given.get("from") or (str(record.family.numbered_from) if record else "bow")
    return Asked(given.get("bitting", "").strip(), record, given.get("track", ""), from_end, "misread" in given)
