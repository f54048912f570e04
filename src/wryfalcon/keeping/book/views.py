"""A machine's book: what it is, its offsets and who changed them, its care."""

from __future__ import annotations

from django.conf import settings
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods, require_safe

from keycore.tools import Drill
from wryfalcon.accounts.permissions import Act, PersonRequest, needs, needs_to_change
from wryfalcon.bench.copying.actions import put_back
from wryfalcon.bench.copying.queries import shift_on
from wryfalcon.fields import WORD, posted
from wryfalcon.keeping.book.machine_drawing import machine_picture
from wryfalcon.keeping.practising.actions import score_words
from wryfalcon.keeping.trimming.actions import undo_change
from wryfalcon.keeping.trimming.queries import families_to_trim_by
from wryfalcon.machines.care.actions import note_work
from wryfalcon.machines.care.queries import care_of
from wryfalcon.machines.fittings.queries import sides_of
from wryfalcon.machines.models import (
    TRACES,
    Cutter,
    HiddenFault,
    Machine,
    MachineOffset,
    OffsetChange,
    Trim,
    Work,
)
from wryfalcon.presses import press

SHOWN = 8


@require_safe
@needs(Act.LOOK)
def show(request: PersonRequest, pk: int) -> HttpResponse:
    """The machine's page; its course is worked out after the page is there."""
    machine = _machine(pk)
    sides, offsets, drills = sides_of(machine), _offsets(machine), bool(_drills(machine))
    tools = set(machine.cutters.values_list("tool", flat=True))
    jaw = next((str(side) for side in sides if side.clamp_id is None), "")
    context = {
        "machine": machine, "offsets": offsets, "picture": machine_picture(machine, offsets, jaw),
        "changes": _changes(machine), "trims": _trims(machine),
        "families": [(record.pk, record.name) for record in families_to_trim_by(sides, tools, drills=drills)],
        "can_practise": _can_practise(machine), "traces": machine.kind in TRACES,
        "sides": [(side.pk, str(side)) for side in sides], "shift": shift_on(machine),
    }  # fmt: skip
    return render(request, "keeping/book/book.html", context)


@press
@needs(Act.CUT)
def put_it_back(request: PersonRequest, pk: int) -> HttpResponse:
    """A duplicator that was moved on purpose is as it was."""
    machine = _machine(pk)
    put_back(request.user, machine)
    return redirect("keeping:machine", pk=pk)


@require_http_methods(["GET", "HEAD", "POST"])
@needs_to_change(Act.CUT)
def care(request: PersonRequest, pk: int) -> HttpResponse:
    """The schedule of care and what was done, noting more of it; practice on the simulated machine."""
    machine = _machine(pk)
    if request.method == "POST":
        said = posted(request, what=WORD, note=WORD)
        note_work(request.user, machine, said["what"], said["note"])
        return redirect("keeping:care", pk=pk)
    practices = machine.practices.select_related("by")[:SHOWN] if _can_practise(machine) else []
    context = {
        "machine": machine, "care": care_of(machine), "work": machine.work.select_related("by")[:SHOWN],
        "works": Work.choices, "can_practise": _can_practise(machine),
        "practices": [(each, score_words(each)) for each in practices], "faults": HiddenFault.choices,
        "practises": any(each.ended_at is None for each in practices),
    }  # fmt: skip
    return render(request, "keeping/book/care.html", context)


@press
@needs(Act.CUT)
def undo(request: PersonRequest, pk: int, change: int) -> HttpResponse:
    """Put the old offsets back."""
    made = get_object_or_404(OffsetChange, pk=change, offset__machine=pk)
    undo_change(request.user, made)
    return redirect("keeping:machine", pk=pk)


def _can_practise(machine: Machine) -> bool:
    return settings.DEMONSTRATION and machine.is_simulated


def _machine(pk: int) -> Machine:
    return get_object_or_404(Machine.objects.select_related("fitted"), pk=pk)


def _drills(machine: Machine) -> list[Cutter]:
    return list(machine.cutters.filter(tool=Drill.name))


def _offsets(machine: Machine) -> list[MachineOffset]:
    return list(machine.offsets.select_related("jaw_side", "family_record"))


def _changes(machine: Machine) -> list[OffsetChange]:
    changes = OffsetChange.objects.filter(offset__machine=machine, undone=False)
    return list(changes.select_related("offset", "by")[:SHOWN])


def _trims(machine: Machine) -> list[Trim]:
    return list(machine.trims.select_related("by", "family_record")[:SHOWN])
