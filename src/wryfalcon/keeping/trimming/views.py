"""A trim by measured keys, or a morning check by one."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_safe

from keycore.coordinate import Coordinate
from keycore.machines.trim import Advice
from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.bench.models import Piece, PieceState
from wryfalcon.bench.proving.actions import read_caliper as ask_caliper
from wryfalcon.fields import NUMBER, PRESSED, WORD, posted, unit_typed
from wryfalcon.keeping.forms import TrimForm
from wryfalcon.keeping.trimming.actions import (
    ClampingReadings,
    begin_trim,
    close_trim,
    cut_name,
    hang_test_key,
    measure_clamping,
    try_caliper,
    withdraw_clamping,
)
from wryfalcon.keeping.trimming.presenters import advice_of, of_tools, terms_of
from wryfalcon.keeping.trimming.queries import CLAMPINGS, TrimState, can_be_cut, planned_cuts, trim_state
from wryfalcon.keeping.trimming.test_key import drawn_test_errors, drawn_test_key
from wryfalcon.lengths import NotALength, can_measure, meant_in_other_unit, parse_value, split_lengths
from wryfalcon.machines.line.press import press_of
from wryfalcon.machines.line.queries import last_order, line_of
from wryfalcon.machines.models import Machine, Trim
from wryfalcon.presses import press
from wryfalcon.refusal import NotDone, OnlyPartly

BLOCK = Coordinate("size of a gauge block")
MOST_CLAMPINGS = 12


@press
@needs(Act.CUT)
def begin(request: PersonRequest, pk: int) -> HttpResponse:
    """Begin a trim, or a morning check."""
    machine = get_object_or_404(Machine, pk=pk)
    said = TrimForm.of(request, machine=machine)
    trim = begin_trim(request.user, machine, said["family"], side=said["side"], own=said["own"], is_check=said["check"])
    return redirect("keeping:trim", pk=trim.pk)


@require_safe
@needs(Act.CUT)
def show(request: PersonRequest, pk: int) -> HttpResponse:
    """A trim as it stands."""
    return _page(request, trim_state(_trim(pk)))


@require_safe
@needs(Act.CUT)
def paper(request: PersonRequest, pk: int) -> HttpResponse:
    """The test bitting for paper, with room for what is measured."""
    state = trim_state(_trim(pk))
    context = {
        "state": state, "trim": state.trim, "machine": state.trim.machine, "family": state.family,
        "clampings": range(1, (1 if state.trim.is_check else CLAMPINGS + 1) + 1),
    }  # fmt: skip
    return render(request, "keeping/trimming/trim_print.html", context)


@press
@needs(Act.CUT)
def caliper(request: PersonRequest, pk: int) -> HttpResponse:
    """What the caliper says of a known size."""
    trim, said = _trim(pk), posted(request, known=WORD, read=WORD)
    try:
        known, read = (_value(request, said[name], BLOCK) for name in ("known", "read"))
        if known is None or read is None:
            raise NotDone("Type the known size and what the caliper says of it.")
        try_caliper(request.user, trim, known, read)
    except NotDone as refusal:
        return _page(request, trim_state(trim), typed=said, problem=refusal.says)
    return redirect("keeping:trim", pk=pk)


@press
@needs(Act.CUT)
def measured(request: PersonRequest, pk: int) -> HttpResponse:
    """What was measured of one clamping."""
    trim = _trim(pk)
    planned = planned_cuts(trim)
    typed = {f"{letter}{cut}": WORD for letter in "vp" for cut in range(1, len(planned) + 1)}
    said = posted(request, clamping=NUMBER, partly=PRESSED, **typed)
    number = said["clamping"]
    try:
        if not 1 <= number <= MOST_CLAMPINGS:
            raise NotDone(f"At most {MOST_CLAMPINGS} clampings.")
        family = trim.family_record.family
        values, positions = (_spread(said, letter, len(planned)) for letter in "vp")
        cuts = {
            cut.number: ClampingReadings(
                _value(request, value, family.depth, f"Cut {name}", can_measure(family, family.track(cut.track))),
                _value(request, position, family.space, f"Position of cut {name}"),
            )
            for cut, value, position in zip(planned, values, positions, strict=True)
            for name in [cut_name(trim, cut)]
        }
        measure_clamping(request.user, trim, number, cuts, is_partly=said["partly"])
    except NotDone as refusal:
        is_partly = isinstance(refusal, OnlyPartly)
        return _page(request, trim_state(trim), typed=said, problem=refusal.says, is_partly=is_partly)
    return redirect("keeping:trim", pk=pk)


@press
@needs(Act.CUT)
def read_caliper(request: PersonRequest, pk: int, piece: int) -> HttpResponse:
    """Ask the caliper of the machine that made a test key to read it."""
    trim = _trim(pk)
    made = get_object_or_404(Piece.objects.select_related("machine", "tag"), pk=piece, tag=trim.tag_id or 0)
    ask_caliper(press_of(request), made.tag, made)
    return redirect("keeping:trim", pk=pk)


@press
@needs(Act.CUT)
def withdraw(request: PersonRequest, pk: int, clamping: int) -> HttpResponse:
    """Take a clamping back."""
    trim = _trim(pk)
    withdraw_clamping(request.user, trim, clamping)
    return redirect("keeping:trim", pk=pk)


@press
@needs(Act.CUT)
def hang(request: PersonRequest, pk: int) -> HttpResponse:
    """Hang a tag for the test keys."""
    trim = _trim(pk)
    tag = hang_test_key(request.user, trim, 1 if trim.is_check else CLAMPINGS)
    return redirect("bench:settle", number=tag.number)


@press
@needs(Act.CUT)
def close(request: PersonRequest, pk: int) -> HttpResponse:
    """Put the adjustment in force, or leave the machine alone."""
    trim, said = _trim(pk), posted(request, seen=WORD, apply=PRESSED)
    change = close_trim(request.user, trim, said["seen"], apply=said["apply"])
    done = (
        "The new offsets are in force: cut a test key again and prove it." if change else "Kept; nothing was adjusted."
    )
    messages.success(request, done)
    return redirect("keeping:machine", pk=trim.machine_id)


def _page(
    request: PersonRequest,
    state: TrimState,
    typed: Mapping[str, Any] | None = None,
    problem: str = "",
    *,
    is_partly: bool = False,
) -> HttpResponse:
    given = typed or {}
    number = max((each.number for each in state.clampings if not each.from_tag), default=0) + 1
    rows = [
        (cut, cut_name(state.trim, cut), given.get(f"v{cut.number}", ""), given.get(f"p{cut.number}", ""))
        for cut in state.planned
    ]
    context = {
        "state": state, "advice": advice_of(state), "terms": terms_of(state),
        "trim": state.trim, "machine": state.trim.machine, "family": state.family, "rows": rows,
        "is_of_one_wall": state.is_of_walls and not state.trim.beside, "of_tools": _of_tools(state),
        "clamping": given.get("clamping", number), "problem": problem, "enough": CLAMPINGS,
        "can_be_cut": can_be_cut(state.trim),
        "positions_typed": state.is_of_holes or any(position for *_, position in rows),
        "is_partly": is_partly, "key": drawn_test_key(state), "errors": drawn_test_errors(state), **_test_keys(state),
    }  # fmt: skip
    return render(request, "keeping/trimming/trim.html", context, status=422 if problem else 200)


def _of_tools(state: TrimState) -> str:
    """What the keys say of the mill or the drills, where the advice is of something else."""
    return of_tools(state) if state.fit is not None and state.fit.advice != Advice.SERVICE else ""


def _test_keys(state: TrimState) -> dict[str, Any]:
    """The test keys that are made, and how far the machine's caliper is with the one it reads."""
    trim = state.trim
    if trim.tag is None or not trim.machine.is_simulated or trim.closed_at is not None:
        return {}
    order = last_order(trim.machine_id)  # read before the values that it may have brought
    made = Piece.objects.filter(tag=trim.tag, state=PieceState.FINISHED).order_by("pk")
    to_read = made.exclude(proof_values__withdrawn=False).distinct()
    is_measuring = order is not None and order.order.command == "measure"
    return {"to_read": to_read, "order": order if is_measuring else None, "line": line_of(trim.machine)}


def _spread(said: Mapping[str, Any], letter: str, count: int) -> list[str]:
    """What was typed for each cut; several values in the first field, the others empty, are one for each."""
    typed = [said[f"{letter}{space}"].strip() for space in range(1, count + 1)]
    several = split_lengths(typed[0])
    if len(several) > 1 and not any(typed[1:]):
        if len(several) > count:
            raise NotDone(f"{len(several)} values for {count} cuts.")
        return several + [""] * (count - len(several))
    return typed


def _value(
    request: PersonRequest, typed: str, wanted: Coordinate, what: str = "", near: tuple[float, float] | None = None
) -> float | None:
    if not typed.strip():
        return None
    shop = unit_typed(request)
    try:
        if near and (other := meant_in_other_unit(typed, shop, wanted, near)):
            raise NotDone(f"{what}: {other}? Type the unit if so; your unit is {shop}.")
        return parse_value(typed, shop, wanted, near).value
    except NotALength as error:
        raise NotDone(f"{what}: {error}" if what else str(error)) from None


def _trim(pk: int) -> Trim:
    return get_object_or_404(Trim.objects.select_related("machine", "family_record", "tag", "jaw_side__clamp"), pk=pk)
