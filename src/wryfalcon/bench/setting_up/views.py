"""Set up: the card for this key on this machine."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_safe

from keycore.cutting.commands import needs_height
from keycore.cutting.lay import lay_words
from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.bench.filing.presenters import filing_of
from wryfalcon.bench.models import SetUp, Tag
from wryfalcon.bench.setting_up.actions import FILED, measure_blank, remake, set_up, tick
from wryfalcon.bench.setting_up.cut_table import cut_table
from wryfalcon.bench.setting_up.forms import FittingForm, HeightForm
from wryfalcon.bench.setting_up.planning import Card, Planned, card_of, plan_by, planned_of, serves
from wryfalcon.bench.setting_up.presenters import (
    driven_machines,
    fittings_of,
    guide_words,
    lapse_words,
    plan_head,
    practice_words,
    problems_of,
)
from wryfalcon.bench.setting_up.queries import hand_checks, what_holds
from wryfalcon.bench.setting_up.told import by_lay, program_of
from wryfalcon.bench.stage import find_tag, key_of, key_to_cut, open_tag, show_stage, to_stage
from wryfalcon.bench.trying.presenters import try_words
from wryfalcon.drawings.jaw import draw_jaw
from wryfalcon.drawings.key import KeyDrawing
from wryfalcon.drawings.kinds import FACE_WORDS
from wryfalcon.drawings.loading import Loading, draw_loadings
from wryfalcon.drawings.paper import DESK, laid_on
from wryfalcon.drawings.real_size import RealSize, draw_sections
from wryfalcon.fields import LIST, PRESSED, WORD, posted
from wryfalcon.log.actions import note_document
from wryfalcon.machines.faces.queries import face_now, has_faces
from wryfalcon.machines.formats.gcode import write_gcode
from wryfalcon.machines.formats.outline import views_of, write_dxf, write_svg
from wryfalcon.machines.line.press import press_of
from wryfalcon.machines.models import TRACES_SURFACE, JawSide, Machine
from wryfalcon.machines.offsets import offsets_for
from wryfalcon.numbers import whole_number
from wryfalcon.presses import press
from wryfalcon.refusal import NotDone


@require_safe
@needs(Act.LOOK)
def set_up_stage(request: PersonRequest, number: int) -> HttpResponse:
    """The card, or the choice of machine, cutter and jaw."""
    tag = open_tag(request, number)
    return show_stage(request, tag, "set-up", _context(request, tag))


@require_safe
@needs(Act.LOOK)
def print_card(request: PersonRequest, number: int) -> HttpResponse:
    """The card alone, for paper."""
    tag = open_tag(request, number)
    if tag.set_up is None:
        return to_stage(tag, "set-up")
    with laid_on(DESK):
        context = {"key": key_to_cut(tag), **_card_context(tag, tag.set_up), "allowed": {}}
        context["here"] = reverse("bench:set-up", args=[tag.number])
        return render(request, "bench/setting_up/card_print.html", {"tag": tag, "family": tag.family, **context})


@press
@needs(Act.CUT)
def choose_fitting(request: PersonRequest, number: int) -> HttpResponse:
    """Choose the machine, cutter, jaw side and path."""
    tag = find_tag(number)
    if tag.family.kind.is_filed:
        raise NotDone(FILED)
    form = FittingForm(tag.family, request.POST)
    if not form.is_valid():
        return show_stage(
            request,
            tag,
            "set-up",
            {**_context(request, tag), "form": form, "choosing": True, **_choices(request, tag)},
            status=422,
        )
    set_up(request.user, tag, form.fitting())
    return to_stage(tag, "set-up")


@press
@needs(Act.CUT)
def tick_checks(request: PersonRequest, number: int) -> HttpResponse:
    """Keep which checks are done; with all of them, go on to cutting."""
    tag = find_tag(number)
    said = posted(request, tick=LIST, seen=WORD, go=PRESSED)
    tick(request.user, tag, said["tick"], said["seen"])
    ready = tag.set_up is not None and set(said["tick"]) >= {check.id for check in hand_checks(tag.family)}
    return to_stage(tag, "cut" if ready and said["go"] else "set-up")


@press
@needs(Act.CUT)
def make_anew(request: PersonRequest, number: int) -> HttpResponse:
    """Make the card anew as things are now, nothing ticked."""
    tag = find_tag(number)
    remake(press_of(request), tag)
    return to_stage(tag, "set-up")


@press
@needs(Act.CUT)
def measure_height(request: PersonRequest, number: int) -> HttpResponse:
    """The height of this blank was measured: the card is made anew by it."""
    tag = find_tag(number)
    measure_blank(press_of(request), tag, HeightForm.of(request)["height"])
    return to_stage(tag, "set-up")


@press
@needs(Act.LOOK)
def cut_plan_file(request: PersonRequest, number: int, kind: str) -> HttpResponse:
    """The plan of this card as G-code, DXF or SVG."""
    tag = find_tag(number)
    card = tag.set_up and card_of(tag, tag.set_up)
    if not card:
        return to_stage(tag, "set-up")
    if what_holds(tag, card.set_up).to_remake:
        raise NotDone("The card no longer holds: a plan by it would cut a wrong key. Make it anew first.")
    view = posted(request, view=WORD)["view"]
    if view and (kind == "nc" or view not in views_of(card.plan)):
        raise Http404
    note_document(request.user, tag, f"the cut plan, {kind}{f', {view}' if view else ''}")
    written, mime = _written(tag, card, kind, view)
    answer = HttpResponse(written, content_type=mime)
    answer["Content-Disposition"] = f'attachment; filename="tag-{tag}{f"-{view}" if view else ""}.{kind}"'
    return answer


def _written(tag: Tag, card: Card, kind: str, view: str) -> tuple[str, str]:
    if kind == "dxf":
        return write_dxf(card.plan, view), "image/vnd.dxf"
    if kind == "svg":
        return write_svg(card.plan, view), "image/svg+xml"
    made = card.set_up
    offsets = offsets_for(made.machine, tag.family.gauge, made.jaw_side, tag.family_record)
    program = program_of(tag, made, f"tag {tag}", plan_head(tag, made, offsets))
    return write_gcode(program, by_lay(card.plan, made.commands)), "text/plain; charset=utf-8"


def _context(request: PersonRequest, tag: Tag) -> dict[str, Any]:
    filing = filing_of(tag)
    if filing is not None:
        return {"filing": filing, "key": key_to_cut(tag), "tries": try_words(tag), "guide_says": guide_words(tag)}
    choosing = tag.set_up is None or "choose" in request.GET
    context: dict[str, Any] = {
        "choosing": choosing,
        "key": key_to_cut(tag),
        "tries": try_words(tag),
        "guide_says": guide_words(tag),
    }
    if choosing:
        return {**context, "form": FittingForm(tag.family), **_choices(request, tag)}
    assert tag.set_up is not None
    return {**context, **_card_context(tag, tag.set_up)}


def _card_context(tag: Tag, made: SetUp) -> dict[str, Any]:
    """Everything the card itself shows."""
    card, holding = card_of(tag, made), what_holds(tag, made)
    drawn = _drawn(planned_of(tag, made.settlement, style=made.style, cutter=made.cutter))
    return {
        "card": card,
        "holding": holding,
        "practice": practice_words(made.machine),
        "lapses": lapse_words(holding),
        "problems": problems_of(card),
        "cuts": cut_table(card),
        "ticks": [(check.id, check.says, check.id in holding.ticks) for check in holding.checks],
        "jaw": draw_jaw(tag.family, card.showing, card.deepest),
        "deepest": card.deepest,
        "other_faces": _other_faces(tag, made),
        "sections": drawn.sections,
        "face_says": _face_words(made.jaw_side),
        "loadings": drawn.loadings,
        "lies": "" if drawn.loadings else next((lay_words(lay) for lay in card.plan.lays), ""),
        "fins": card.plan.fins,
        "height": _height(tag, card),
        "plan_files": _plan_files(drawn.views),
    }


def _height(tag: Tag, card: Card) -> dict[str, Any]:
    """Whose height a face that is turned over is told from, where one is: this blank's as measured, or the table's."""
    if not needs_height(card.plan):
        return {}
    listed = tag.family.lengths.to_machine(card.plan.blank.height)
    made = card.set_up
    return {
        "field": HeightForm(initial={"height": made.height or listed}),
        "is_measured": made.height is not None,
        "is_used": made.height is not None and made.is_blank_used,
    }


def _other_faces(tag: Tag, made: SetUp) -> list[tuple[str, KeyDrawing]]:
    """The key as cut, seen on each face and edge that has tracks beside the one drawn large."""
    if not tag.family.kind.is_of_faces:
        return []
    first: dict[str, str] = {}
    for track in tag.family.tracks:
        first.setdefault(track.face, track.name)
    drawn = [
        (FACE_WORDS[face].capitalize(), key_of(tag, made.settlement.values, style=made.style, track=track))
        for face, track in list(first.items())[1:]
    ]
    return [(words, key) for words, key in drawn if key is not None]


def _face_words(side: JawSide | None) -> str:
    """What is to be known of the face that the blade lies on, where it is not touched off; "" where it is."""
    if side is None or not has_faces(side):
        return ""
    face = face_now(side)
    if face.is_true:
        return ""
    moved = next((each.moved_by for each in face.steps if each.moved_by), "")
    since = f" since {moved}" if moved else ""
    return f"{side} is not touched off{since}: walls lie as far off as its face does."


@lru_cache(maxsize=128)
def _drawn(planned: Planned) -> Drawn:
    """What a card draws of its plan: the same plan is drawn once."""
    plan = plan_by(planned)
    return Drawn(
        loadings=draw_loadings(plan),
        sections=draw_sections(plan.family, dict(planned.values), planned.style)[1:],
        views=tuple(views_of(plan)),
    )


@dataclass(frozen=True)
class Drawn:
    """How the blank is loaded, its sections, and the views there are files of."""

    loadings: tuple[Loading, ...]
    sections: tuple[RealSize, ...]
    views: tuple[str, ...]


def _plan_files(views: Sequence[str]) -> list[tuple[str, str, str]]:
    """Each file that the plan is given as: what it ends in, the view it is of, and its words."""
    drawings = [("dxf", "DXF"), ("svg", "SVG")]
    found = [("nc", "", "G-code"), *((ending, "", words) for ending, words in drawings)]
    return [*found, *((ending, view, f"{words} of the {view}") for view in views[1:] for ending, words in drawings)]


def _choices(request: PersonRequest, tag: Tag) -> dict[str, Any]:
    """The machine asked for, else the one whose fitted cutter serves, and what there is to put on it."""
    tracer = TRACES_SURFACE.get(tag.family.kind.surface)
    machines = driven_machines()
    given = posted(request, machine=WORD)["machine"] if request.method == "POST" else request.GET.get("machine")
    wanted = whole_number(given)
    asked = next((each for each in machines if each.pk == wanted), None)
    found = asked or next((each for each in machines if _is_served(tag, each)), machines[0] if machines else None)
    return {
        "machines": machines,
        "fittings": fittings_of(tag, tag.to_cut, found) if found else None,
        "tracers": Machine.objects.filter(kind=tracer),
        "can_set_up": tag.to_cut is not None and tag.to_cut.read_back_at is not None,
    }


def _is_served(tag: Tag, machine: Machine) -> bool:
    own = tag.family.tracks[0].tool
    return own is not None and machine.fitted is not None and serves(tag, own, machine.fitted)
