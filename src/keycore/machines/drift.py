"""How a machine's offset wanders: an estimate after every key, and how long the tolerance will last.

A local level with drift, followed by a Kalman filter (Harvey, *Forecasting, Structural Time Series
Models and the Kalman Filter*, 1989, chapter 2): the offset moves by a rate for each key and by a
random walk on top. It is preferred to an exponentially weighted average because it knows how sure
it is (a key of two clampings counts for more, a long pause for less) and because a trim is a known
jump, not a surprise. How fast the walk and the rate may change, and how far clampings scatter, are
not known: a grid of each is filtered side by side and weighed by how well it foretold every key.
Where the days are known the walk may also go on while the machine stands idle. Where keys were cut
with several wheels each wheel has an offset of its own on top, remembered while another is on.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import product

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr, ndtri

from keycore.machines.trim import Noise
from keycore.reading.evidence import Spread

Array = NDArray[np.float64]
WALKS = (0.0, 0.02, 0.05, 0.1, 0.2, 0.4)  # sd of the walk for one key, in seat_sd
RATES = (0.0, 0.01, 0.03, 0.1)  # sd beforehand of the drift for one key, in seat_sd
SEATS = (0.6, 0.8, 1.0, 1.3, 1.7)  # how far clampings really scatter, in what was said
IDLE = (0.0, 0.1, 0.3)  # sd of the walk for one day, busy or idle, in seat_sd
WHEELS = 3.0  # how far one wheel differs from another, sd in seat_sd; common practice, no source
UNKNOWN = 20.0  # sd of the offset before anything is known, in seat_sd
MISSEATED = 4.0  # a key so many sd deeper than foretold was not seated; common practice, no source
MOST_AHEAD = 2_000


@dataclass(frozen=True, slots=True)
class KeyMade:
    """The mean depth error of one proven key: (n,) cuts, positive is shallow."""

    number: float  # keys made on the machine before it
    error: float
    cuts: int
    extra_sd: float = 0.0  # what else is unknown of it: its wear, where it was measured later
    day: float = 0.0  # when, in days from any beginning; 0 for all where it is not known
    wheel: int = 0  # which wheel cut it, by any number; 0 where it is not known


@dataclass(frozen=True, slots=True)
class Touched:
    """The machine was touched before a key: trimmed by a known amount, or a wheel or jaw changed (None).

    ``wheel`` is that of a new wheel in the place of the old one, whose own offset alone is unknown then.
    """

    number: float
    by: float | None
    day: float = 0.0
    wheel: int | None = None


@dataclass(frozen=True, slots=True)
class Estimate:
    """The offset as it was known after a key."""

    number: float
    offset: Spread
    is_misseated: bool  # the key was kept out


@dataclass(frozen=True)
class Forecast:
    """How long the machine stays within a limit, in keys from now; None beyond 2,000."""

    median: int | None
    soonest: int | None  # 1 in 20 that it happens earlier
    latest: int | None  # 1 in 20 that it happens later


@dataclass(frozen=True)
class Drift:
    """The machine's course so far, as a mixture over the grid.

    ``means`` (g, n) of offset, drift and each of the ``wheels`` where there are several, (g, n, n)
    ``covariances``, ``walks`` for a key, ``idle`` for a day, ``seats`` and ``weights`` (g,). All that
    is said of the offset is said of it with the wheel that is ``on``.
    """

    course: tuple[Estimate, ...]
    number: float
    means: Array
    covariances: Array
    walks: Array
    idle: Array
    seats: Array
    weights: Array
    wheels: tuple[int, ...] = ()
    on: int = 0

    @property
    def offset(self) -> Spread:
        """The offset now."""
        return self.ahead(0)

    def with_wheel(self, wheel: int) -> Drift:
        """The same machine with another wheel on; one that never cut is as good as any. Raises nothing."""
        if wheel in self.wheels or wheel == self.on or not (self.wheels or self.on):
            return replace(self, on=wheel)
        count, size = self.means.shape
        means, covariances = np.zeros((count, size + 1)), np.zeros((count, size + 1, size + 1))
        means[:, :size], covariances[:, :size, :size] = self.means, self.covariances
        covariances[:, size, size] = (WHEELS * self.seats.mean()) ** 2
        return replace(self, means=means, covariances=covariances, wheels=(*self.wheels, wheel), on=wheel)

    @property
    def per_key(self) -> Spread:
        """The drift for each key."""
        return _mixed(self.means[:, 1], self.covariances[:, 1, 1], self.weights)

    def ahead(self, keys: float, days: float = 0.0) -> Spread:
        """The offset so many keys, and days, from now. Raises nothing."""
        mean, variance = self._ahead(keys, days)
        return _mixed(mean, variance, self.weights)

    def interval(self, keys: float, share: float = 0.9, extra: float = 0.0, days: float = 0.0) -> tuple[float, float]:
        """The interval that holds the offset so many keys, and days, from now with this chance.

        ``extra`` is a variance to be added, as of the next key's own clamping. Raises nothing.
        """
        mean, variance = self._ahead(keys, days)
        return _quantiles(mean, np.sqrt(variance + extra), self.weights, share)

    def forecast(self, limit: float, days_a_key: float = 0.0, idle_days: float = 0.0) -> Forecast:
        """When the offset has most likely used up a limit to either side.

        Arguments: ``limit`` in the unit of the errors; how many days a key takes, and how long ago the
        last one was made. Returns a Forecast. Raises nothing.
        """
        chances = np.array(
            [self._beyond(limit, keys, idle_days + keys * days_a_key) for keys in range(1, MOST_AHEAD + 1)]
        )
        ever = np.maximum.accumulate(chances)

        def at(chance: float) -> int | None:
            later = np.flatnonzero(ever >= chance)
            return int(later[0]) + 1 if len(later) else None

        return Forecast(at(0.5), at(0.05), at(0.95))

    def _beyond(self, limit: float, keys: float, days: float) -> float:
        mean, variance = self._ahead(keys, days)
        sd = np.sqrt(variance)
        return float(self.weights @ (ndtr((-limit - mean) / sd) + ndtr((mean - limit) / sd)))

    @cached_property
    def _now(self) -> tuple[Array, Array, Array, Array, Array]:
        """Of each of the grid: offset and drift, the offset's variance, its covariance with the drift, the drift's."""
        seen = _at(self.wheels, self.on, self.means.shape[1])
        across = self.covariances @ seen
        return self.means @ seen, self.means[:, 1], across @ seen, across[:, 1], self.covariances[:, 1, 1]

    def _ahead(self, keys: float, days: float) -> tuple[Array, Array]:
        offset, rate, own, both, of_rate = self._now
        walked = keys * self.walks**2 + days * self.idle**2
        return offset + keys * rate, own + 2 * keys * both + keys**2 * of_rate + walked


def follow_drift(keys: Sequence[KeyMade], touched: Sequence[Touched], noise: Noise) -> Drift:
    """Follow a machine's offset from key to key.

    A key far deeper than foretold (4 sd) is taken for one that was not seated and kept out, unless
    the key before it was as deep: two alike are the machine. Arguments: the keys in the order they
    were made; what was done to the machine, by the number of keys made before; ``noise`` of one
    measurement and of one clamping, in the unit of the errors. Returns a Drift. Raises nothing.

    >>> made = [KeyMade(n, 0.001 + 0.00002 * n, 5) for n in range(40)]
    >>> drift = follow_drift(made, [Touched(40, -0.0018)], Noise(0.0006, 0.0005))
    >>> abs(drift.offset.mean) < 0.0002, drift.forecast(0.001).median is not None
    (True, True)
    """
    knows_days = any(key.day != keys[0].day for key in keys)
    grid = np.array(list(product(WALKS, RATES, SEATS, IDLE if knows_days else (0.0,)))) * noise.seat_sd
    walks, seats, idle = grid[:, 0], grid[:, 2], grid[:, 3]
    count = len(grid)
    several = {key.wheel for key in keys}
    wheels = tuple(sorted(several)) if len(several) > 1 else ()
    size = 2 + len(wheels)
    state = _State(
        np.zeros((count, size)), np.zeros((count, size, size)), np.full(count, 1 / count), walks, idle, seats,
        keys[0].number if keys else 0.0, keys[0].day if keys else 0.0,
    )  # fmt: skip
    state.covariances[:, 0, 0] = (UNKNOWN * noise.seat_sd) ** 2
    state.covariances[:, 1, 1] = grid[:, 1] ** 2
    for place in range(2, size):
        state.covariances[:, place, place] = (WHEELS * noise.seat_sd) ** 2
    course, left, kept_out = [], sorted(touched, key=lambda each: each.number), False
    for key in keys:
        while left and left[0].number <= key.number:
            state = _touch(state, left.pop(0), wheels, noise)
        state = _move(state, key.number, key.day)
        seen = _at(wheels, key.wheel, size)
        variance = _told(state, seen)[1] + state.seats**2 + noise.sd**2 / key.cuts + key.extra_sd**2
        surprise = float(state.weights @ ((key.error - state.means @ seen) / np.sqrt(variance)))
        kept_out = surprise < -MISSEATED and not kept_out
        if not kept_out:
            state = _learn(state, seen, key.error, variance)
        course.append(Estimate(key.number, _mixed(*_told(state, seen), state.weights), kept_out))
    for each in left:
        state = _touch(state, each, wheels, noise)
    return Drift(
        tuple(course), state.number, state.means, state.covariances, walks, idle, seats, state.weights, wheels,
        keys[-1].wheel if keys else 0,
    )  # fmt: skip


@dataclass(frozen=True)
class _State:
    means: Array
    covariances: Array
    weights: Array
    walks: Array
    idle: Array
    seats: Array
    number: float
    day: float


def _move(state: _State, number: float, day: float) -> _State:
    """Let keys be made, and days go by, between."""
    keys, days = max(0.0, number - state.number), max(0.0, day - state.day)
    onward = np.eye(state.means.shape[1])
    onward[0, 1] = keys
    covariances = onward @ state.covariances @ onward.T
    covariances[:, 0, 0] += keys * state.walks**2 + days * state.idle**2
    return replace(
        state, means=state.means @ onward.T, covariances=covariances,
        number=max(number, state.number), day=max(day, state.day),
    )  # fmt: skip


def _at(wheels: tuple[int, ...], wheel: int, size: int) -> Array:
    """What an error shows of the state: the offset, and its wheel's own where there are several."""
    seen = np.zeros(size)
    seen[0] = 1.0
    if wheel in wheels:
        seen[2 + wheels.index(wheel)] = 1.0
    return seen


def _told(state: _State, seen: Array) -> tuple[Array, Array]:
    """Mean and variance of what an error would show, for each of the grid."""
    return state.means @ seen, (state.covariances @ seen) @ seen


def _touch(state: _State, touched: Touched, wheels: tuple[int, ...], noise: Noise) -> _State:
    """A trim moves the offset by what it was meant to; a changed wheel or jaw makes it unknown again."""
    state = _move(state, touched.number, touched.day)
    means, covariances = state.means.copy(), state.covariances.copy()
    if touched.by is not None:
        means[:, 0] += touched.by
    elif touched.wheel in wheels:
        _forget(means, covariances, 2 + wheels.index(touched.wheel), WHEELS * noise.seat_sd)
    else:
        covariances[:, 0, :] = covariances[:, :, 0] = 0.0
        covariances[:, 0, 0] = (UNKNOWN * noise.seat_sd) ** 2
    return replace(state, means=means, covariances=covariances)


def _forget(means: Array, covariances: Array, place: int, sd: float) -> None:
    """Begin anew with one wheel."""
    means[:, place] = 0.0
    covariances[:, place, :] = covariances[:, :, place] = 0.0
    covariances[:, place, place] = sd**2


def _learn(state: _State, seen: Array, error: float, variance: Array) -> _State:
    across = state.covariances @ seen
    gain = across / variance[:, None]
    surprise = error - state.means @ seen
    log_weights = np.log(np.maximum(state.weights, 1e-300)) - 0.5 * (np.log(variance) + surprise**2 / variance)
    weights = np.exp(log_weights - log_weights.max())
    return replace(
        state,
        means=state.means + gain * surprise[:, None],
        covariances=state.covariances - gain[:, :, None] * across[:, None, :],
        weights=weights / weights.sum(),
    )


def _mixed(means: Array, variances: Array, weights: Array) -> Spread:
    mean = float(weights @ means)
    return Spread(mean, float(max(0.0, float(weights @ (variances + (means - mean) ** 2))) ** 0.5))


def _quantiles(means: Array, sds: Array, weights: Array, share: float) -> tuple[float, float]:
    """The two ends of the interval of a mixture of normals, by bisection."""

    def at(chance: float) -> float:
        reach = float(ndtri(max(chance, 1 - chance))) + 1
        low, high = float((means - reach * sds).min()), float((means + reach * sds).max())
        for _ in range(60):
            middle = (low + high) / 2
            below = float(weights @ ndtr((middle - means) / np.maximum(sds, 1e-300)))
            low, high = (middle, high) if below < chance else (low, middle)
        return (low + high) / 2

    return at((1 - share) / 2), at((1 + share) / 2)
