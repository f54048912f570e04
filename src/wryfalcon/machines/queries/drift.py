"""How a machine's offset has wandered over the keys it made, and when it is due."""

from __future__ import annotations

from bisect import bisect_left
from collections import Counter, defaultdict
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import lru_cache
from math import hypot, sqrt

from django.utils import timezone

from keycore.family import Family
from keycore.machines.drift import Drift, Forecast, KeyMade, Touched, follow_drift
from keycore.machines.trim import Noise
from keycore.units import Unit, convert
from wryfalcon.bench.models import Proof
from wryfalcon.library.models import FamilyRecord
from wryfalcon.machines.models import Machine, MachineWork, OffsetChange, RunState, Trim, Work
from wryfalcon.machines.queries.hands import caliper_sd_mm

FEWEST_KEYS = 6  # fewer tell nothing of a drift
BUSY, BRISK = 100, 12  # keys a day: daily, weekly, else monthly; common practice, no source
USUAL_TOLERANCE_MM = 0.05


@dataclass(frozen=True)
class ProvenKey:
    """A key as it was proven: when, for which tag, and its mean depth error on one edge, mm."""

    at: datetime
    name: str  # the tag, or the test key
    gauge: str
    error: float
    cuts: int


@dataclass(frozen=True)
class Marked:
    """Something done to the machine between two keys."""

    at: datetime
    number: int
    words: str
    by: float | None  # mm; None where the offset is unknown afterwards


@dataclass(frozen=True)
class MachineDrift:
    """All that is known of a machine's course."""

    gauge: str
    keys: tuple[ProvenKey, ...]
    marks: tuple[Marked, ...]
    noise: Noise  # mm, of one cut measured and of one clamping
    drift: Drift | None
    tolerance: float  # mm, of the families it cuts, the strictest
    forecast: Forecast | None
    since_trim: int  # keys made since it was last trimmed or checked
    per_day: float
    touched_since: str  # what was done since that makes a check due, "" for nothing
    last_checked: datetime | None

    @property
    def says(self) -> str:
        """Where the machine stands, in one sentence."""
        if self.drift is None:
            return f"Too few proven keys to follow it yet: {len(self.keys)} of {FEWEST_KEYS}."
        offset = self.drift.offset
        way = "shallow" if offset.mean > 0 else "deep"
        if abs(offset.mean) < 1.96 * offset.sd:
            return f"It cuts true as far as its keys can tell, within {1.96 * offset.sd:.3f} mm."
        return f"It cuts {abs(offset.mean):.3f} mm {way}, give or take {1.96 * offset.sd:.3f}."

    @property
    def foretells(self) -> str:
        """When half of the tolerance will be used up."""
        if self.forecast is None or self.forecast.median is None:
            return "Half of the tolerance is not in sight within 2,000 keys." if self.forecast else ""
        if self.forecast.median <= 1:
            return "Half of the tolerance is used up."
        soonest, latest = self.forecast.soonest, self.forecast.latest
        between = f"{soonest} to {latest}, 9 times in 10" if latest else f"{soonest} at the soonest, 1 in 20"
        return f"Half of the tolerance used up in about {self.forecast.median} keys ({between})."

    @property
    def due(self) -> str:
        """Why a check is due now, "" when none is."""
        if self.touched_since:
            return f"Check it now: somebody {self.touched_since} since it was last trimmed or checked."
        if self.forecast and self.forecast.soonest is not None and self.forecast.soonest <= 1:
            return "Check it now: half of the tolerance may be used up."
        if self.drift is None and self.last_checked and timezone.now() - self.last_checked > self.every:
            return f"Check it now: {self.every.days} days have gone by at this volume."
        return "Check it now: it never was." if self.drift is None and not self.last_checked else ""

    @property
    def every(self) -> timedelta:
        """How often to check by volume alone."""
        return timedelta(days=1 if self.per_day >= BUSY else 7 if self.per_day >= BRISK else 30)


def drift_of(machine: Machine, gauge: str = "") -> MachineDrift:
    """Follow a machine through every key proven on it that was gauged so; the usual way where none is named."""
    every, tolerance = _keys(machine)
    usual = Counter(key.gauge for key in every).most_common(1)
    gauge = gauge or (usual[0][0] if usual else "shoulder")
    keys = tuple(key for key in every if key.gauge == gauge)
    marks = _marks(machine, gauge, [key.at for key in keys])
    last_checked = max((mark.at for mark in marks if mark.by is not None), default=None)
    check = Trim.objects.filter(machine=machine, gauge=gauge, closed_at__isnull=False).first()
    if check is not None and check.closed_at is not None:
        last_checked = max(filter(None, [last_checked, check.closed_at]))
    since = [key for key in keys if last_checked is None or key.at > last_checked]
    touched = [mark for mark in marks if mark.by is None and (last_checked is None or mark.at > last_checked)]
    month = timezone.now() - timedelta(days=30)
    made = machine.runs.filter(state=RunState.FINISHED, finished_at__gte=month).count()
    noise = Noise(hypot(machine.sd_each, machine.caliper_sd), machine.sd_seat)
    drift, forecast = None, None
    if len(keys) >= FEWEST_KEYS:
        drift, forecast = followed(keys, marks, noise, tolerance)
    return MachineDrift(
        gauge=gauge,
        keys=keys,
        marks=marks,
        noise=noise,
        drift=drift,
        tolerance=tolerance,
        forecast=forecast,
        since_trim=len(since),
        per_day=made / 30,
        touched_since=touched[-1].words if touched else "",
        last_checked=last_checked,
    )


def noise_of(machine: Machine, learned: Drift | None = None, repeats: int = 1) -> Noise:
    """One measured cut of this machine, and one clamping as its keys have shown it; mm."""
    seat = machine.sd_seat if learned is None else float(learned.weights @ learned.seats)
    return Noise(hypot(machine.sd_each, caliper_sd_mm() / sqrt(repeats)), max(seat, 1e-6))


@lru_cache(maxsize=16)
def followed(
    keys: tuple[ProvenKey, ...], marks: tuple[Marked, ...], noise: Noise, tolerance: float
) -> tuple[Drift, Forecast]:
    """The same keys tell the same course however often it is looked at."""
    made = [KeyMade(number, key.error, key.cuts) for number, key in enumerate(keys)]
    drift = follow_drift(made, [Touched(mark.number, mark.by) for mark in marks], noise)
    return drift, drift.forecast(tolerance / 2)


def _keys(machine: Machine) -> tuple[tuple[ProvenKey, ...], float]:
    """Every key proven on a machine, first to last, and the strictest tolerance among its families."""
    proofs = Proof.objects.filter(run__machine=machine, run__touches_up=None, run__finished_at__isnull=False)
    of_run = "run__set_up__tag"
    rows = proofs.order_by("run__finished_at").values_list(
        "run__finished_at", "cuts", f"{of_run}__number", f"{of_run}__family_record_id"
    )
    records = FamilyRecord.objects.in_bulk({row[3] for row in rows})
    keys, tolerances = [], Counter[float]()
    for at, cuts, number, record in rows:
        family = records[record].family
        to_mm = edge_mm(family)
        errors = [cut["error"] * to_mm for cut in cuts if cut["error"] is not None]
        if errors:
            keys.append(ProvenKey(at, f"tag {number:04d}", family.gauge, sum(errors) / len(errors), len(errors)))
        if family.tolerance:
            tolerances[family.tolerance.value * to_mm] += 1
    keys = sorted([*keys, *_test_keys(machine)], key=lambda key: key.at)
    return tuple(keys), min(tolerances, default=USUAL_TOLERANCE_MM)


def _test_keys(machine: Machine) -> list[ProvenKey]:
    """The test keys of closed trims and checks that were measured there: keys of known target like any other."""
    found = []
    trims = Trim.objects.filter(machine=machine, closed_at__isnull=False).select_related("family_record")
    for trim in trims.prefetch_related("readings"):
        family = trim.family_record.family
        values, edge = family.track(trim.track).values, edge_mm(family)
        errors: defaultdict[int, list[float]] = defaultdict(list)
        for reading in trim.readings.all():
            if reading.value is not None and not reading.withdrawn:
                target = values[trim.steps[reading.space - 1]]
                errors[reading.clamping].append((reading.value - target) * edge + zero_mm(trim, family))
        for clamping, of_key in sorted(errors.items()):
            if trim.closed_at is not None:  # measured before the adjustment that closed it
                made_at = trim.closed_at - timedelta(milliseconds=100 - clamping)
                found.append(ProvenKey(made_at, "a test key", trim.gauge, sum(of_key) / len(of_key), len(of_key)))
    return found


def zero_mm(trim: Trim, family: Family) -> float:
    """What the caliper's own error adds to a depth on one edge, mm, to be taken off; 0 where it was not tried."""
    if trim.known_size is None or trim.known_read is None:
        return 0.0
    return (trim.known_size - trim.known_read) * edge_mm(family) / convert(1.0, family.unit, Unit.MILLIMETRE)


def edge_mm(family: Family) -> float:
    """What a depth error in the family's unit is on one edge, mm."""
    return convert(1.0, family.unit, Unit.MILLIMETRE) * (0.5 if family.measured == "across" else 1.0)


def _marks(machine: Machine, gauge: str, made_at: list[datetime]) -> tuple[Marked, ...]:
    """Trims, and work that moves the machine, among the keys made."""
    marks = []
    own = OffsetChange.objects.filter(
        offset__machine=machine, offset__gauge=gauge, offset__jaw_side=None, offset__family_record=None
    )
    for change in own.order_by("at"):
        by = change.value_after - change.value_before + change.turned
        if by:
            marks.append(Marked(change.at, bisect_left(made_at, change.at), f"trimmed by {by:+.3f} mm", by))
    for work in MachineWork.objects.filter(machine=machine, what__in=[w for w in Work if w.moves_it]):
        marks.append(Marked(work.at, bisect_left(made_at, work.at), Work(work.what).label, None))
    return tuple(sorted(marks, key=lambda mark: mark.at))
