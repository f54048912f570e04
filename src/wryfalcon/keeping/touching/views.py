"""Trim by touch, for duplicators that trace a pattern key."""

from __future__ import annotations

from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_safe

from keycore.errors import InputError
from keycore.machines.side_mill import correct_side_mill, set_side_mill
from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.fields import WORD, posted
from wryfalcon.keeping.forms import MillForm, MillProofForm
from wryfalcon.keeping.touching.actions import begin_anew, note_cylinder, note_touch
from wryfalcon.keeping.touching.presenters import FELT_IN_CYLINDER, MARKS, STEPS, last_advice, tries_shown
from wryfalcon.machines.fittings.presenters import mismatch_words
from wryfalcon.machines.fittings.queries import mismatch_of
from wryfalcon.machines.hands.queries import caliper_sd_mm
from wryfalcon.machines.models import Machine, MachineKind
from wryfalcon.machines.touches import is_to_be_proven, touches_of
from wryfalcon.presses import press


@require_safe
@needs(Act.LOOK)
def show(request: PersonRequest, pk: int) -> HttpResponse:
    """The steps, the four marks, and what to turn next."""
    machine = _machine(pk)
    tries = touches_of(machine)
    context = {
        **(_mill(request) if machine.kind == MachineKind.SIDE_MILL else {}),
        "mismatch": mismatch_words(mismatch_of(machine, list(machine.followers.all()))),
        "machine": machine, "steps": STEPS[MachineKind(machine.kind)], "marks": MARKS,
        "tries": tries_shown(tries), "advice": last_advice(machine, tries), "to_prove": is_to_be_proven(tries),
        "felt": FELT_IN_CYLINDER, "is_proven": request.GET.get("proven") == "1" and not tries,
    }  # fmt: skip
    return render(request, "keeping/touching/touch.html", context)


@press
@needs(Act.CUT)
def showed(request: PersonRequest, pk: int) -> HttpResponse:
    """Note what the blanks showed, or begin anew."""
    machine = _machine(pk)
    if "anew" in request.POST:
        begin_anew(machine)
        return redirect("keeping:touch", pk=pk)
    answer = redirect("keeping:touch", pk=pk)
    said = posted(request, mark=WORD, cylinder=WORD)
    if "cylinder" not in request.POST:
        note_touch(request.user, machine, said["mark"])
    elif note_cylinder(request.user, machine, said["cylinder"]).is_right:
        answer["Location"] += "?proven=1"
    return answer


def _mill(request: PersonRequest) -> dict[str, object]:
    """The arithmetic of a side mill, where it was asked for: the setting, and what the proving cut says."""
    asked, proven = "tracer" in request.GET, "copy_depth" in request.GET
    form, proof = MillForm(request.GET if asked else None), MillProofForm(request.GET if proven else None)
    setting = correction = None
    if asked and form.is_valid():
        try:
            setting = set_side_mill(**form.cleaned_data)
        except InputError as error:
            form.add_error(error.field, error.reason)
    if proven and proof.is_valid():
        measured = proof.cleaned_data
        correction = correct_side_mill(
            (measured["pattern_depth"], measured["pattern_width"]),
            (measured["copy_depth"], measured["copy_width"]),
            caliper_sd_mm(),
        )
    return {"mill_form": form, "setting": setting, "mill_proof": proof, "correction": correction}


def _machine(pk: int) -> Machine:
    machine = get_object_or_404(Machine.objects.select_related("fitted"), pk=pk)
    if MachineKind(machine.kind) not in STEPS:
        raise Http404
    return machine
