"""A duplicate beside its pattern."""

from __future__ import annotations

from django.contrib import messages
from django.db.models import QuerySet
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods

from keycore.coordinate import Coordinate
from keycore.units import Unit
from wryfalcon.accounts.permissions import Act, PersonRequest, needs, needs_to_change
from wryfalcon.bench.models import Tag
from wryfalcon.fields import PASTED, posted, unit_typed
from wryfalcon.keeping.tracing.actions import TracedKey, keep_duplicate, note_copy_seen, withdraw_duplicate
from wryfalcon.keeping.tracing.presenters import verdict_words
from wryfalcon.keeping.tracing.queries import duplicates_on, measured_pattern, tracks_to_trace
from wryfalcon.lengths import parse_value, show_value, split_lengths
from wryfalcon.library.models import FamilyRecord
from wryfalcon.log.actions import note_tag_opened
from wryfalcon.machines.models import TRACES, Duplicate, Machine
from wryfalcon.numbers import whole_number
from wryfalcon.presses import press
from wryfalcon.refusal import NotDone
from wryfalcon.requests import or_404

UNMEASURED = {"-", "–", "."}
MOST_CUTS = 40
TYPED = ("key", "pattern", "copy", "tag")


@require_http_methods(["GET", "HEAD", "POST"])
@needs_to_change(Act.PROVE)
def duplicates(request: PersonRequest, pk: int) -> HttpResponse:
    """Type a pattern and its copy; see what the machine did and what the key is."""
    machine = or_404(_that_traces(pk).first())
    problem, shown = "", duplicates_on(machine)
    uncovered = "uncover" in request.POST and bool(shown)
    typed = {name: request.GET.get(name, "") for name in TYPED}
    if request.method == "POST":
        typed = posted(request, **dict.fromkeys(TYPED, PASTED))
    if uncovered:
        note_copy_seen(request.user, shown[0].duplicate)
    elif request.method == "POST":
        try:
            keep_duplicate(request.user, machine, _traced(request, typed))
            return redirect("keeping:duplicates", pk=pk)
        except NotDone as refusal:
            problem = refusal.says
    elif typed["tag"]:
        typed |= _from_tag(request, typed["tag"])
    context = {
        "machine": machine, "typed": typed, "problem": problem, "tracks": tracks_to_trace(),
        "duplicates": [(each, verdict_words(each)) for each in shown], "uncovered": uncovered,
    }  # fmt: skip
    return render(request, "keeping/tracing/duplicates.html", context, status=422 if problem else 200)


def _that_traces(pk: int) -> QuerySet[Machine]:
    return Machine.objects.filter(pk=pk, kind__in=TRACES)


@press
@needs(Act.PROVE)
def withdraw(request: PersonRequest, pk: int, duplicate: int) -> HttpResponse:
    """Take a duplicate back."""
    kept = get_object_or_404(Duplicate.objects.select_related("machine", "tag"), pk=duplicate, machine=pk)
    withdraw_duplicate(request.user, kept)
    messages.success(request, "Taken back.")
    return redirect("keeping:duplicates", pk=pk)


def _traced(request: PersonRequest, typed: dict[str, str]) -> TracedKey:
    number, _, track = typed["key"].partition(":")
    record = FamilyRecord.objects.in_force().filter(pk=whole_number(number)).first()
    if record is None or track not in {each.name for each in record.family.tracks}:
        raise NotDone("Say which family the keys are of.")
    depth, shop = record.family.depth, unit_typed(request)
    pattern, copy = _values(typed["pattern"], shop, depth), _values(typed["copy"], shop, depth)
    repeats = min((len(values) for values in [*pattern, *copy] if values), default=1)
    return TracedKey(record, track, _means(pattern), _means(copy), _tag(typed["tag"]), repeats)


def _values(typed: str, shop: Unit, depth: Coordinate) -> list[list[float]]:
    """Each cut's values: ``.301/.302`` is one cut measured twice, a dash one not measured."""
    cuts = [[] if each in UNMEASURED else each.split("/") for each in split_lengths(typed)[:MOST_CUTS]]
    return [[parse_value(value, shop, depth).value for value in values] for values in cuts]


def _means(cuts: list[list[float]]) -> list[float | None]:
    return [sum(values) / len(values) if values else None for values in cuts]


def _tag(typed: str) -> Tag | None:
    digits = typed.strip().lstrip("#")
    if not digits:
        return None
    tag = Tag.objects.filter(number=whole_number(digits)).first()
    if tag is None:
        raise NotDone(f"There is no tag {digits[:12]}.")
    return tag


def _from_tag(request: PersonRequest, number: str) -> dict[str, str]:
    """What is known already of a tag's key, so that it is not typed twice."""
    try:
        tag = _tag(number)
    except NotDone:
        return {}
    if tag is None or tag.family_record is None:
        return {}
    note_tag_opened(request.user, tag)
    track, shown = tag.family.tracks[0].name, Unit(request.user.unit)
    values = [
        "-" if value is None else show_value(tag.family.depth, value, shown, fine=True)
        for value in measured_pattern(tag, track)
    ]
    record = FamilyRecord.objects.in_force().get(slug=tag.family_record.slug)
    return {"key": f"{record.pk}:{track}", "pattern": "" if set(values) == {"-"} else " ".join(values)}
