"""A machine's particulars, and offsets set by hand: the owner's."""

from __future__ import annotations

from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_safe

from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.keeping.forms import ClampForm, FollowerForm, OffsetForm, ParticularsForm
from wryfalcon.keeping.trimming.actions import MakerFigures, change_offset
from wryfalcon.library.models import FamilyRecord
from wryfalcon.machines.care.actions import describe_machine
from wryfalcon.machines.models import TRACES, JawSide, Machine, MachineOffset
from wryfalcon.presses import press
from wryfalcon.refusal import NotDone


@require_safe
@needs(Act.KEEP_LIBRARY)
def show(request: PersonRequest, pk: int) -> HttpResponse:
    """What can be changed by hand."""
    return particulars_page(request, get_object_or_404(Machine, pk=pk))


@press
@needs(Act.KEEP_LIBRARY)
def describe(request: PersonRequest, pk: int) -> HttpResponse:
    """Write its particulars down."""
    machine = get_object_or_404(Machine, pk=pk)
    form = ParticularsForm(request.POST)
    if not form.is_valid():
        return particulars_page(request, machine, particulars=form)
    try:
        describe_machine(request.user, machine, form.particulars())
    except NotDone as refusal:
        form.add_error("depth_axis", refusal.says)
        return particulars_page(request, machine, particulars=form)
    return redirect("keeping:machine", pk=pk)


@press
@needs(Act.KEEP_LIBRARY)
def offset(request: PersonRequest, pk: int) -> HttpResponse:
    """Set an offset by hand, with why: the machine's own, a jaw side's or a family's."""
    machine = get_object_or_404(Machine, pk=pk)
    form = OffsetForm(request.POST, machine=machine)
    if not form.is_valid():
        return particulars_page(request, machine, offset=form)
    said = form.cleaned_data
    row = _offset_of(machine, said["gauge"], said["jaw_side"], said["family"])
    maker = MakerFigures(said["maker_value"], said["maker_space"])
    change_offset(request.user, row, said["value"], said["space"], why=said["why"], maker=maker)
    return redirect("keeping:machine", pk=pk)


def _offset_of(machine: Machine, gauge: str, side: JawSide | None, family: FamilyRecord | None) -> MachineOffset:
    """The row of that sort, of a family also where it was set under another edition; else one to keep."""
    rows = machine.offsets.filter(gauge=gauge, jaw_side=side)
    found = rows.filter(family_record__slug=family.slug) if family is not None else rows.filter(family_record=None)
    row = found.first()
    return row or MachineOffset(machine=machine, gauge=gauge, jaw_side=side, family_record=family)


def particulars_page(
    request: PersonRequest,
    machine: Machine,
    *,
    particulars: ParticularsForm | None = None,
    offset: OffsetForm | None = None,
    clamp: ClampForm | None = None,
    follower: FollowerForm | None = None,
) -> HttpResponse:
    """All that can be changed by hand; a form that was not valid comes back as it was typed."""
    context = {
        "machine": machine, "traces": machine.kind in TRACES,
        "particulars": particulars or ParticularsForm.of(machine),
        "offset_form": offset or OffsetForm(machine=machine),
        "clamp_form": clamp or ClampForm(), "follower_form": follower or FollowerForm(),
    }  # fmt: skip
    is_wrong = any((particulars, offset, clamp, follower))
    return render(request, "keeping/book/particulars.html", context, status=422 if is_wrong else 200)
