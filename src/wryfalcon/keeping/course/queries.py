"""How a machine's offset has wandered over the keys it made and the days that went by, and when it is due."""

from __future__ import annotations

from bisect import bisect_left
from collections import Counter
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from enum import Enum, auto
from functools import lru_cache
from math import hypot, sqrt

from django.utils import timezone

from keycore.family import Play
from keycore.machines.copies import Generation, copies_of_copies
from keycore.machines.course import Course, Forecast, KeyMade, Touched, follow_course
from keycore.machines.trim import Noise
from keycore.reading.evidence import Spread
from wryfalcon.bench.models import PieceState
from wryfalcon.keeping.course.proven import ProvenKey, proven_keys
from wryfalcon.machines.care.queries import lost_its_place
from wryfalcon.machines.hands.queries import caliper_sd_mm
from wryfalcon.machines.models import TRACES, Machine, MachineWork, OffsetChange, Trim, Work

FEWEST_KEYS = 6  # fewer tell nothing of a course
BUSY, BRISK = 100, 12  # keys a day: daily, weekly, else monthly; common practice, no source
DAY_SECONDS = 86_400
TELLING = [work for work in Work if work.moves_it or work in (Work.HOMED, Work.SWAPPED)]
FARTHEST_DAYS = 366  # a machine is checked once a year whatever its keys say
LAST_DIGIT_MM = 0.01
"""What a caliper shows last; common practice, no source."""


@dataclass(frozen=True)
class Marked:
    """Something done to the machine between two keys."""

    at: datetime
    number: int
    words: str  # "" for a trim
    by: float | None  # mm; None where the offset is unknown afterwards
    wheel: int | None = None  # whose own offset alone is unknown afterwards


@dataclass(frozen=True)
class CourseFacts:
    """All that a course is worked out from."""

    keys: tuple[ProvenKey, ...]
    marks: tuple[Marked, ...]
    swaps: tuple[Marked, ...]  # of one wheel for another, which leave the machine as it was
    noise: Noise  # mm, of one cut measured and of one clamping
    tolerance: float  # mm, of the families it cuts, the strictest
    days_a_key: float  # at the pace of the last month; 0 where none was made
    idle_days: int  # since its last key
    wheel: int | None  # the cutter that is on


class Due(Enum):
    """Why a check is due."""

    TOUCHED = auto()  # something was done to the machine
    KNOCKED = auto()  # something happened to it that nobody noted
    USED_UP = auto()  # half of the tolerance may be
    BY_VOLUME = auto()  # too few keys tell, and the days have gone by
    NEVER = auto()


@dataclass(frozen=True)
class MachineCourse:
    """All that is known of a machine's course."""

    gauge: str
    facts: CourseFacts
    fitted: Course | None
    forecast: Forecast | None
    since_trim: int  # keys made since it was last trimmed or checked
    per_day: float
    touched_since: str  # what was done since that makes a check due, "" for nothing
    last_checked: datetime | None
    lost: MachineWork | None  # what made it lose its place: it is homed before anything else

    @property
    def keys(self) -> tuple[ProvenKey, ...]:
        """The keys it is worked out from, first to last."""
        return self.facts.keys

    @property
    def marks(self) -> tuple[Marked, ...]:
        """What was done to the machine among them."""
        return self.facts.marks

    @property
    def knocked(self) -> ProvenKey | None:
        """The key before which something moved the machine that nobody noted; None once it was checked since."""
        number = self.fitted.knocked if self.fitted else None
        key = None if number is None else self.keys[int(number)]
        return key if key is not None and (self.last_checked is None or key.at > self.last_checked) else None

    @property
    def offset(self) -> Spread | None:
        """Where the machine stands today; None while too few keys are known."""
        return self.fitted.ahead(0, self.facts.idle_days) if self.fitted else None

    @property
    def has_cut_with_wheel(self) -> bool:
        """Whether a key of the wheel that is on was proven, or no key says which wheel made it."""
        wheels = {key.wheel for key in self.keys}
        return self.facts.wheel in wheels or wheels == {0}

    @property
    def knows_wheel(self) -> bool:
        """Whether anything can be foretold of the wheel that is on: it has cut, or which it is was never noted."""
        return self.fitted is None or self.facts.wheel is None or self.has_cut_with_wheel

    @property
    def due(self) -> Due | None:
        """Why a check is due now, None when none is."""
        if self.touched_since:
            return Due.TOUCHED
        if self.knocked is not None:
            return Due.KNOCKED
        if self.since_trim and self.forecast and self.forecast.soonest is not None and self.forecast.soonest <= 1:
            return Due.USED_UP
        if self.fitted is None and self.last_checked and timezone.now() - self.last_checked > self.every:
            return Due.BY_VOLUME
        return Due.NEVER if self.fitted is None and not self.last_checked else None

    @property
    def by(self) -> datetime | None:
        """The day to check it by: half of the tolerance is hardly used up before; by volume where too few keys tell."""
        if self.due:
            return None
        if self.fitted is None:
            return self.last_checked + self.every if self.last_checked else None
        soonest = self.forecast.soonest if self.forecast else None
        if soonest is None or not self.facts.days_a_key:
            return None
        return timezone.now() + timedelta(days=min(soonest * self.facts.days_a_key, FARTHEST_DAYS))

    @property
    def every(self) -> timedelta:
        """How often to check by volume alone."""
        return timedelta(days=1 if self.per_day >= BUSY else 7 if self.per_day >= BRISK else 30)


def course_of(machine: Machine, gauge: str = "") -> MachineCourse:
    """Follow a machine through every key proven on it that was gauged so; the usual way where none is named."""
    noise = Noise(hypot(machine.sd_each, machine.caliper_sd), machine.sd_seat)
    closed, works = _closed(machine), _works(machine)
    every, tolerance = proven_keys(machine, noise, closed)
    usual = Counter(key.gauge for key in every).most_common(1)
    gauge = gauge or (usual[0][0] if usual else "shoulder")
    keys = tuple(key for key in every if key.gauge == gauge)
    marks = _marks(machine, gauge, works, [key.at for key in keys])
    last_checked = _last_checked(machine, keys, marks, works, [trim for trim in closed if trim.gauge == gauge])
    since = [key for key in keys if last_checked is None or key.at > last_checked]
    now = timezone.now()
    month = now - timedelta(days=30)
    made = machine.pieces.filter(state=PieceState.FINISHED, finished_at__gte=month).count()
    if machine.kind in TRACES:
        made += machine.duplicates.filter(withdrawn=False, at__gte=month).count()
    idle_days = max(0, (now - keys[-1].at).days) if keys else 0
    facts = CourseFacts(
        keys=keys,
        marks=marks,
        swaps=_swaps(works, [key.at for key in keys]),
        noise=noise,
        tolerance=tolerance,
        days_a_key=30 / made if made else 0.0,
        idle_days=idle_days,
        wheel=machine.fitted_id,
    )
    fitted, forecast = followed(facts) if len(keys) >= FEWEST_KEYS else (None, None)
    return MachineCourse(
        gauge=gauge,
        facts=facts,
        fitted=fitted,
        forecast=forecast,
        since_trim=len(since),
        per_day=made / 30,
        touched_since=_touched_since(last_checked, every, marks, works),
        last_checked=last_checked,
        lost=lost_its_place(works),
    )


def _last_checked(
    machine: Machine,
    keys: tuple[ProvenKey, ...],
    marks: tuple[Marked, ...],
    works: list[MachineWork],
    closed: list[Trim],
) -> datetime | None:
    """When it was last known to be true: a trim, a check, a trim by touch, or on a duplicator a copy measured."""
    dates = [mark.at for mark in marks if mark.by is not None]
    dates += [work.at for work in works if work.what == Work.TOUCHED]  # it ends with a proving cut
    dates += [trim.closed_at for trim in closed if trim.closed_at]
    dates += [keys[-1].at] if keys and machine.kind in TRACES else []
    return max(dates, default=None)


def _touched_since(
    last_checked: datetime | None,
    every: tuple[ProvenKey, ...],
    marks: tuple[Marked, ...],
    works: list[MachineWork],
) -> str:
    """What was done since that makes a check due, "" for nothing; a swapped wheel until a key is proven with it."""
    swapped = next((work for work in works if work.what == Work.SWAPPED), None)
    if swapped is not None and not any(key.at > swapped.at for key in every):
        return Work.SWAPPED.done
    touched = [mark.words for mark in marks if mark.by is None and (last_checked is None or mark.at > last_checked)]
    return touched[-1] if touched else ""


def noise_of(machine: Machine, learned: Course | None = None, repeats: int = 1) -> Noise:
    """One measured cut of this machine, and one clamping as its keys have shown it; mm.

    A reading is rounded to the caliper's last digit, evenly to either side: a variance of its square over twelve.
    """
    seat = machine.sd_seat if learned is None else float(learned.weights @ learned.seats)
    reading = hypot(caliper_sd_mm(), LAST_DIGIT_MM / sqrt(12)) / sqrt(repeats)
    return Noise(hypot(machine.sd_each, reading), max(seat, 1e-6))


@lru_cache(maxsize=16)
def followed(facts: CourseFacts) -> tuple[Course, Forecast]:
    """The same keys tell the same course however often it is looked at; foretold for the wheel that is on."""
    fitted = course_through(facts)
    return fitted, fitted.forecast(facts.tolerance / 2, facts.days_a_key, facts.idle_days)


def course_through(told: CourseFacts) -> Course:
    """The course through all that is told, with the wheel that is on."""
    began = told.keys[0].at
    made = [
        KeyMade(number, key.error, key.cuts, key.extra_sd, days_between(began, key.at), key.wheel)
        for number, key in enumerate(told.keys)
    ]
    touched = [Touched(mark.number, mark.by, days_between(began, mark.at), mark.wheel) for mark in told.marks]
    course = follow_course(made, touched, told.noise)
    return course if told.wheel is None else course.with_wheel(told.wheel)


def offset_before(course: MachineCourse, at: datetime, wheel: int) -> Spread | None:
    """What was known of the machine with this wheel just before a moment; None with too few keys."""
    keys = tuple(key for key in course.keys if key.at < at)
    if len(keys) < FEWEST_KEYS:
        return None
    marks = tuple(mark for mark in course.marks if mark.at < at)
    return course_through(replace(course.facts, keys=keys, marks=marks, wheel=wheel)).offset


def days_between(earlier: datetime, later: datetime) -> float:
    """Days, parts of a day too."""
    return (later - earlier).total_seconds() / DAY_SECONDS


def _marks(machine: Machine, gauge: str, works: list[MachineWork], made_at: list[datetime]) -> tuple[Marked, ...]:
    """Trims, and work that moves the machine, among the keys made."""
    marks = []
    for change in _changes(machine, gauge):
        by = change.value_after - change.value_before + change.turned
        if by:
            marks.append(Marked(change.at, bisect_left(made_at, change.at), "", by))
    for work in [work for work in works if Work(work.what).moves_it]:
        words, wheel = Work(work.what).done, work.cutter_id if work.what == Work.WHEEL else None
        marks.append(Marked(work.at, bisect_left(made_at, work.at), words, None, wheel))
    return tuple(sorted(marks, key=lambda mark: mark.at))


def _closed(machine: Machine) -> list[Trim]:
    trims = Trim.objects.filter(machine=machine, jaw_side=None, closed_at__isnull=False)
    return list(trims.select_related("family_record", "cutter").prefetch_related("readings"))


def _works(machine: Machine) -> list[MachineWork]:
    return list(MachineWork.objects.filter(machine=machine, what__in=TELLING))


def _changes(machine: Machine, gauge: str) -> list[OffsetChange]:
    own = OffsetChange.objects.filter(offset__machine=machine, offset__gauge=gauge, offset__jaw_side=None)
    return list(own.filter(offset__family_record=None).order_by("at"))


def _swaps(works: list[MachineWork], made_at: list[datetime]) -> tuple[Marked, ...]:
    """One wheel put on for another, among the keys made."""
    swaps = [work for work in works if work.what == Work.SWAPPED]
    return tuple(
        Marked(work.at, bisect_left(made_at, work.at), f"{work.note} put on, {work.at:%d %b}", 0.0)
        for work in reversed(swaps)
    )


PLAY = Play(0.08, 0.10)
"""Of a usual lock, mm; common practice, no source."""
CUTS = 5


def copies_on(machine: Machine, course: MachineCourse) -> list[Generation]:
    """Copies of copies of a five-cut key, mm; none before the machine's course is known."""
    if course.fitted is None:
        return []
    seat = float(course.fitted.weights @ course.fitted.seats)
    return copies_of_copies(course.fitted.offset.mean, Noise(machine.sd_each, max(seat, 1e-6)), CUTS, PLAY)
