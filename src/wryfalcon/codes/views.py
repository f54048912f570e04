"""The code series: finding a code, and bringing a table in."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.db.models import Count
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_http_methods

from keycore.documents.series import SeriesDocument
from keycore.errors import InputError
from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.codes.actions import Offered, import_series, offer_series
from wryfalcon.codes.models import Series
from wryfalcon.codes.queries import codes_called
from wryfalcon.library.models import FamilyRecord

LARGEST_UPLOAD = 5_000_001


@require_GET
@needs(Act.READ_KEYS)
def series(request: PersonRequest) -> HttpResponse:
    """Every series, and a code in all of them."""
    text = request.GET.get("code", "")
    found = list(codes_called(text)[:50]) if text.strip() else []
    every = Series.objects.select_related("family_record").annotate(count=Count("codes"))
    return render(request, "codes/series.html", {"every": every, "wanted": text, "found": found})


@require_http_methods(["GET", "POST"])
@needs(Act.KEEP_LIBRARY)
def bring_in(request: PersonRequest) -> HttpResponse:
    """Check a table and say what it would bring; then bring it in, all or nothing."""
    pasted = request.POST.get("table", "")
    offered, error = None, None
    if request.method == "POST":
        upload = request.FILES.get("file")
        raw = upload.read(LARGEST_UPLOAD) if upload else pasted.encode()
        pasted = raw.decode("utf-8", "replace")
        try:
            offered = _offer(request, raw)
            if "bring" in request.POST:
                kept = import_series(request.user, offered)
                messages.success(request, f"{kept.name} is in, {len(offered.checked.rows)} codes.")
                return redirect("codes:series")
        except InputError as wrong:
            error = wrong
    context: dict[str, Any] = {
        "pasted": pasted, "error": error, "offered": offered,
        "about": {name: request.POST.get(name, "") for name in ("name", "id", "family", "track", "note")},
        "families": FamilyRecord.objects.values_list("slug", "name"),
    }  # fmt: skip
    return render(request, "codes/bring_in.html", context, status=422 if error else 200)


def _offer(request: PersonRequest, raw: bytes) -> Offered:
    if raw.lstrip()[:1] == b"{":
        return offer_series(raw)
    posted = request.POST
    about = SeriesDocument(
        posted.get("id", "").strip(), posted.get("name", "").strip() or posted.get("id", ""),
        posted.get("family", ""), posted.get("track", "").strip() or None, posted.get("note", ""), [],
    )  # fmt: skip
    return offer_series(raw, about)
