"""A machine's book: what it is, how it has wandered, its offsets and who changed them, its care."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

from django.conf import settings
from django.db.models import QuerySet
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_http_methods, require_safe

from keycore.tools import Drill
from keycore.units import Unit
from wryfalcon.accounts.permissions import Act, PersonRequest, needs, needs_to_change
from wryfalcon.bench.copying.actions import put_back
from wryfalcon.bench.copying.queries import shift_on
from wryfalcon.drawings.course import (
    DESK,
    PHONE,
    CourseChart,
    CourseKey,
    CourseWords,
    draw_course,
    over_days,
    over_keys,
)
from wryfalcon.keeping.actions.practice import score_words
from wryfalcon.keeping.actions.trimming import undo_change
from wryfalcon.keeping.presenters.course import due_words, forecast_words, mark_words, offset_words
from wryfalcon.keeping.presenters.machine_drawing import machine_picture
from wryfalcon.keeping.queries.copies import copies_on
from wryfalcon.keeping.queries.course import CourseFacts, MachineCourse, course_of, days_between, followed
from wryfalcon.keeping.queries.proven import ProvenKey
from wryfalcon.keeping.queries.trimming import families_to_trim_by
from wryfalcon.lengths import say_mm, unit_shown
from wryfalcon.machines.actions.care import note_work
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
from wryfalcon.machines.queries.care import care_of
from wryfalcon.machines.queries.fittings import sides_of
from wryfalcon.machines.sentences import home_words
from wryfalcon.presses import press
from wryfalcon.requests import or_404

SHOWN = 8
DAYS = "days"


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
    return render(request, "keeping/book.html", context)


@press
@needs(Act.CUT)
def put_it_back(request: PersonRequest, pk: int) -> HttpResponse:
    """A duplicator that was moved on purpose is as it was."""
    machine = _machine(pk)
    put_back(request.user, machine)
    return redirect("keeping:machine", pk=pk)


@require_safe
@needs(Act.LOOK)
def course(request: PersonRequest, pk: int) -> HttpResponse:
    """How the machine has wandered over its keys and what is foretold, as a page or a part of one."""
    machine, gauge = _machine(pk), request.GET.get("gauge", "")
    found = course_of(machine, gauge if gauge in ("shoulder", "tip") else "")
    by = DAYS if request.GET.get("by") == DAYS else "keys"
    other = "shoulder" if found.gauge == "tip" else "tip"
    context = {
        "machine": machine, "course": found, "stands": offset_words(found),
        "to_home": home_words(found.lost), "foretold": forecast_words(found),
        "why_due": due_words(found), "charts": _charts(found, by), "by": by, "over_days": by == DAYS,
        "other_gauge": other, "other_words": f"from the {other}",
        "copies": copies_on(machine, found),
    }  # fmt: skip
    return render(request, f"keeping/{'_course' if request.htmx else 'course'}.html", context)


@require_safe
@needs(Act.LOOK)
def due(request: PersonRequest, pk: int) -> HttpResponse:
    """Whether a check is due, as a fragment: it is worked out after the page is there."""
    machine = _machine(pk)
    found = course_of(machine)
    return render(request, "keeping/_due.html", {"course": found, "why_due": due_words(found), "machine": machine})


@require_http_methods(["GET", "HEAD", "POST"])
@needs_to_change(Act.CUT)
def care(request: PersonRequest, pk: int) -> HttpResponse:
    """The schedule of care and what was done, noting more of it; practice on the simulated machine."""
    machine = _machine(pk)
    if request.method == "POST":
        note_work(request.user, machine, request.POST.get("what", ""), request.POST.get("note", ""))
        return redirect("keeping:care", pk=pk)
    practices = machine.practices.select_related("by")[:SHOWN] if _can_practise(machine) else []
    context = {
        "machine": machine, "care": care_of(machine), "work": machine.work.select_related("by")[:SHOWN],
        "works": Work.choices, "can_practise": _can_practise(machine),
        "practices": [(each, score_words(each)) for each in practices], "faults": HiddenFault.choices,
        "practises": any(each.ended_at is None for each in practices),
    }  # fmt: skip
    return render(request, "keeping/care.html", context)


@press
@needs(Act.CUT)
def undo(request: PersonRequest, pk: int, change: int) -> HttpResponse:
    """Put the old offsets back."""
    made = get_object_or_404(OffsetChange, pk=change, offset__machine=pk)
    undo_change(request.user, made)
    return redirect("keeping:machine", pk=pk)


def _can_practise(machine: Machine) -> bool:
    return settings.DEMONSTRATION and machine.is_simulated


def _charts(found: MachineCourse, by: str) -> tuple[CourseChart, ...]:
    """The course drawn for a desk, and for a phone; none before it can be followed."""
    if found.fitted is None:
        return ()
    today = days_between(found.keys[0].at, timezone.now()) if by == DAYS else 0.0
    told = replace(found.facts, days_a_key=round(found.facts.days_a_key, 3))
    return _drawn(told, round(today), unit_shown())


@lru_cache(maxsize=16)
def _drawn(told: CourseFacts, today: int, unit: Unit) -> tuple[CourseChart, ...]:
    """The same course is drawn once; over days where today is said."""
    keys, marks = told.keys, told.marks
    last = next((key for key in reversed(keys) if key.wheel), None)
    has_others = last is not None and any(key.wheel not in (0, last.wheel) for key in keys)
    drawn = [
        CourseKey(key.error, _title(key), has_others and last is not None and key.wheel == last.wheel) for key in keys
    ]
    course, _ = followed(told)
    if today:
        began = keys[0].at
        days, then, swaps = ([days_between(began, each.at) for each in row] for row in (keys, marks, told.swaps))
        places = over_days(days, then, swaps, max(today, days[-1]), told.days_a_key, f"{began:%d %b %Y}")
    else:
        then_at, swaps_at = [mark.number for mark in marks], [swap.number for swap in told.swaps]
        places = over_keys(len(keys), then_at, swaps_at, told.days_a_key)
    wheel = last.wheel_name if last is not None and has_others else ""
    words = CourseWords(tuple(map(mark_words, marks)), tuple(swap.words for swap in told.swaps), wheel)
    return tuple(draw_course(course, drawn, words, places, told.tolerance, frame) for frame in (DESK, PHONE))


def _title(key: ProvenKey) -> str:
    return ", ".join(filter(None, [key.name, f"{key.at:%d %b}", key.wheel_name, say_mm(key.error, signed=True)]))


def _machine(pk: int) -> Machine:
    return or_404(_fitted(pk).first())


def _fitted(pk: int) -> QuerySet[Machine]:
    return Machine.objects.filter(pk=pk).select_related("fitted")


def _drills(machine: Machine) -> list[Cutter]:
    return list(machine.cutters.filter(tool=Drill.name))


def _offsets(machine: Machine) -> list[MachineOffset]:
    return list(machine.offsets.select_related("jaw_side", "family_record"))


def _changes(machine: Machine) -> list[OffsetChange]:
    changes = OffsetChange.objects.filter(offset__machine=machine, undone=False)
    return list(changes.select_related("offset", "by")[:SHOWN])


def _trims(machine: Machine) -> list[Trim]:
    return list(machine.trims.select_related("by", "family_record")[:SHOWN])
