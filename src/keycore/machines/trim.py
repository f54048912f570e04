"""A machine's errors from keys of known target: what to adjust, what no adjustment mends, what to leave alone."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from math import floor
from statistics import median
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray
from scipy.special import chdtri, ndtri, stdtrit

from keycore.errors import InputError
from keycore.family import Tolerance

Array = NDArray[np.float64]
RANK = 1e-8
LEVEL = 0.975  # one end of an interval that holds 95 in 100
UNLIKELY = 0.001  # so seldom is as much left over if the noise is as said
ROUNDED_AWAY = 1e-9  # an sd smaller than any length that a document may give
SELDOM = 0.05  # so seldom do clampings scatter as far


@dataclass(frozen=True, slots=True)
class MeasuredCut:
    """A cut as it was meant and as it came out, all in one unit; None for what was not measured."""

    space: float  # meant, from the gauge
    value: float  # meant
    measured_value: float | None = None
    measured_space: float | None = None
    metal: int = 0  # of a wall: 1 where a larger value leaves more metal, -1 where it leaves less; 0 for no wall
    drill: int = 0  # 1 for a hole of another drill than the first


@dataclass(frozen=True, slots=True)
class Noise:
    """How well errors are known: sd of one measurement, and of what one clamping adds to all its cuts."""

    sd: float
    seat_sd: float

    def __post_init__(self) -> None:
        if not self.sd > 0 or not self.seat_sd >= 0:
            raise InputError("noise", "sd must be above 0 and seat_sd at least 0")


@dataclass(frozen=True, slots=True)
class Adjustment:
    """The smallest steps by which a machine's offsets can be moved."""

    depth_step: float
    space_step: float


@dataclass(frozen=True, slots=True)
class Term:
    """One fitted term with its 95 % interval."""

    value: float
    low: float
    high: float

    @property
    def excludes_zero(self) -> bool:
        """Whether the interval leaves zero out."""
        return self.low > 0 or self.high < 0


class Advice(StrEnum):
    """What a fit says to do."""

    LEAVE = "leave"
    ADJUST = "adjust"
    SERVICE = "service"
    UNKNOWN = "unknown"  # the offset could not be told at all


TERMS = ("offset", "per_space", "per_depth", "space_offset", "space_scale")


@dataclass(frozen=True)
class Trim:
    """What the keys say of a machine. A term is None where the cuts cannot tell it; ``left_out`` says why."""

    offset: Term | None
    per_space: Term | None
    per_depth: Term | None
    space_offset: Term | None
    space_scale: Term | None
    depth_adjust: float
    space_adjust: float
    advice: Advice
    left_out: Mapping[str, str] = field(default_factory=lambda: MappingProxyType({}))
    per_wall: Term | None = None  # metal left on every wall, whichever side its metal is on: a mill worn smaller
    per_drill: Term | None = None  # what the other drill's holes have left beside those of the first
    space_per_drill: Term | None = None  # and how far along they lie beside those: one of the two runs off its centre


@dataclass(frozen=True)
class _Errors:
    """Errors of one sort: (m,) errors, meant places and values, and which key each is of."""

    e: Array
    x: Array
    v: Array
    key: NDArray[np.intp]
    metal: Array  # (m,) of a wall, which way leaves more metal
    drill: Array  # (m,) of a hole, 1 for the other drill


def fit_trim(
    keys: Sequence[Sequence[MeasuredCut]], tolerance: Tolerance, adjust: Adjustment, noise: Noise | None = None
) -> Trim:
    """Fit depth errors e = a + b (x - mean x) + c (v - mean v) and position errors s = p + g (x - mean x).

    Walls of both sides add w m, m 1 where a larger value leaves more metal and -1 where it leaves less: an axis or
    a face that is off moves all of them the same way, a mill worn smaller by 2 w leaves w on each. The mean of v is
    then each side's own, so that w is what the sides differ by. Of walls on one side only it is left out. Holes of
    two drills add a term of the other to either: each drill has a length of its own, and one may run off its centre.

    Ordinary least squares with Student t intervals on the residuals; with ``noise`` generalised
    least squares, covariance sd^2 I + seat_sd^2 within each key, and normal intervals. Where what is
    left over is more than the noise allows 999 times in 1,000, the intervals are widened by the root of
    chi^2 over its degrees of freedom (Birge, *Physical Review* 40, 1932, 207-227); where the clampings'
    means scatter more than it allows 95 times in 100, the interval of either offset is at least that of Student's t
    over the means. ``left_out`` names either, and without ``noise`` that cuts of one clamping move together and that
    readings without any scatter were rounded. The offsets -a and -p are rounded to the smallest adjustment,
    and given only where the interval excludes zero and the offset is more than half an adjustment. A term in
    x or v whose effect over the cuts given exceeds the tolerance, or w that does, interval excluding zero, means
    service.

    Arguments: ``keys`` (k,), the cuts of each, one clamping each; ``tolerance``, ``adjust`` and ``noise`` in
    the same unit. Returns a Trim. Raises InputError when nothing at all was measured.
    Source: the model in ``docs/computation.md``, "Machine against target"; least squares as in any
    textbook, checked against NIST StRD Norris and JCGM 100:2008 Annex H.3.

    >>> keys = [[MeasuredCut(x, v, v + 0.003) for x, v in ((0.2, 0.33), (0.35, 0.30), (0.5, 0.32))]] * 2
    >>> trim = fit_trim(keys, Tolerance(0.002, 0.003), Adjustment(0.001, 0.001), Noise(0.0005, 0.0005))
    >>> trim.depth_adjust, trim.advice.value, sorted(trim.left_out)
    (-0.003, 'adjust', ['space_offset', 'space_scale'])
    """
    depths = _errors(keys, lambda cut: None if cut.measured_value is None else cut.measured_value - cut.value)
    spaces = _errors(keys, lambda cut: None if cut.measured_space is None else cut.measured_space - cut.space)
    if not len(depths.e) and not len(spaces.e):
        raise InputError("keys", "nothing was measured")
    columns = {"offset": np.ones_like(depths.e), "per_space": depths.x, "per_depth": depths.v}
    columns |= {"per_wall": depths.metal} if depths.metal.any() else {}
    columns |= {"per_drill": depths.drill} if depths.drill.any() else {}
    along = {"space_offset": np.ones_like(spaces.e), "space_scale": spaces.x}
    along |= {"space_per_drill": spaces.drill} if spaces.drill.any() else {}
    of_depth, of_space = _fit(depths, columns, noise), _fit(spaces, along, noise)
    terms: dict[str, Term | None] = {}
    left_out: dict[str, str] = {}
    for name, found in {**of_depth, **of_space}.items():
        if isinstance(found, Term):
            terms[name] = found
            continue
        left_out[name] = found
        if "." not in name:
            terms[name] = None
    depth_adjust = _adjustment(terms["offset"], adjust.depth_step)
    space_adjust = _adjustment(terms["space_offset"], adjust.space_step)
    beyond = (
        _matters(terms["per_space"], depths.x, tolerance.value)
        or _matters(terms["per_depth"], depths.v, tolerance.value)
        or _matters(terms["space_scale"], spaces.x, tolerance.space)
        or _matters(terms.get("per_wall"), ONE, tolerance.value)
        or _matters(terms.get("per_drill"), ONE, tolerance.value)
        or _matters(terms.get("space_per_drill"), ONE, tolerance.space)
    )
    told = terms["offset"] if len(depths.e) else terms["space_offset"]
    if beyond:
        advice = Advice.SERVICE
    elif depth_adjust or space_adjust:
        advice = Advice.ADJUST
    else:
        advice = Advice.UNKNOWN if told is None else Advice.LEAVE
    return Trim(
        terms["offset"], terms["per_space"], terms["per_depth"], terms["space_offset"], terms["space_scale"],
        depth_adjust, space_adjust, advice, MappingProxyType(left_out), terms.get("per_wall"),
        terms.get("per_drill"), terms.get("space_per_drill"),
    )  # fmt: skip


ONE = np.array([0.0, 1.0])  # what is so of a cut or is not
APART = {
    "per_wall": "walls of one side only: a worn mill looks just like the axis",
    "per_drill": "holes of the other drill only",
    "space_per_drill": "holes of the other drill only",
}
"""Why a term is left out that tells two sorts of cuts apart."""
DISAGREE = 4.0  # sd of a difference; as far as a key that was not seated (common practice, no source)


@dataclass(frozen=True, slots=True)
class OddClamping:
    """The clamping that disagrees with the others: which, and whether it came out deep."""

    place: int
    is_deep: bool


def odd_clamping(keys: Sequence[Sequence[MeasuredCut]], noise: Noise) -> OddClamping | None:
    """Which clamping disagrees: the one farthest from the others, where they differ by more than they scatter.

    Means m_i over n_i cuts differ with variance 2 seat_sd^2 + sd^2 (1/n_i + 1/n_j); beyond 4 of its sd
    one is named. Of three or more it is the one farthest from the median of the rest. Of two nothing says which,
    and the deeper is named: a blank that is not bottomed is only ever cut too deep. One that is shallow alone was
    most likely measured wrongly. Arguments: ``keys`` (k,), the
    cuts of each, errors positive where shallow, in the unit of ``noise``. Returns an OddClamping,
    None where they agree or fewer than two were measured. Raises nothing.

    >>> key = [MeasuredCut(0.2, 0.33, 0.331), MeasuredCut(0.35, 0.30, 0.301)]
    >>> deep = [MeasuredCut(0.2, 0.33, 0.325), MeasuredCut(0.35, 0.30, 0.295)]
    >>> odd_clamping([key, deep, key], Noise(0.0006, 0.0005)), odd_clamping([deep, key, deep], Noise(0.0006, 0.0005))
    (OddClamping(place=1, is_deep=True), OddClamping(place=1, is_deep=False))
    >>> odd_clamping([key, key], Noise(0.0006, 0.0005)) is None
    True
    """
    means = _means(keys)
    if len(means) < 2:
        return None
    (low, few, deepest), (high, many, _) = min(means), max(means)
    sd = (2 * noise.seat_sd**2 + noise.sd**2 * (1 / few + 1 / many)) ** 0.5
    if high - low <= DISAGREE * sd:
        return None
    if len(means) == 2:
        return OddClamping(deepest, True)
    far = [(abs(mean - median(m for m, _, p in means if p != place)), mean, place) for mean, _, place in means]
    _, mean, place = max(far)
    return OddClamping(place, mean < median(m for m, _, p in means if p != place))


def _means(keys: Sequence[Sequence[MeasuredCut]]) -> list[tuple[float, int, int]]:
    """Of each key that was measured: its mean depth error, over how many cuts, and its place."""
    means = []
    for place, cuts in enumerate(keys):
        errors = [cut.measured_value - cut.value for cut in cuts if cut.measured_value is not None]
        if errors:
            means.append((sum(errors) / len(errors), len(errors), place))
    return means


def _errors(keys: Sequence[Sequence[MeasuredCut]], error_of: Callable[[MeasuredCut], float | None]) -> _Errors:
    rows = [
        (error, cut.space, cut.value, key, cut.metal, cut.drill)
        for key, cuts in enumerate(keys)
        for cut in cuts
        if (error := error_of(cut)) is not None
    ]
    e, x, v, metal, drill = (np.array([row[part] for row in rows], dtype=float) for part in (0, 1, 2, 4, 5))
    for alike in {(side, tool) for *_, side, tool in rows}:
        own = (metal == alike[0]) & (drill == alike[1])
        v[own] = _centred(v[own])
    return _Errors(e, _centred(x), v, np.array([row[3] for row in rows], dtype=np.intp), metal, drill)


def _centred(column: Array) -> Array:
    """A column about its mean; nothing at all where it hardly changes."""
    if not len(column) or float(np.ptp(column)) <= RANK * float(np.abs(column).max()):
        return np.zeros_like(column)
    return np.asarray(column - column.mean())


def _fit(errors: _Errors, columns: Mapping[str, Array], noise: Noise | None) -> dict[str, Term | str]:
    """Each term with its interval, or why there is none; and under other names what widened them."""
    if not len(errors.e):
        return dict.fromkeys(columns, "none was measured")
    found: dict[str, Term | str] = {name: why for name, column in columns.items() if (why := _untold(name, column))}
    kept = {name: column for name, column in columns.items() if name not in found}
    unit = np.column_stack([_unit(column) for column in kept.values()])
    if {"per_space", "per_depth"} <= kept.keys() and np.linalg.matrix_rank(unit, tol=RANK) < len(kept):
        for name in ("per_space", "per_depth"):
            found[name] = "position and depth change together in these cuts"
            del kept[name]
    design = np.column_stack(list(kept.values()))
    freedom = len(errors.e) - len(kept)
    if noise is None and freedom < 1:
        return dict.fromkeys(columns, _too_few(len(errors.e), len(kept)))
    if noise is not None:
        design, e = _whiten(design, errors.key, noise), _whiten(errors.e[:, None], errors.key, noise)[:, 0]
    else:
        e = errors.e
    estimate, covariance = _least_squares(design, e)
    rest = e - design @ estimate
    left_over = float(rest @ rest)
    if noise is None:
        covariance = covariance * left_over / freedom
        reach = float(stdtrit(freedom, LEVEL))
        found |= _too_sure(next(iter(columns)), errors, (left_over / freedom) ** 0.5)
    else:
        reach = float(ndtri(LEVEL))
        if freedom > 0 and left_over > chdtri(freedom, UNLIKELY):
            times = (left_over / freedom) ** 0.5
            reach *= times
            first = next(iter(columns))
            found[f"{first}.noise"] = f"the errors scatter {times:.1f} times as far as noise says: intervals are wider"
    for name, value, variance in zip(kept, estimate.tolist(), np.diag(covariance).tolist(), strict=True):
        half = reach * variance**0.5
        found[name] = Term(value, value - half, value + half)
    if noise is not None:
        found |= _seated_worse(next(iter(columns)), found, errors, noise)
    return {name: found[name] for name in [*columns, *(name for name in found if name not in columns)]}


def _too_few(measured: int, terms: int) -> str:
    wanted = terms + 1 - measured
    return (
        f"{measured} measured for {terms} term{'s' if terms > 1 else ''}: nothing is left to judge them by; "
        f"{wanted} more cut{'s' if wanted > 1 else ''} would tell, or say the noise"
    )


def _too_sure(first: str, errors: _Errors, sd: float) -> dict[str, Term | str]:
    """What intervals without a noise leave out: what a clamping does to all its cuts, and how readings were rounded."""
    says: dict[str, Term | str] = {}
    if len(np.unique(errors.key)) > 1:
        says[f"{first}.clampings"] = "cuts of one clamping move together: intervals are too sure; say the noise"
    if sd < ROUNDED_AWAY:
        says[f"{first}.rounding"] = "the readings agree to the last digit: how they were rounded is not known"
    return says


def _seated_worse(first: str, found: Mapping[str, Term | str], errors: _Errors, noise: Noise) -> dict[str, Term | str]:
    """An offset's interval by the scatter of the clampings' own means, where that is more than the noise allows.

    ``first`` is the offset's name, of depth or of position.
    """
    offset = found[first]
    which, place = np.unique(errors.key, return_inverse=True)
    count = np.bincount(place)
    if isinstance(offset, str) or len(which) < 2:
        return {}
    means = np.bincount(place, weights=errors.e) / count
    precision = 1 / (noise.seat_sd**2 + noise.sd**2 / count)
    scatter = float(precision @ np.square(means - float(precision @ means) / float(precision.sum())))
    freedom = len(which) - 1
    if scatter <= chdtri(freedom, SELDOM):
        return {}
    half = float(stdtrit(freedom, LEVEL)) * float(means.std(ddof=1)) / len(which) ** 0.5
    times = (scatter / freedom) ** 0.5
    says = (
        f"the clampings scatter {times:.1f} times as far as was said: the seating is worse; clamp another and measure"
    )
    half = max(half, (offset.high - offset.low) / 2)
    return {first: Term(offset.value, offset.value - half, offset.value + half), f"{first}.seat_sd": says}


def _untold(name: str, column: Array) -> str:
    """Why a column tells nothing by itself, "" when it does."""
    if name in ("offset", "space_offset"):
        return ""
    if name in APART:
        return "" if len(np.unique(column)) > 1 else APART[name]
    if not column.any():
        return "all cuts are at one depth" if name == "per_depth" else "all cuts are at one position"
    return ""


def _unit(column: Array) -> Array:
    return column / float(np.linalg.norm(column))


def _whiten(rows: Array, key: NDArray[np.intp], noise: Noise) -> Array:
    """Take out what the cuts of one clamping share, so that all have sd 1 and are independent."""
    _, place = np.unique(key, return_inverse=True)
    count = np.bincount(place)
    shared = 1 - (1 + count * (noise.seat_sd / noise.sd) ** 2) ** -0.5
    means = np.column_stack([np.bincount(place, weights=column) / count for column in rows.T])
    return np.asarray((rows - shared[place][:, None] * means[place]) / noise.sd)


def _least_squares(design: Array, e: Array) -> tuple[Array, Array]:
    """The estimate and its covariance for errors of sd 1."""
    q, r = np.linalg.qr(design)
    inverse = np.linalg.inv(r)
    return inverse @ (q.T @ e), inverse @ inverse.T


def _adjustment(term: Term | None, step: float) -> float:
    """What to add to the offset, 0 to leave it alone."""
    if term is None or not term.excludes_zero or abs(term.value) <= step / 2 * (1 + RANK):
        return 0.0
    steps = floor(abs(term.value) / step + 0.5)
    return -steps * step if term.value > 0 else steps * step


def _matters(term: Term | None, column: Array, tolerance: float) -> bool:
    return term is not None and term.excludes_zero and abs(term.value) * float(np.ptp(column)) > tolerance
