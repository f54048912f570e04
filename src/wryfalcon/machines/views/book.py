"""A machine's book: what it is, how it has wandered, its offsets and who changed them, its care."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.conf import settings
from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.drawings.drift import draw_drift
from wryfalcon.library.models import FamilyRecord
from wryfalcon.machines.actions.care import describe_machine, note_work
from wryfalcon.machines.actions.practice import score_words
from wryfalcon.machines.actions.trimming import change_offset, undo_change
from wryfalcon.machines.forms import OffsetForm, ParticularsForm
from wryfalcon.machines.models import DriverKind, JawSide, Machine, MachineOffset, OffsetChange, Work
from wryfalcon.machines.queries.care import care_of
from wryfalcon.machines.queries.copies import copies_on
from wryfalcon.machines.queries.drift import MachineDrift, drift_of
from wryfalcon.machines.queries.trimming import families_to_trim_by
from wryfalcon.machines.refusal import NotKept

SHOWN = 8


@require_GET
@needs(Act.LOOK)
def show(request: PersonRequest, pk: int) -> HttpResponse:
    """The machine's page."""
    return _page(request, _machine(pk))


@require_GET
@needs(Act.LOOK)
def due(request: PersonRequest, pk: int) -> HttpResponse:
    """Whether a check is due, as a fragment: it is worked out after the page is there."""
    machine = _machine(pk)
    if machine.driver == DriverKind.NONE:
        return HttpResponse("")
    return render(request, "machines/_due.html", {"course": drift_of(machine), "machine": machine})


@require_POST
@needs(Act.KEEP_LIBRARY)
def describe(request: PersonRequest, pk: int) -> HttpResponse:
    """Write its particulars down."""
    machine = _machine(pk)
    form = ParticularsForm(request.POST)
    if not form.is_valid():
        return _page(request, machine, particulars=form)
    describe_machine(request.user, machine, form.particulars())
    return redirect("machines:machine", pk=pk)


@require_POST
@needs(Act.CUT)
def work(request: PersonRequest, pk: int) -> HttpResponse:
    """Note care or repair."""
    machine = _machine(pk)
    what, note = request.POST.get("what", ""), request.POST.get("note", "")
    return _done(request, machine, lambda: note_work(request.user, machine, what, note))


@require_POST
@needs(Act.KEEP_LIBRARY)
def offset(request: PersonRequest, pk: int) -> HttpResponse:
    """Set an offset by hand, with why: the machine's own, a jaw side's or a family's."""
    machine = _machine(pk)
    form = OffsetForm(request.POST, machine=machine)
    if not form.is_valid():
        return _page(request, machine, offset=form)
    said = form.cleaned_data
    side: JawSide | None = said["jaw_side"]
    record: FamilyRecord | None = said["family"]

    def act() -> None:
        row, _ = MachineOffset.objects.get_or_create(
            machine=machine, gauge=said["gauge"], jaw_side=side, family_record=record
        )
        change_offset(request.user, row, said["value"], said["space"], why=said["why"])

    return _done(request, machine, act)


@require_POST
@needs(Act.CUT)
def undo(request: PersonRequest, pk: int, change: int) -> HttpResponse:
    """Put the old offsets back."""
    machine = _machine(pk)
    made = get_object_or_404(OffsetChange, pk=change, offset__machine=machine)
    return _done(request, machine, lambda: undo_change(request.user, made))


def _done(request: PersonRequest, machine: Machine, act: Callable[[], object]) -> HttpResponse:
    try:
        act()
    except NotKept as refusal:
        messages.error(request, refusal.says)
    return redirect("machines:machine", pk=machine.pk)


def _page(request: PersonRequest, machine: Machine, **forms: Any) -> HttpResponse:
    gauge = request.GET.get("gauge", "")
    course = drift_of(machine, gauge if gauge in ("shoulder", "tip") else "")
    changes = OffsetChange.objects.filter(offset__machine=machine, undone=False)
    context = {
        "machine": machine, "course": course, "chart": _chart(course), "copies": copies_on(machine, course),
        "offsets": machine.offsets.select_related("jaw_side", "family_record"),
        "changes": changes.select_related("offset", "by")[:SHOWN],
        "trims": machine.trims.select_related("by", "family_record")[:SHOWN],
        "families": [(record.pk, record.name) for record in families_to_trim_by()],
        "can_practise": settings.DEMONSTRATION and machine.driver == DriverKind.BENCH,
        "practices": [(each, score_words(each)) for each in machine.practices.select_related("by")[:SHOWN]],
        "care": care_of(machine), "work": machine.work.select_related("by")[:SHOWN], "works": Work.choices,
        "particulars": forms.get("particulars") or ParticularsForm.of(machine),
        "offset_form": forms.get("offset") or OffsetForm(machine=machine),
    }  # fmt: skip
    return render(request, "machines/book.html", context, status=422 if forms else 200)


def _chart(course: MachineDrift) -> object:
    if course.drift is None:
        return None
    errors = [(key.error, f"{key.name}, {key.at:%d %b}, {key.error:+.3f} mm") for key in course.keys]
    return draw_drift(course.drift, errors, [(mark.number, mark.words) for mark in course.marks], course.tolerance)


def _machine(pk: int) -> Machine:
    return get_object_or_404(Machine.objects.select_related("fitted"), pk=pk)
