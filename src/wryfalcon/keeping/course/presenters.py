"""A machine's course in words: where it stands, what is foretold, and why a check is due."""

from __future__ import annotations

from wryfalcon.keeping.course.queries import FEWEST_KEYS, Due, MachineCourse, Marked
from wryfalcon.lengths import mm_as_shown, say_mm
from wryfalcon.machines.models import MachineWork, Work

TELLABLE = 1.96  # sd: 19 times in 20
HOME_FIRST = "Home it before anything else: spindle off, hands away, then a morning check."
FEW_DAYS, MANY_DAYS = 2, 21  # fewer are not said; more are said in weeks


def offset_words(course: MachineCourse) -> str:
    """Where the machine stands, in one sentence."""
    offset = course.offset
    if offset is None:
        return f"Too few proven keys to follow it yet: {len(course.keys)} of {FEWEST_KEYS}."
    if not course.has_cut_with_wheel:
        within = say_mm(2 * offset.sd)
        return f"The wheel that is on has proven no key here yet; by the others it is within {within}."
    if abs(offset.mean) < TELLABLE * offset.sd:
        return f"It cuts true as far as its keys can tell, within {say_mm(TELLABLE * offset.sd)}."
    way = "shallow" if offset.mean > 0 else "deep"
    return f"It cuts {say_mm(abs(offset.mean))} {way}, give or take {mm_as_shown(TELLABLE * offset.sd)}."


def forecast_words(course: MachineCourse) -> str:
    """When half of the tolerance will be used up."""
    found = course.forecast
    if not course.knows_wheel:
        return "Prove a key with it before anything is foretold."
    if found is None or found.median is None:
        return "Half of the tolerance is not in sight within 2,000 keys." if found else ""
    if found.median <= 1:
        return "Half of the tolerance is used up."
    soonest, latest, pace = found.soonest, found.latest, _in_time(found.median * course.facts.days_a_key)
    between = f"{soonest} to {latest}, 9 times in 10" if latest else f"{soonest} at the soonest, 1 in 20"
    return f"Half of the tolerance used up in about {found.median} keys{pace} ({between})."


def _in_time(days: float) -> str:
    if days < FEW_DAYS:
        return ""
    return f", {days:.0f} days at this pace" if days < MANY_DAYS else f", {days / 7:.0f} weeks at this pace"


def due_words(course: MachineCourse) -> str:
    """Why a check is due now, "" when none is."""
    match course.due:
        case None:
            return ""
        case Due.TOUCHED if course.last_checked is None:
            return f"Check it now: {course.touched_since}, and it was never checked."
        case Due.TOUCHED:
            return f"Check it now: {course.touched_since} since it was last trimmed or checked."
        case Due.KNOCKED:
            assert course.knocked is not None
            return (
                f"Check it now: all keys since {course.knocked.at:%d %b} are off alike. What happened: a knock, "
                "a thump past home, a wheel changed? Note it, then trim."
            )
        case Due.USED_UP:
            return "Check it now: half of the tolerance may be used up."
        case Due.BY_VOLUME:
            return f"Check it now: {course.every.days} days have gone by at this volume."
        case Due.NEVER:
            return "Check it now: it never was."


def mark_words(mark: Marked) -> str:
    """What was done to the machine, a trim in the unit of whoever is looking."""
    return mark.words or f"trimmed by {say_mm(mark.by or 0.0, signed=True)}"


def changed_words(changed: float | None) -> str:
    """How far a key that came back is no longer what was proven, mm, "" for one that is."""
    if changed is None:
        return ""
    if changed > 0:
        return f"It has lost {say_mm(changed)} since it was proven, more than use explains"
    return f"It measures {say_mm(-changed)} higher than when it was proven"


def home_words(lost: MachineWork | None) -> str:
    """What made a machine lose its place, and what to do; "" for nothing."""
    return f"{lost.by} {Work(lost.what).label} on {lost.at:%d %b}. {HOME_FIRST}" if lost is not None else ""
