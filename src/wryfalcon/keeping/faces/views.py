"""Touching the faces of a clamp off, one by one, and putting in what that asks for."""

from __future__ import annotations

from django.conf import settings
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_safe

from keycore.machines.faces import FaceTouched
from keycore.units import Unit
from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.fields import WORD, posted, unit_typed
from wryfalcon.keeping.faces.actions import put_face_offset_in
from wryfalcon.keeping.faces.presenters import face_shown
from wryfalcon.lengths import parse_length
from wryfalcon.machines.faces.actions import ask_to_touch, note_touched
from wryfalcon.machines.faces.queries import faces_of
from wryfalcon.machines.line.press import press_of
from wryfalcon.machines.line.queries import last_order, line_of
from wryfalcon.machines.models import DriverKind, JawSide, Machine
from wryfalcon.presses import press


@require_safe
@needs(Act.LOOK)
def show(request: PersonRequest, pk: int) -> HttpResponse:
    """Every face with its steps; while the machine touches one the page looks again."""
    machine = get_object_or_404(Machine.objects.select_related("fitted"), pk=pk)
    order = last_order(machine.pk, "")  # read before what it may have changed
    line = line_of(machine) if machine.has_line else None
    context = {
        "machine": machine, "faces": [face_shown(face) for face in faces_of(machine)], "line": line, "order": order,
        "touches_itself": machine.driver == DriverKind.BENCH,
        "has_panel": settings.DEMONSTRATION and machine.is_simulated,
    }  # fmt: skip
    return render(request, "keeping/faces/faces.html", context)


@press
@needs(Act.CUT)
def touch(request: PersonRequest, pk: int, side: int) -> HttpResponse:
    """Touch one step of a face: by the machine, or as a dial says."""
    face = _face(pk, side)
    said, unit = posted(request, step=WORD, thickness=WORD, near=WORD, far=WORD, apart=WORD), unit_typed(request)
    thickness = _length(said["thickness"], unit) if said["thickness"] else 0.0
    if "near" in request.POST:
        near, far, apart = (_length(said[name], unit) for name in ("near", "far", "apart"))
        note_touched(request.user, face, said["step"], FaceTouched(near, far, apart), thickness)
    else:
        ask_to_touch(press_of(request), face, said["step"], thickness)
    return redirect("keeping:faces", pk=pk)


@press
@needs(Act.CUT)
def put_in(request: PersonRequest, pk: int, side: int) -> HttpResponse:
    """Put in force what touching its edge asks for."""
    face = _face(pk, side)
    put_face_offset_in(request.user, face, posted(request, seen=WORD)["seen"])
    return redirect("keeping:faces", pk=pk)


def _face(pk: int, side: int) -> JawSide:
    return get_object_or_404(JawSide.objects.select_related("clamp", "machine__fitted"), pk=side, machine=pk)


def _length(typed: str, unit: Unit) -> float:
    return parse_length(typed, unit, Unit.MILLIMETRE).value
