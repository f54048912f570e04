"""Set up: the card for this key on this machine."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET, require_POST

from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.bench.actions.set_up import TICKS, set_up, tick
from wryfalcon.bench.forms import FittingForm
from wryfalcon.bench.models import Tag
from wryfalcon.bench.queries.planning import Card, card_of, is_same_wheel
from wryfalcon.bench.views.stage import attempt, find_tag, key_of, open_tag, show_stage, to_stage
from wryfalcon.drawings.jaw import draw_jaw
from wryfalcon.machines.formats.gcode import write_gcode
from wryfalcon.machines.formats.outline import write_dxf, write_svg
from wryfalcon.machines.models import Cutter, DriverKind, JawSide, Machine, MachineKind
from wryfalcon.records.actions import note_document


@require_GET
@needs(Act.LOOK)
def set_up_stage(request: PersonRequest, number: int) -> HttpResponse:
    """The card, or the choice of machine, cutter and jaw."""
    tag = open_tag(request, number)
    return show_stage(request, tag, "set-up", _context(request, tag))


@require_GET
@needs(Act.LOOK)
def print_card(request: PersonRequest, number: int) -> HttpResponse:
    """The card alone, for paper."""
    tag = open_tag(request, number)
    if tag.set_up is None:
        return to_stage(tag, "set-up")
    return render(request, "bench/card_print.html", {"tag": tag, "family": tag.family, **_context(request, tag)})


@require_POST
@needs(Act.CUT)
def choose_fitting(request: PersonRequest, number: int) -> HttpResponse:
    """Choose the machine, cutter, jaw side and path."""
    tag = find_tag(number)
    form = FittingForm(request.POST)
    if not form.is_valid():
        return show_stage(
            request, tag, "set-up", {**_context(request, tag), "form": form, "choosing": True}, status=422
        )
    attempt(request, lambda: set_up(request.user, tag, form.fitting()))
    return to_stage(tag, "set-up")


@require_POST
@needs(Act.CUT)
def tick_checks(request: PersonRequest, number: int) -> HttpResponse:
    """Keep which checks are done; with all of them, go on to cutting."""
    tag = find_tag(number)
    kept = attempt(request, lambda: tick(request.user, tag, request.POST.getlist("tick")))
    ready = kept and tag.set_up is not None and len(request.POST.getlist("tick")) >= len(TICKS)
    return to_stage(tag, "cut" if ready and "go" in request.POST else "set-up")


@require_POST
@needs(Act.LOOK)
def cut_plan_file(request: PersonRequest, number: int, kind: str) -> HttpResponse:
    """The plan of this card as G-code, DXF or SVG."""
    tag = find_tag(number)
    card = tag.set_up and card_of(tag, tag.set_up)
    if not card:
        return to_stage(tag, "set-up")
    note_document(request.user, tag, f"the cut plan, {kind}")
    written, mime = _written(tag, card, kind)
    answer = HttpResponse(written, content_type=mime)
    answer["Content-Disposition"] = f'attachment; filename="tag-{tag}.{kind}"'
    return answer


def _written(tag: Tag, card: Card, kind: str) -> tuple[str, str]:
    if kind == "dxf":
        return write_dxf(card.plan), "image/vnd.dxf"
    if kind == "svg":
        return write_svg(card.plan), "image/svg+xml"
    height = card.plan.blank.height * (25.4 if tag.family.unit == "in" else 1.0)
    axes = card.set_up.machine.space_axis, card.set_up.machine.depth_axis
    return write_gcode(f"tag {tag}", card.set_up.commands, height, axes), "text/plain; charset=utf-8"


def _context(request: PersonRequest, tag: Tag) -> dict[str, Any]:
    choosing = tag.set_up is None or "choose" in request.GET
    values = tag.settlement.values if tag.settlement else {}
    context: dict[str, Any] = {"choosing": choosing, "key": key_of(tag, values)}
    if choosing:
        return {**context, "form": FittingForm(initial=_proposal(tag)), **_choices(tag)}
    assert tag.set_up is not None
    card = card_of(tag, tag.set_up)
    deepest = max(cut.depth_of_cut for planned in card.plan.tracks for cut in planned.cuts)
    return {
        **context,
        "card": card,
        "told": _told(card),
        "ticks": [(name, says, name in tag.set_up.ticks) for name, says in TICKS.items()],
        "jaw": draw_jaw(tag.family, card.showing, deepest),
        "deepest": deepest,
        "plan_files": [("nc", "G-code"), ("dxf", "DXF"), ("svg", "SVG")],
    }


def _told(card: Card) -> list[dict[str, Any]]:
    """Each command with the plan's own figures beside it, grouped by side."""
    planned = {(p.track.name, cut.space): cut for p in card.plan.tracks for cut in p.cuts}
    return [{**command, "cut": planned[command["track"], command["space"]]} for command in card.set_up.commands]


def _proposal(tag: Tag) -> dict[str, Any]:
    """The machine whose cutter fits this family; the jaw side the family names."""
    own = tag.family.tracks[0].cut
    fits = [c for c in Cutter.wheels() if own is not None and is_same_wheel(tag, own, c)]
    machines = list(Machine.objects.exclude(driver=DriverKind.NONE))
    machine = next((m for m in machines if fits and m.fitted_id == fits[0].pk), machines[0] if machines else None)
    side = JawSide.objects.filter(machine=machine, name=tag.family.setup.get("jaw", "A")).first()
    return {"machine": machine, "cutter": fits[0] if fits else None, "jaw_side": side}


def _choices(tag: Tag) -> dict[str, Any]:
    own = tag.family.tracks[0].cut
    tracer = MachineKind.TRACING if tag.family.kind.is_profiled else MachineKind.SIDE_MILL
    return {
        "fitting_cutters": [c.name for c in Cutter.wheels() if own and is_same_wheel(tag, own, c)],
        "tracers": Machine.objects.filter(kind=tracer),
        "can_set_up": tag.settlement is not None and tag.settlement.read_back_at is not None,
    }
