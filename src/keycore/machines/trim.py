"""A machine's errors from keys of known target: what to adjust, what no adjustment mends, what to leave alone."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from math import floor
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtri, stdtrit

from keycore.errors import InputError
from keycore.family import Tolerance

Array = NDArray[np.float64]
RANK = 1e-8
LEVEL = 0.975  # one end of an interval that holds 95 in 100


@dataclass(frozen=True, slots=True)
class MeasuredCut:
    """A cut as it was meant and as it came out, all in one unit; None for what was not measured."""

    space: float  # meant, from the gauge
    value: float  # meant
    measured_value: float | None = None
    measured_space: float | None = None


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


@dataclass(frozen=True)
class _Errors:
    """Errors of one sort: (m,) errors, meant places and values, and which key each is of."""

    e: Array
    x: Array
    v: Array
    key: NDArray[np.intp]


def fit_trim(
    keys: Sequence[Sequence[MeasuredCut]], tolerance: Tolerance, adjust: Adjustment, noise: Noise | None = None
) -> Trim:
    """Fit depth errors e = a + b (x - mean x) + c (v - mean v) and position errors s = p + g (x - mean x).

    Ordinary least squares with Student t intervals on the residuals; with ``noise`` generalised
    least squares, covariance sd^2 I + seat_sd^2 within each key, and normal intervals. The offsets
    -a and -p are rounded to the smallest adjustment, and given only where the interval excludes
    zero and the offset is at least half an adjustment. A term in x or v whose effect over the cuts
    given exceeds the tolerance, interval excluding zero, means service.

    Arguments: the cuts of each key, one clamping each; ``tolerance``, ``adjust`` and ``noise`` in
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
    left_out: dict[str, str] = {}
    of_depth = _fit(depths, {"offset": np.ones_like(depths.e), "per_space": depths.x, "per_depth": depths.v}, noise)
    of_space = _fit(spaces, {"space_offset": np.ones_like(spaces.e), "space_scale": spaces.x}, noise)
    terms: dict[str, Term | None] = {}
    for name, found in {**of_depth, **of_space}.items():
        terms[name] = None if isinstance(found, str) else found
        if isinstance(found, str):
            left_out[name] = found
    depth_adjust = _adjustment(terms["offset"], adjust.depth_step)
    space_adjust = _adjustment(terms["space_offset"], adjust.space_step)
    beyond = (
        _matters(terms["per_space"], depths.x, tolerance.value)
        or _matters(terms["per_depth"], depths.v, tolerance.value)
        or _matters(terms["space_scale"], spaces.x, tolerance.space)
    )
    advice = Advice.SERVICE if beyond else Advice.ADJUST if depth_adjust or space_adjust else Advice.LEAVE
    return Trim(
        terms["offset"], terms["per_space"], terms["per_depth"], terms["space_offset"], terms["space_scale"],
        depth_adjust, space_adjust, advice, MappingProxyType(left_out),
    )  # fmt: skip


DISAGREE = 4.0  # sd of a difference; as far as a key that was not seated (common practice, no source)


def odd_clamping(keys: Sequence[Sequence[MeasuredCut]], noise: Noise) -> int | None:
    """Which key was most likely not seated: the deepest, where clampings differ by more than they scatter.

    Means m_i over n_i cuts differ with variance 2 seat_sd^2 + sd^2 (1/n_i + 1/n_j); beyond 4 of its sd
    the deepest is named, since a blank that is not bottomed is only ever cut too deep. Arguments: the
    cuts of each key, errors positive where shallow, in the unit of ``noise``. Returns a place in
    ``keys``, None where they agree or fewer than two were measured. Raises nothing.

    >>> key = [MeasuredCut(0.2, 0.33, 0.331), MeasuredCut(0.35, 0.30, 0.301)]
    >>> deep = [MeasuredCut(0.2, 0.33, 0.325), MeasuredCut(0.35, 0.30, 0.295)]
    >>> odd_clamping([key, deep, key], Noise(0.0006, 0.0005)), odd_clamping([key, key], Noise(0.0006, 0.0005))
    (1, None)
    """
    means = []
    for place, cuts in enumerate(keys):
        errors = [cut.measured_value - cut.value for cut in cuts if cut.measured_value is not None]
        if errors:
            means.append((sum(errors) / len(errors), len(errors), place))
    if len(means) < 2:
        return None
    (low, few, deepest), (high, many, _) = min(means), max(means)
    sd = (2 * noise.seat_sd**2 + noise.sd**2 * (1 / few + 1 / many)) ** 0.5
    return deepest if high - low > DISAGREE * sd else None


def _errors(keys: Sequence[Sequence[MeasuredCut]], error_of: Callable[[MeasuredCut], float | None]) -> _Errors:
    rows = [
        (error, cut.space, cut.value, key)
        for key, cuts in enumerate(keys)
        for cut in cuts
        if (error := error_of(cut)) is not None
    ]
    e, x, v = (np.array([row[part] for row in rows], dtype=float) for part in range(3))
    return _Errors(e, _centred(x), _centred(v), np.array([row[3] for row in rows], dtype=np.intp))


def _centred(column: Array) -> Array:
    """A column about its mean; nothing at all where it hardly changes."""
    if not len(column) or float(np.ptp(column)) <= RANK * float(np.abs(column).max()):
        return np.zeros_like(column)
    return np.asarray(column - column.mean())


def _fit(errors: _Errors, columns: Mapping[str, Array], noise: Noise | None) -> dict[str, Term | str]:
    """Each term with its interval, or why there is none."""
    if not len(errors.e):
        return dict.fromkeys(columns, "none was measured")
    found: dict[str, Term | str] = {name: why for name, column in columns.items() if (why := _untold(name, column))}
    kept = {name: column for name, column in columns.items() if name not in found}
    if len(kept) == 3 and np.linalg.matrix_rank(np.column_stack([_unit(c) for c in kept.values()]), tol=RANK) < 3:
        for name in ("per_space", "per_depth"):
            found[name] = "position and depth change together in these cuts"
            del kept[name]
    design = np.column_stack(list(kept.values()))
    freedom = len(errors.e) - len(kept)
    if noise is None and freedom < 1:
        return dict.fromkeys(columns, "no more cuts than terms: nothing is left to judge them by")
    if noise is not None:
        design, e = _whiten(design, errors.key, noise), _whiten(errors.e[:, None], errors.key, noise)[:, 0]
    else:
        e = errors.e
    estimate, covariance = _least_squares(design, e)
    if noise is None:
        rest = e - design @ estimate
        covariance = covariance * float(rest @ rest) / freedom
        reach = float(stdtrit(freedom, LEVEL))
    else:
        reach = float(ndtri(LEVEL))
    for name, value, variance in zip(kept, estimate.tolist(), np.diag(covariance).tolist(), strict=True):
        half = reach * variance**0.5
        found[name] = Term(value, value - half, value + half)
    return {name: found[name] for name in columns}


def _untold(name: str, column: Array) -> str:
    """Why a column tells nothing by itself, "" when it does."""
    if name in ("offset", "space_offset"):
        return ""
    if not column.any():
        return "all cuts are at one depth" if name == "per_depth" else "all cuts are at one position"
    return ""


def _unit(column: Array) -> Array:
    return column / float(np.linalg.norm(column))


def _whiten(rows: Array, key: NDArray[np.intp], noise: Noise) -> Array:
    """Take out what the cuts of one clamping share, so that all have sd 1 and are independent."""
    white = np.array(rows, dtype=float)
    for one in np.unique(key):
        of_key = key == one
        count = int(of_key.sum())
        shared = 1 - (1 + count * (noise.seat_sd / noise.sd) ** 2) ** -0.5
        white[of_key] -= shared * white[of_key].mean(axis=0)
    return white / noise.sd


def _least_squares(design: Array, e: Array) -> tuple[Array, Array]:
    """The estimate and its covariance for errors of sd 1."""
    q, r = np.linalg.qr(design)
    inverse = np.linalg.inv(r)
    return inverse @ (q.T @ e), inverse @ inverse.T


def _adjustment(term: Term | None, step: float) -> float:
    """What to add to the offset, 0 to leave it alone."""
    if term is None or not term.excludes_zero or abs(term.value) < step / 2:
        return 0.0
    steps = floor(abs(term.value) / step + 0.5)
    return -steps * step if term.value > 0 else steps * step


def _matters(term: Term | None, column: Array, tolerance: float) -> bool:
    return term is not None and term.excludes_zero and abs(term.value) * float(np.ptp(column)) > tolerance
