"""A trim as it stands: the test key, what was measured, what it says and what to do about it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache

from keycore.errors import InputError
from keycore.family import Family, Tolerance, Track
from keycore.kinds import kinds
from keycore.kinds.interface import Surface
from keycore.machines.design import TestKey, clampings_to_settle, design_test_key
from keycore.machines.trim import Adjustment, Advice, MeasuredCut, Noise, Term, fit_trim, odd_clamping
from keycore.machines.trim import Trim as Fit
from keycore.machines.wheel import KeyOfWheel, WheelAdvice, WheelSigns, judge_wheel, steep_error, worse_neighbour
from keycore.tools import Wheel
from wryfalcon.bench.models import PieceState, ProofValue
from wryfalcon.documents import parsed
from wryfalcon.keeping.queries.drift import drift_of, noise_of
from wryfalcon.keeping.queries.proven import edge_mm, shallow_mm, zero_mm
from wryfalcon.lengths import mm_as_shown, say_mm, unit_shown
from wryfalcon.library.models import FamilyRecord
from wryfalcon.machines.models import Closer, JawSide, Machine, Trim, TrimReading
from wryfalcon.machines.queries.fittings import axes_of

CLAMPINGS = 2  # fewer cannot tell a badly seated key from a machine out of true


@dataclass(frozen=True)
class PlannedTestCut:
    """One cut of the test key, family unit."""

    space: int
    label: str
    position: float
    value: float


@dataclass(frozen=True)
class Clamping:
    """One clamping's measurements, by space: value and position, family unit."""

    number: int
    values: dict[int, tuple[float | None, float | None]]
    from_tag: bool = False


@dataclass(frozen=True)
class ShownTerm:
    """A term of a trim as a row of its table: its interval, or why it is not told."""

    name: str
    value: str
    says: str
    is_known: bool = True


@dataclass(frozen=True)
class TrimState:
    """Everything a trim's page says."""

    trim: Trim
    family: Family
    planned: tuple[PlannedTestCut, ...]
    clampings: tuple[Clamping, ...]
    noise: Noise  # mm
    fit: Fit | None  # mm, on one edge
    problem: str = ""
    odd: Clamping | None = None  # it disagrees with the others: most likely not seated
    odd_is_deep: bool = True  # else it came out shallow: it was most likely measured wrongly
    worn: str | None = None  # what speaks for another wheel before anything is adjusted

    @property
    def falls_when_deeper(self) -> bool:
        """Whether a deeper cut has the smaller value."""
        return self.family.track(self.trim.track).falls_when_deeper

    @property
    def terms(self) -> tuple[ShownTerm, ...]:
        """What the keys say of each term, in the unit of whoever is looking."""
        fit, unit = self.fit, unit_shown()
        if fit is None:
            return ()
        return (
            _shown(f"Depth offset, {unit}", fit.offset, fit.left_out.get("offset", ""), mm_as_shown),
            _shown("Depth error for what lies along the blade", fit.per_space, fit.left_out.get("per_space", "")),
            _shown("Depth error for how deep it goes", fit.per_depth, fit.left_out.get("per_depth", "")),
            _shown(f"Position offset, {unit}", fit.space_offset, fit.left_out.get("space_offset", ""), mm_as_shown),
            _shown("Spacing, for what lies along the blade", fit.space_scale, fit.left_out.get("space_scale", "")),
        )

    @property
    def can_apply(self) -> bool:
        """Whether there is an adjustment to put in force."""
        if self.fit is None or self.odd is not None or self.worn is not None or self.trim.is_check:
            return False
        return bool(self.fit.depth_adjust or self.fit.space_adjust)

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

    @property
    def says(self) -> str:
        """The advice in a smith's words."""
        fit = self.fit
        if fit is None or fit.offset is None:
            return "Nothing is measured yet."
        if not self.is_enough:
            return (
                "One clamping cannot tell a badly seated key from a machine out of true: bottom a blank and cut again."
            )
        if self.odd is not None and not self.odd_is_deep:
            return (
                "This is not an adjustment: the clampings disagree, and "
                f"clamping {self.odd.number} alone is shallow. "
                "Nothing leaves metal on one key only: check the measuring, knife edges in the roots, "
                "and the caliper’s zero; if it stays, cut another."
            )
        if self.odd is not None:
            return (
                "This is not an adjustment: the clampings disagree, and "
                f"clamping {self.odd.number} is {self._how_odd}. "
                "Take it back, bottom a blank against the back of the jaw, and cut again."
            )
        if self.seats_worse and fit.advice != Advice.ADJUST:
            return (
                "Leave it alone for now: the clampings scatter further than this machine’s own keys did. "
                "Clean the jaw, bottom another blank against its back, cut and measure it before anything is judged."
            )
        if self.trim.is_check:
            if self.is_true:
                return f"True, as far as one key can tell: {_error(fit.offset.value)}."
            return f"Not true: {_error(fit.offset.value)}. Bottom the blank and cut again; if it stays, trim it."
        if self.worn is not None:
            return f"This is not an adjustment: {self.worn}, so look at the wheel and change it."
        if fit.advice == Advice.SERVICE:
            return f"This is not an adjustment: {'; '.join(self._beyond)}."
        if fit.advice == Advice.ADJUST:
            return f"{self._what_is_off()}. {self.by_hand}"
        if self.more_wanted:
            count = self.more_wanted
            return (
                f"Leave it alone for now: {_error(fit.offset.value)} may be nothing. "
                f"{count} more clamping{'s' if count > 1 else ''} would settle it."
            )
        return (
            f"Leave it alone: {_error(fit.offset.value)}, less than it is worth adjusting or can be told from nothing."
        )

    @property
    def _how_odd(self) -> str:
        return "the deeper" if len(self.clampings) == 2 else "deep, away from the others"

    def _what_is_off(self) -> str:
        assert self.fit is not None
        parts = []
        if self.fit.depth_adjust and self.fit.offset:
            parts.append(f"It cuts {_error(self.fit.offset.value)}")
        if self.fit.space_adjust and self.fit.space_offset:
            way = "from the gauge" if self.fit.space_offset.value > 0 else "towards the gauge"
            parts.append(f"the cuts sit {say_mm(abs(self.fit.space_offset.value))} {way}")
        return " and ".join(parts)

    @property
    def by_hand(self) -> str:
        """What the hand does at this machine."""
        assert self.fit is not None
        machine, steps = self.trim.machine, []
        if self.fit.depth_adjust:
            steps.append(f"Depth{self._axis(1)}: {turn_words(machine, self.fit.depth_adjust, self._sign)}")
        if self.fit.space_adjust:
            dial = dial_words(machine.space_dial, self.fit.space_adjust)
            steps.append(
                f"Along the blade{self._axis(0)}: add {say_mm(self.fit.space_adjust, signed=True)} to the offset{dial}"
            )
        return ". ".join(steps) + "." if steps else ""

    @property
    def _sign(self) -> float:
        return 1.0 if self.falls_when_deeper else -1.0

    def _axis(self, place: int) -> str:
        """Which axis does it, where the clamp is not the machine's own jaw."""
        side = self.trim.jaw_side
        axes = axes_of(self.trim.machine, side)
        axis = (axes.space, axes.depth)[place]
        return "" if side is None else f", axis {axis} for {side}"

    @property
    def _beyond(self) -> list[str]:
        fit, found = self.fit, []
        assert fit is not None
        x = [self.family.space.to_machine(cut.position) for cut in self.planned]
        v = [self.family.depth.to_machine(cut.value) for cut in self.planned]
        if fit.per_space and fit.per_space.excludes_zero:
            effect = abs(fit.per_space.value) * (max(x) - min(x))
            found.append(
                f"the error grows by {say_mm(effect)} along the blade, so square the jaw and sight the millings"
            )
        if fit.per_depth and fit.per_depth.excludes_zero:
            effect = abs(fit.per_depth.value) * (max(v) - min(v))
            found.append(f"the error grows by {say_mm(effect)} with depth, so have the depth axis serviced")
        if fit.space_scale and fit.space_scale.excludes_zero:
            found.append("the spacing itself is off, so have that axis serviced")
        return found


def _ratio(number: float, places: int = 4) -> str:
    return f"{number:.{places}f}".replace("-", "\N{MINUS SIGN}")


def _shown(name: str, term: Term | None, why: str, show: Callable[[float, int], str] = _ratio) -> ShownTerm:
    if term is None:
        return ShownTerm(name, "–", why, is_known=False)
    return ShownTerm(name, show(term.value, 4), f"{show(term.low, 4)} to {show(term.high, 4)}")


def turn_words(machine: Machine, adjust: float, sign: float = 1.0) -> str:
    """A depth adjustment as what the hand does: a number, or part of a turn of a screw and which way; mm.

    ``adjust`` is shallow when positive; ``sign`` -1 where values grow with depth.
    """
    deeper = adjust < 0
    if not machine.screw_lead:
        dial = dial_words(machine.depth_dial, adjust)
        return f"add {say_mm(adjust * sign, signed=True)} to the offset{dial}, {'deeper' if deeper else 'shallower'}"
    turns = abs(adjust) / machine.screw_lead
    closer = machine.closer or Closer.CLOCKWISE
    other = Closer.ANTICLOCKWISE if closer == Closer.CLOCKWISE else Closer.CLOCKWISE
    way = closer if deeper else other
    return f"turn the screw {turns:.2f} of a turn {Closer(way).label}, {'closer' if deeper else 'away'}"


def dial_words(division: float | None, adjust: float) -> str:
    """An adjustment in divisions of a dial, "" without one; mm."""
    if not division:
        return ""
    divisions = abs(adjust) / division
    return f", {divisions:.3g} division{'' if divisions == 1 else 's'} of the dial"


def trim_state(trim: Trim) -> TrimState:
    """Work a trim out."""
    family = trim.family_record.family
    track = family.track(trim.track)
    planned = _planned(track, trim.steps)
    clampings = [*_typed(trim), *_from_tag(trim)]
    noise = noise_of(trim.machine, drift_of(trim.machine, trim.gauge).drift)
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
    )


def _worn(fit: Fit | None, keys: Sequence[Sequence[MeasuredCut]], family: Family, noise: Noise) -> str | None:
    """What the test keys say against the wheel: cuts deep beside steep neighbours, and no error with depth instead."""
    if fit is None or family.tolerance is None or (fit.per_depth is not None and fit.per_depth.excludes_zero):
        return None
    by_wheel = []
    for cuts in keys:
        ordered = sorted(cuts, key=lambda cut: cut.space)
        heights = [cut.value for cut in ordered]
        told = [
            (cut.measured_value - cut.value, worse_neighbour(heights, at))
            for at, cut in enumerate(ordered)
            if cut.measured_value is not None
        ]
        if len(told) == len(heights):  # a gap hides how steep it is
            by_wheel.append(KeyOfWheel(tuple(error for error, _ in told), tuple(jump for _, jump in told)))
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
    """Whether its test keys can be cut from here: an edge, held where the axes do what they usually do."""
    side = trim.jaw_side
    usual = axes_of(trim.machine, None)
    return trim.family_record.family.kind.cutting is not None and axes_of(trim.machine, side) == usual


def families_to_trim_by(sides: Sequence[JawSide]) -> list[FamilyRecord]:
    """The families whose test keys tell the terms apart: edges, and tubular keys where a clamp holds them."""
    surfaces = {Surface.EDGE} | ({Surface.END} if any(side.clamp_id for side in sides) else set())
    records = FamilyRecord.objects.filter(kind__in=[kind.id for kind in kinds() if kind.surface in surfaces])
    return [r for r in records if len(r.family.tracks[0].spaces) > 2 and r.family.tolerance]


def _planned(track: Track, steps: Sequence[int]) -> tuple[PlannedTestCut, ...]:
    return tuple(
        PlannedTestCut(space, track.labels[step], track.spaces[space - 1], track.values[step])
        for space, step in enumerate(steps, start=1)
    )


def _typed(trim: Trim) -> list[Clamping]:
    kept: defaultdict[int, dict[int, tuple[float | None, float | None]]] = defaultdict(dict)
    for reading in TrimReading.objects.filter(trim=trim, withdrawn=False):
        kept[reading.clamping][reading.space] = (reading.value, reading.position)
    return [Clamping(number, values) for number, values in sorted(kept.items())]


def _from_tag(trim: Trim) -> list[Clamping]:
    """The keys of the trim's own tag as they were proven, each a clamping; repeats meaned."""
    if trim.tag is None:
        return []
    values = ProofValue.objects.filter(
        piece__tag=trim.tag, piece__state=PieceState.FINISHED, piece__machine=trim.machine, withdrawn=False,
        track=trim.track, piece__onto=None,
    )  # fmt: skip
    seen: defaultdict[int, defaultdict[int, list[tuple[float, float | None]]]] = defaultdict(lambda: defaultdict(list))
    in_turn = values.order_by("piece", "id").values_list("piece", "space", "value", "position")
    for piece, space, value, position in in_turn:
        seen[piece][space].append((value, position))
    return [
        Clamping(number, {space: _mean(readings) for space, readings in cuts.items()}, from_tag=True)
        for number, cuts in enumerate(seen.values(), start=1)
    ]


def _mean(readings: list[tuple[float, float | None]]) -> tuple[float, float | None]:
    positions = [position for _, position in readings if position is not None]
    mean = sum(value for value, _ in readings) / len(readings)
    return mean, sum(positions) / len(positions) if positions else None


def _as_cuts(trim: Trim, family: Family, planned: Sequence[PlannedTestCut], clamping: Clamping) -> list[MeasuredCut]:
    """A clamping in millimetres on one edge, shallow positive, the caliper's own error taken off."""
    to_machine, edge = family.space.to_machine, shallow_mm(family)
    zero = 0.0 if clamping.from_tag else zero_mm(trim, family)
    found = []
    for cut in planned:
        value, position = clamping.values.get(cut.space, (None, None))
        if value is not None or position is not None:
            measured = None if value is None else value * edge + zero
            found.append(
                MeasuredCut(
                    to_machine(cut.position),
                    cut.value * edge,
                    measured,
                    None if position is None else to_machine(position),
                )
            )
    return found


def _error(value: float) -> str:
    return f"{say_mm(abs(value))} {'shallow' if value > 0 else 'deep'}"
