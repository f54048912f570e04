"""A family nobody has published: first cut, pitch and depth table fitted from a few of its keys."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import stdtrit

from keycore.errors import InputError
from keycore.reading.likelihood import Array

COVERAGE = 0.95
STEP_OVER_SD = 4.0  # a step smaller than so many sds of a reading cannot be told from scatter
FIT_OVER_SD = 1.6  # residuals may be so many times what was expected
PER_STEP = 0.05  # of an sd that a lattice's far end may move between two trial steps


@dataclass(frozen=True, slots=True)
class Estimate:
    """A fitted figure with its 95 % interval."""

    value: float
    low: float
    high: float


@dataclass(frozen=True, slots=True)
class MeasuredKey:
    """One key of the unknown family: where its cuts are and how deep, in one unit."""

    positions: tuple[float, ...]
    values: tuple[float, ...]


@dataclass(frozen=True, slots=True)
class FittedFamily:
    """What a few keys say of their family; lengths in the unit measured."""

    keys: int
    first_cut: Estimate
    pitch: Estimate
    spaces: tuple[float, ...]
    worst_space: float  # the largest distance of a mean position from the even spacing
    shallowest: Estimate
    step: Estimate
    depths: tuple[Estimate, ...]  # shallowest first
    seen: tuple[int, ...]  # how many cuts of each depth were measured
    scatter: float  # sd of the depth residuals

    @property
    def table(self) -> tuple[tuple[Estimate, int], ...]:
        """Each depth with how many cuts of it were measured."""
        return tuple(zip(self.depths, self.seen, strict=True))


def fit_family(keys: Sequence[MeasuredKey], sd: float) -> FittedFamily:
    """Fit an even pitch and an even depth step to the keys.

    Positions: ordinary least squares of x = first + pitch * i over all keys. Depths: the largest
    even step for which every value lies within its scatter of a rung, then ordinary least squares of
    v = shallowest - step * k. Intervals are Student t at 95 %; the depth intervals are those of the
    fitted line at each rung. Even wear moves all rungs alike and is not seen.

    Arguments: at least two MeasuredKey with as many cuts each, positions rising; ``sd`` of one
    depth reading, same unit. Returns a FittedFamily. Raises InputError when there are too few keys,
    cuts or different depths to fit anything.
    """
    _check(keys)
    positions = np.array([key.positions for key in keys])
    places = np.tile(np.arange(positions.shape[1], dtype=float), len(keys))
    first, pitch, _ = _line(places, positions.ravel())
    spaces = first.value + pitch.value * np.arange(positions.shape[1])
    values = np.array([key.values for key in keys]).ravel()
    rungs = _rungs(values, sd)
    if len(np.unique(rungs)) < 3:
        raise InputError("values", "fewer than three different depths were measured: bring more keys")
    shallowest, falls, scatter = _line(rungs, values)
    depths = _at(rungs, values, np.arange(rungs.max() + 1))
    return FittedFamily(
        keys=len(keys),
        first_cut=first,
        pitch=pitch,
        spaces=tuple(float(x) for x in spaces),
        worst_space=float(np.abs(positions.mean(axis=0) - spaces).max()),
        shallowest=shallowest,
        step=Estimate(-falls.value, -falls.high, -falls.low),
        depths=tuple(depths),
        seen=tuple(int((rungs == k).sum()) for k in range(rungs.max() + 1)),
        scatter=scatter,
    )


def _check(keys: Sequence[MeasuredKey]) -> None:
    if len(keys) < 2:
        raise InputError("keys", "measure two keys at least")
    cuts = len(keys[0].positions)
    if cuts < 3:
        raise InputError("keys[0].positions", "measure three cuts at least")
    for place, key in enumerate(keys):
        if len(key.positions) != cuts or len(key.values) != cuts:
            raise InputError(f"keys[{place}]", f"{cuts} positions and {cuts} depths are wanted, as on the first key")
        if any(b <= a for a, b in zip(key.positions, key.positions[1:], strict=False)):
            raise InputError(f"keys[{place}].positions", "positions must rise from the gauge")


def _line(x: Array, y: Array) -> tuple[Estimate, Estimate, float]:
    """Intercept and slope of least squares with their intervals, and the residual sd."""
    design = np.column_stack([np.ones(len(x)), x])
    fitted, _, rank, _ = np.linalg.lstsq(design, y, rcond=None)
    if rank < 2 or len(x) < 4:
        raise InputError("keys", "too few cuts to fit")
    sd = float(np.sqrt(np.square(y - design @ fitted).sum() / (len(x) - 2)))
    spread = stdtrit(len(x) - 2, (1 + COVERAGE) / 2) * sd * np.sqrt(np.diag(np.linalg.inv(design.T @ design)))
    intercept, slope = (
        Estimate(float(b), float(b - s), float(b + s)) for b, s in zip(fitted, spread, strict=True)
    )  # fmt: skip
    return intercept, slope, sd


def _at(x: Array, y: Array, where: Array) -> list[Estimate]:
    """The fitted line at some places, with the interval of the line there."""
    intercept, slope, sd = _line(x, y)
    spread = np.square(x - x.mean()).sum()
    half = stdtrit(len(x) - 2, (1 + COVERAGE) / 2) * sd * np.sqrt(1 / len(x) + (where - x.mean()) ** 2 / spread)
    line = intercept.value + slope.value * where
    return [Estimate(float(v), float(v - h), float(v + h)) for v, h in zip(line, half, strict=True)]


def _rungs(values: Array, sd: float) -> Array:
    """Which rung each value stands on, 0 the shallowest: the largest even step that explains them."""
    span = float(values.max() - values.min())
    smallest = STEP_OVER_SD * sd
    if span < 2 * smallest:
        raise InputError("values", "the cuts are too much alike to tell one depth from the next")
    step = span / 2
    while step >= smallest:
        phase = np.angle(np.exp(2j * np.pi * values / step).mean()) / (2 * np.pi) * step
        rung = np.round((values - phase) / step)
        away = values - phase - rung * step
        if np.sqrt(np.square(away).mean()) <= FIT_OVER_SD * sd and np.abs(away).max() <= 3.5 * sd:
            return np.asarray(rung.max() - rung).astype(int)
        step -= max(PER_STEP * sd * step / span, 1e-7)
    raise InputError("values", "no even step explains these depths: check each reading, or measure more keys")
