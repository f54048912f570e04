"""How a machine has wandered over its keys, and whether a check is due."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

from django.http import HttpResponse
from django.shortcuts import get_object_or_404, render
from django.utils import timezone
from django.views.decorators.http import require_safe

from keycore.units import Unit
from wryfalcon.accounts.permissions import Act, PersonRequest, needs
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
from wryfalcon.keeping.course.presenters import due_words, forecast_words, home_words, mark_words, offset_words
from wryfalcon.keeping.course.proven import ProvenKey
from wryfalcon.keeping.course.queries import CourseFacts, MachineCourse, copies_on, course_of, days_between, followed
from wryfalcon.lengths import say_mm, unit_shown
from wryfalcon.machines.models import (
    Machine,
)

DAYS = "days"


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
    return render(request, f"keeping/course/{'_course' if request.htmx else 'course'}.html", context)


@require_safe
@needs(Act.LOOK)
def due(request: PersonRequest, pk: int) -> HttpResponse:
    """Whether a check is due, as a fragment: it is worked out after the page is there."""
    machine = _machine(pk)
    found = course_of(machine)
    return render(
        request, "keeping/course/_due.html", {"course": found, "why_due": due_words(found), "machine": machine}
    )


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
    return get_object_or_404(Machine.objects.select_related("fitted"), pk=pk)
