"""A good key copied as it is: taken in on a short form, made by its hand card, read only where that is worth it."""

from __future__ import annotations

from django import forms
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_http_methods

from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.bench.copying.actions import BriefTyped, clamp_key, do_step, keep_brief, move_on_purpose, put_back
from wryfalcon.bench.copying.forms import BriefForm, CopyForm
from wryfalcon.bench.cutting.hand_card import WHERE_IT_TURNS
from wryfalcon.bench.models import MadeHow, Piece
from wryfalcon.bench.reading.actions import Typed
from wryfalcon.bench.stage import find_tag, stage_at, to_stage
from wryfalcon.bench.tags.actions import copy_or_read, take_in
from wryfalcon.fields import PRESSED, WORD, posted, unit_typed
from wryfalcon.library.models import Blank
from wryfalcon.machines.models import TRACES, Machine
from wryfalcon.presses import press
from wryfalcon.refusal import NotDone


@require_http_methods(["GET", "HEAD", "POST"])
@needs(Act.TAKE_IN)
def new_copy(request: PersonRequest) -> HttpResponse:
    """Take in a good key to be copied: who, which blank, how many."""
    form = CopyForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        try:
            return to_stage(take_in(request.user, form.job()), "cut")
        except NotDone as refusal:
            form.add_error(refusal.field if refusal.field in form.fields else None, refusal.says)
    hooks = Blank.objects.values_list("pk", "code", "hook", "left")
    blanks = [(pk, f"{code}, hook {hook}, {left} left") for pk, code, hook, left in hooks]
    status = 422 if request.method == "POST" else 200
    context = {"form": form, "blanks": blanks, "caution": WHERE_IT_TURNS.format(tool="cutter")}
    return render(request, "bench/copying/copy.html", context, status=status)


@press
@needs(Act.TAKE_IN)
def change_way(request: PersonRequest, number: int) -> HttpResponse:
    """Copy this tag's key from its pattern, or read it after all."""
    tag = find_tag(number, without_family=True)
    is_copied = posted(request, copy=PRESSED)["copy"]
    copy_or_read(request.user, tag, is_copied=is_copied)
    if not is_copied and tag.family_record_id is None:
        return to_stage(tag, "take-in")
    return to_stage(tag, "cut" if is_copied else "read")


@press
@needs(Act.CUT)
def step(request: PersonRequest, number: int, machine: int) -> HttpResponse:
    """A step before copying was done at a duplicator, or it was put back where it was."""
    tag = find_tag(number, of_a_copy=True)
    kept = get_object_or_404(Machine, pk=machine, kind__in=TRACES)
    if "put-back" in request.POST:
        put_back(request.user, kept)
    else:
        do_step(request.user, tag, kept, posted(request, step=WORD)["step"])
    return to_stage(tag, "cut", f"?way={MadeHow.TRACED}:{kept.pk}")


@press
@needs(Act.CUT)
def clamped(request: PersonRequest, number: int, piece: int) -> HttpResponse:
    """Which key is in the one clamp now."""
    tag = find_tag(number, of_a_copy=True)
    kept = get_object_or_404(Piece.objects.select_related("machine"), pk=piece, tag=tag)
    request.goes_back_to = stage_at(tag, "cut", f"?piece={piece}")
    clamp_key(tag, kept, posted(request, which=WORD)["which"])
    return to_stage(tag, "cut", f"?piece={piece}")


@press
@needs(Act.READ_KEYS)
def brief(request: PersonRequest, number: int) -> HttpResponse:
    """What was measured of a pattern read briefly; or the duplicator was moved for it."""
    tag, unit = find_tag(number), unit_typed(request)
    track = tag.family.tracks[0]
    if "move" in request.POST:
        traced = forms.ModelChoiceField(Machine.objects.filter(kind__in=TRACES))
        moved = posted(request, machine=traced, move=forms.FloatField())
        machine = moved["machine"]
        move_on_purpose(request.user, tag, machine, moved["move"])
        return to_stage(tag, "cut", f"?way={MadeHow.TRACED}:{machine.pk}")
    said = BriefForm.of(request, cuts=len(track.spaces))
    cuts = [Typed(track.name, space, said[f"cut-{space}"], unit) for space in range(1, len(track.spaces) + 1)]
    generation = said["generation"] if "generation" in request.POST else None
    keep_brief(
        request.user, tag, BriefTyped(said["look"], cuts, said["blade"], said["blade-at"] or 0.0, generation, unit)
    )
    return to_stage(tag, "cut")
