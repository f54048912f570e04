"""Which codes of the series a reading may be, weighed by its own probabilities."""

from __future__ import annotations

from django.http import HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_http_methods

from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.bench.reading.queries import readings_of, track_of
from wryfalcon.bench.stage import allowed_on, open_tag
from wryfalcon.codes.actions.looks import note_look
from wryfalcon.codes.queries.fitting import CodesThatFit, codes_that_fit


@require_http_methods(["GET", "HEAD", "POST"])
@needs(Act.READ_KEYS)
def show(request: PersonRequest, number: int) -> HttpResponse:
    """The codes that fit best; asked for by a POST they are uncovered, which is written down."""
    tag = open_tag(request, number)
    reading = track_of(readings_of(tag), request.GET.get("track"))
    evidence = tuple(source.evidence for source in reading.weighed if source.evidence is not None)
    fitting = CodesThatFit()
    if evidence and tag.family_record is not None:
        fitting = codes_that_fit(tag.family_record, reading.track, evidence)
    uncovered = request.method == "POST" and bool(fitting.codes)
    if uncovered:
        note_look(request.user, "that fit a tag", [fit.code for fit in fitting.codes], tag)
    context = {
        "tag": tag, "allowed": allowed_on(request.user, tag), "reading": reading,
        "fitting": fitting, "uncovered": uncovered,
        "asks_at": request.get_full_path(), "many_tracks": len(tag.family.tracks) > 1,
    }  # fmt: skip
    return render(request, "bench/reading/codes.html", context)
