"""A trim as it stands: the test key, what was measured, what it says and what to do about it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from functools import lru_cache

from django.db.models import Min, Q

from keycore.errors import InputError
from keycore.family import Family, Tolerance, Track
from keycore.kind import Surface
from keycore.kinds import kinds
from keycore.machines.design import TestKey, clampings_to_settle, design_test_key
from keycore.machines.trim import Adjustment, Advice, MeasuredCut, Noise, fit_trim, odd_clamping
from keycore.machines.trim import Trim as Fit
from keycore.machines.wheel import WheelAdvice, WheelSigns, judge_wheel, key_of_wheel, steep_error
from keycore.tools import Wheel
from wryfalcon.bench.models import Piece, PieceState, ProofValue
from wryfalcon.documents import parsed
from wryfalcon.keeping.course.proven import edge_mm, shallow_mm, zero_mm
from wryfalcon.keeping.course.queries import course_of, noise_of
from wryfalcon.lengths import say_mm
from wryfalcon.library.models import FamilyRecord
from wryfalcon.library.queries.families import families_of
from wryfalcon.machines.fittings.queries import makes
from wryfalcon.machines.models import JawSide, OffsetChange, Trim, TrimReading, Work

CLAMPINGS = 2  # fewer cannot tell a badly seated key from a machine out of true


@dataclass(frozen=True)
class PlannedTestCut:
    """One cut of the test key, family unit."""

    number: int  # among all that are measured
    track: str
    space: int
    label: str
    position: float
    value: float


@dataclass(frozen=True)
class MeasuredClamping:
    """One clamping's measurements, by the number of the cut: value and position, family unit."""

    number: int
    values: dict[int, tuple[float | None, float | None]]
    from_tag: bool = False

    def __str__(self) -> str:
        return f"clamping {self.number}"


@dataclass(frozen=True)
class TrimState:
    """Everything a trim's page says."""

    trim: Trim
    family: Family
    planned: tuple[PlannedTestCut, ...]
    clampings: tuple[MeasuredClamping, ...]
    noise: Noise  # mm
    fit: Fit | None  # mm, on one edge
    problem: str = ""
    odd: MeasuredClamping | None = None  # it disagrees with the others: most likely not seated
    odd_is_deep: bool = True  # else it came out shallow: it was most likely measured wrongly
    worn: str | None = None  # what speaks for another wheel before anything is adjusted
    moved: str = ""  # what was done to the machine since its keys were measured, "" for nothing

    @property
    def is_of_walls(self) -> bool:
        """Whether walls are measured, as far across as they lie, instead of what an edge has left."""
        return self.family.kind.surface == Surface.GROOVE

    @property
    def is_of_holes(self) -> bool:
        """Whether holes are measured: how deep, and where along the blade."""
        return self.family.kind.surface == Surface.HOLE

    @property
    def to_values(self) -> float:
        """What turns an adjustment into the offset's own way: -1 where an edge's values grow with depth."""
        return 1.0 if self.is_of_walls or self.family.track(self.trim.track).falls_when_deeper else -1.0

    @property
    def worn_by(self) -> float:
        """How much smaller the mill is than it was entered, mm, by what both walls say; 0 where that is not told."""
        left = self.fit.per_wall if self.fit is not None else None
        return 2 * left.value if left is not None and left.excludes_zero else 0.0

    @property
    def can_apply(self) -> bool:
        """Whether there is an adjustment to put in force."""
        if self.fit is None or self.odd is not None or self.worn is not None or self.trim.is_check or self.moved:
            return False
        return bool(self.fit.depth_adjust or self.fit.space_adjust)

    @property
    def digest(self) -> str:
        """What would be put in force, by its figures: whoever presses has seen these."""
        return f"{self.fit.depth_adjust:.4f}:{self.fit.space_adjust:.4f}" if self.fit is not None else ""

    @property
    def is_zeroed(self) -> bool:
        """Whether the caliper was tried on a known size."""
        return self.trim.known_size is not None and self.trim.known_read is not None

    @property
    def is_enough(self) -> bool:
        """Whether there are clampings enough for advice."""
        return len(self.clampings) >= (1 if self.trim.is_check else CLAMPINGS)

    @property
    def is_true(self) -> bool | None:
        """A morning check's answer: whether one key is within what a true machine does."""
        if self.fit is None or self.fit.offset is None:
            return None
        return not self.fit.offset.excludes_zero and self.fit.advice != Advice.SERVICE

    @property
    def seats_worse(self) -> bool:
        """Whether the clampings scatter further than the machine’s history says that they do."""
        return self.fit is not None and "offset.seat_sd" in self.fit.left_out

    @property
    def more_wanted(self) -> int:
        """How many more clampings would settle what is doubtful, 0 for none."""
        if self.fit is None or self.fit.offset is None or self.fit.advice != Advice.LEAVE:
            return 0
        offset, step = abs(self.fit.offset.value), self.trim.machine.depth_step
        if offset < step / 2:
            return 0
        return max(0, clampings_to_settle(offset, self.noise, len(self.planned), step) - len(self.clampings))


def trim_state(trim: Trim) -> TrimState:
    """Work a trim out."""
    family = trim.family_record.family
    planned = planned_cuts(trim)
    clampings = [*_typed(trim, planned), *_from_tag(trim, planned)]
    noise = noise_of(trim.machine, course_of(trim.machine, trim.gauge).fitted)
    fit, problem = None, ""
    keys = [_as_cuts(trim, family, planned, each) for each in clampings]
    if any(keys):
        tolerance = family.tolerance or Tolerance(0.002, 0.003)
        allowed = Tolerance(family.depth.to_machine(tolerance.value), family.lengths.to_machine(tolerance.space))
        step = Adjustment(trim.machine.depth_step, trim.machine.space_step)
        try:
            fit = fit_trim(keys, allowed, step, noise)
        except InputError as error:
            problem = error.reason
    odd = odd_clamping(keys, noise)
    return TrimState(
        trim=trim,
        family=family,
        planned=planned,
        clampings=tuple(clampings),
        noise=noise,
        fit=fit,
        problem=problem,
        odd=None if odd is None else clampings[odd.place],
        odd_is_deep=odd is not None and odd.is_deep,
        worn=_worn(fit, keys, family, noise),
        moved=_moved_since(trim, family),
    )


def _moved_since(trim: Trim, family: Family) -> str:
    """What was done to an open trim's machine since the first of its keys: they speak of it as it was before.

    Keys count from when they were sent, by this clock and not the machine's. Those of two drills are made by putting
    one on for the other.
    """
    typed = trim.readings.filter(withdrawn=False).aggregate(first=Min("at"))["first"]
    made = Piece.objects.filter(tag=trim.tag_id, proof_values__withdrawn=False) if trim.tag_id else Piece.objects.none()
    first = min(filter(None, (typed, made.aggregate(first=Min("created_at"))["first"])), default=None)
    if first is None or trim.closed_at is not None:
        return ""
    telling = [work for work in Work if work.moves_it or (work == Work.SWAPPED and family.kind.surface != Surface.HOLE)]
    work = trim.machine.work.filter(what__in=telling, at__gt=first).order_by("-at").first()
    if work is not None:
        return Work(work.what).done
    counting = Q(offset__jaw_side=None) | Q(offset__jaw_side=trim.jaw_side_id)
    changes = OffsetChange.objects.filter(counting, offset__machine=trim.machine_id, offset__gauge=trim.gauge)
    return "its offsets were changed" if changes.filter(at__gt=first, undone=False).exists() else ""


def _worn(fit: Fit | None, keys: Sequence[Sequence[MeasuredCut]], family: Family, noise: Noise) -> str | None:
    """What the test keys say against the wheel: cuts deep beside steep neighbours, and no error with depth instead."""
    if not isinstance(family.tracks[0].tool, Wheel):
        return None
    if fit is None or family.tolerance is None or (fit.per_depth is not None and fit.per_depth.excludes_zero):
        return None
    by_wheel = [key for key in map(key_of_wheel, keys) if key is not None]
    steepest = max((max(key.jumps) for key in by_wheel), default=0.0)
    signs = WheelSigns(steep_error(by_wheel, noise), steepest, family.tolerance.value * edge_mm(family))
    verdict = judge_wheel(Wheel(0.0, 90.0), signs, say_mm)
    return verdict.reasons[0] if verdict.advice == WheelAdvice.CHANGE else None


@lru_cache(maxsize=32)
def best_test_key(document: str, name: str, noise: Noise, clampings: int) -> TestKey:
    """The test bitting that tells the terms apart best; worked out once. Raises InputError."""
    family = parsed(document)
    mm = family.lengths.from_machine(1.0)
    return design_test_key(family, family.track(name), Noise(noise.sd * mm, noise.seat_sd * mm), clampings)


def can_be_cut(trim: Trim) -> bool:
    """Whether its test keys can be cut from here: of a kind that is, held where the axes make what its cuts are."""
    family = trim.family_record.family
    return family.kind.cutting is not None and makes(trim.machine, trim.jaw_side, family)


def families_to_trim_by(sides: Sequence[JawSide], tools: Collection[str], *, drills: bool) -> list[FamilyRecord]:
    """The families whose test keys tell the terms apart: edges; ends of tubes and walls where a clamp holds them.

    Holes where it ``drills``. Those come first that one of the machine's own ``tools``, by name, cuts.
    """
    surfaces = {Surface.EDGE} | ({Surface.END} if any(side.clamp_id for side in sides) else set())
    surfaces |= {Surface.GROOVE} if any(side.cuts_across for side in sides) else set()
    surfaces |= {Surface.HOLE} if drills else set()
    records = families_of(tuple(kind.id for kind in kinds() if kind.surface in surfaces))
    told = [r for r in records if len(r.family.tracks[0].spaces) > 2 and r.family.tolerance]
    return sorted(told, key=lambda r: getattr(r.family.tracks[0].tool, "name", "") not in tools)


def measured_beside(family: Family) -> Track | None:
    """What tells the tool's own error from the axis's when it is measured beside the first track; None for no such.

    The wall of the same face across the first track's groove, its metal on the other side; holes of another drill.
    """
    first, of_holes = family.tracks[0], family.kind.surface == Surface.HOLE
    if not (of_holes or family.kind.surface == Surface.GROOVE):
        return None
    across = (t for t in family.tracks if t.face == first.face and t.falls_when_deeper != first.falls_when_deeper)
    others = (track for track in family.tracks if track.tool != first.tool) if of_holes else across
    return next((track for track in others if len(track.spaces) > 2), None)


def planned_cuts(trim: Trim) -> tuple[PlannedTestCut, ...]:
    """The cuts of a trim's test key, those of the wall beside after its own."""
    family, found = trim.family_record.family, list[PlannedTestCut]()
    for name, steps in ((trim.track, trim.steps), (trim.beside, trim.steps_beside)):
        for space, step in enumerate(steps, start=1):
            track = family.track(name)
            place, value = track.spaces[space - 1], track.values[step]
            found.append(PlannedTestCut(len(found) + 1, name, space, track.labels[step], place, value))
    return tuple(found)


def _typed(trim: Trim, planned: Sequence[PlannedTestCut]) -> list[MeasuredClamping]:
    kept: defaultdict[int, dict[int, tuple[float | None, float | None]]] = defaultdict(dict)
    number = {(cut.track, cut.space): cut.number for cut in planned}
    for reading in TrimReading.objects.filter(trim=trim, withdrawn=False):
        place = reading.track or trim.track, reading.space
        kept[reading.clamping][number[place]] = (reading.value, reading.position)
    return [MeasuredClamping(number, values) for number, values in sorted(kept.items())]


def _from_tag(trim: Trim, planned: Sequence[PlannedTestCut]) -> list[MeasuredClamping]:
    """The keys of the trim's own tag as they were proven, each a clamping; repeats meaned."""
    if trim.tag is None:
        return []
    values = ProofValue.objects.filter(
        piece__tag=trim.tag, piece__state=PieceState.FINISHED, piece__machine=trim.machine, withdrawn=False,
        track__in=(trim.track, trim.beside or trim.track), piece__onto=None,
    )  # fmt: skip
    number = {(cut.track, cut.space): cut.number for cut in planned}
    seen: defaultdict[int, defaultdict[int, list[tuple[float, float | None]]]] = defaultdict(lambda: defaultdict(list))
    in_turn = values.order_by("piece", "id").values_list("piece", "track", "space", "value", "position")
    for piece, track, space, value, position in in_turn:
        seen[piece][number[track, space]].append((value, position))
    return [
        MeasuredClamping(key, {cut: _mean(readings) for cut, readings in cuts.items()}, from_tag=True)
        for key, cuts in enumerate(seen.values(), start=1)
    ]


def _mean(readings: list[tuple[float, float | None]]) -> tuple[float, float | None]:
    positions = [position for _, position in readings if position is not None]
    mean = sum(value for value, _ in readings) / len(readings)
    return mean, sum(positions) / len(positions) if positions else None


def _as_cuts(
    trim: Trim, family: Family, planned: Sequence[PlannedTestCut], clamping: MeasuredClamping
) -> list[MeasuredCut]:
    """A clamping in mm, the caliper's own error taken off: on one edge, shallow positive; walls as they lie."""
    is_wall = family.kind.surface == Surface.GROOVE
    to_machine, edge = family.space.to_machine, edge_mm(family) if is_wall else shallow_mm(family)
    zero = 0.0 if clamping.from_tag else zero_mm(trim, family)
    found = []
    for cut in planned:
        value, position = clamping.values.get(cut.number, (None, None))
        if value is not None or position is not None:
            measured = None if value is None else value * edge + zero
            found.append(
                MeasuredCut(
                    to_machine(cut.position),
                    cut.value * edge,
                    measured,
                    None if position is None else to_machine(position),
                    metal=(1 if family.track(cut.track).falls_when_deeper else -1) if is_wall else 0,
                    drill=int(family.kind.surface == Surface.HOLE and cut.track != trim.track),
                )
            )
    return found
