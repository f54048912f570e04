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
from math import log

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr, ndtri

from keycore.logs import log_sum, log_sums
from keycore.machines.trim import Noise
from keycore.reading.evidence import Spread

Array = NDArray[np.float64]
WALKS = (0.0, 0.02, 0.05, 0.1, 0.2, 0.4)  # sd of the walk for one key, in seat_sd
RATES = (0.0, 0.02, 0.1, 0.2)  # sd beforehand of the drift for one key, in seat_sd
SEATS = (0.6, 0.8, 1.0, 1.3, 1.7)  # how far clampings really scatter, in what was said
IDLE = (0.0, 0.1, 0.3)  # sd of the walk for one day, busy or idle, in seat_sd
WHEELS = 3.0  # how far one wheel differs from another, sd in seat_sd; common practice, no source
UNKNOWN = 20.0  # sd of the offset before anything is known, in seat_sd
JUMPED, JUMP = 0.01, 8.0  # how often a knock moves the machine before a key, and its sd in seat_sd
MISSEATED, MISSEATED_BY, MISSEATED_SD = 0.04, 7.0, 4.0  # how often a blank is not bottomed, how deep in seat_sd
"""Common practice, no source: chosen on made-up courses, tried on others (``./falcon bench machines``)."""
BORNE_OUT = 0.9  # so sure of a knock, the machine is taken to be as it is since
LATELY = 3  # keys among which a knock is looked for once it is borne out
LEAST_SCALE = 0.3  # of one measurement's sd: the least that a machine's own scatter is taken to be
MOST_AHEAD = 2_000
PATHS, LATER = 4_000, 60  # followed to see when a limit is reached, and so many later keys looked at
OVERSHOOT = 0.5826  # -zeta(1/2) / sqrt(2 pi)


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
    is_misseated: bool  # most likely; then it counts for next to nothing
    jumped: float = 0.0  # the chance, by the keys up to it, that the machine was knocked just before it
    bears_out_a_knock: bool = False  # together with the keys before it


@dataclass(frozen=True)
class Forecast:
    """How long the machine stays within a limit, in keys from now; None beyond 2,000."""

    median: int | None
    soonest: int | None  # 1 in 20 that it happens earlier
    latest: int | None  # 1 in 20 that it happens later


@dataclass(frozen=True)
class Course:
    """The machine's course so far, as a mixture over the grid.

    ``means`` (g, n) of offset, drift and each of the ``wheels`` where there are several, (g, n, n)
    ``covariances``, ``walks`` for a key, ``idle`` for a day, ``seats`` and ``weights`` (g,). All that
    is said of the offset is said of it with the wheel that is ``on``.
    """

    points: tuple[Estimate, ...]
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

    def with_wheel(self, wheel: int) -> Course:
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

    @property
    def knocked(self) -> float | None:
        """The number of the last key before which the machine was knocked, as later keys bear out; None for none.

        Of the key that bore it out and the few before it, the one before which a knock was likeliest.
        """
        for place in range(len(self.points) - 1, -1, -1):
            if self.points[place].bears_out_a_knock:
                few = self.points[max(0, place - LATELY) : place + 1]
                return max(few, key=lambda each: each.jumped).number
        return None

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
        """When the offset will most likely first have used up a limit to either side.

        By first passage: paths from many starts and drifts drawn from what is known are followed to a series of
        later keys, and between those the chance of having been beyond the limit is that of a Brownian bridge,
        exp(-2 a b / v) for ends a and b within the limit and a walk of variance v; the limit is moved outwards by
        0.5826 of a key's walk, since only keys count and not what lies between (Broadie, Glasserman and Kou,
        *Mathematical Finance* 7, 1997, 325-349, from memory). Knocks still to come cannot be foretold and are not.

        Arguments: ``limit`` in the unit of the errors; how many days a key takes, and how long ago the
        last one was made. Returns a Forecast. Raises nothing.
        """
        at, reached = self._first_passage(limit, days_a_key, idle_days)

        def when(chance: float) -> int | None:
            later = int(np.searchsorted(reached, chance))
            if later == len(reached):
                return None
            if later == 0:
                return int(at[0])
            share = (chance - reached[later - 1]) / (reached[later] - reached[later - 1])
            return int(np.ceil(at[later - 1] + share * (at[later] - at[later - 1])))

        return Forecast(when(0.5), when(0.05), when(0.95))

    def _first_passage(self, limit: float, days_a_key: float, idle_days: float) -> tuple[Array, Array]:
        """Later keys (t,), and the chance (t,) that the limit was reached by each."""
        random = np.random.default_rng(PATHS)
        which = np.searchsorted(np.cumsum(self.weights), (np.arange(PATHS) + 0.5) / PATHS).clip(
            max=len(self.weights) - 1
        )
        offset, rate, own, both, of_rate = (each[which] for each in self._now)
        own = own + idle_days * self.idle[which] ** 2
        first, second = random.normal(size=(2, PATHS))
        sd = np.sqrt(np.maximum(own, 1e-300))
        start = offset + sd * first
        left = np.sqrt(np.maximum(of_rate - both**2 / np.maximum(own, 1e-300), 0.0))
        drift = rate + both / sd * first + left * second
        walk = self.walks[which] ** 2 + days_a_key * self.idle[which] ** 2
        barrier = limit + OVERSHOOT * np.sqrt(walk)
        at = np.unique(np.geomspace(1, MOST_AHEAD, LATER).round())
        inside = (np.abs(start) < limit).astype(float)
        reached, here, before = np.empty(len(at)), start, 0.0
        for step, keys in enumerate(at):
            variance = walk * (keys - before)
            there = here + drift * (keys - before) + np.sqrt(variance) * random.normal(size=PATHS)
            for side in (1.0, -1.0):
                a, b = barrier - side * here, barrier - side * there
                with np.errstate(divide="ignore", invalid="ignore"):
                    crossed = np.where(variance > 0, np.exp(-2 * np.maximum(a * b, 0.0) / variance), 0.0)
                inside = np.where((a > 0) & (b > 0), inside * (1 - crossed), 0.0)
            here, before = there, keys
            reached[step] = 1 - inside.mean()
        return at, reached

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


def scale_of(noise: Noise) -> float:
    """The size that everything about a machine's course is measured in: how far clampings scatter, at least something.

    Raises nothing.

    >>> scale_of(Noise(0.001, 0.0))
    0.0003
    """
    return max(noise.seat_sd, LEAST_SCALE * noise.sd)


def follow_course(keys: Sequence[KeyMade], touched: Sequence[Touched], noise: Noise) -> Course:
    """Follow a machine's offset from key to key.

    Each key is weighed three ways: nothing happened, the machine was knocked just before it, or the blank was
    not seated. One key alone that is far off widens what is known; where the next are off alike the machine is
    taken to have been knocked. Arguments: the keys in the order they
    were made; ``touched`` what was done to the machine, by the number of keys made before; ``noise`` of one
    measurement and of one clamping, in the unit of the errors. Returns a Course. Raises nothing.

    >>> made = [KeyMade(n, 0.001 + 0.00002 * n, 5) for n in range(40)]
    >>> course = follow_course(made, [Touched(40, -0.0018)], Noise(0.0006, 0.0005))
    >>> abs(course.offset.mean) < 0.0002, course.forecast(0.001).median is not None
    (True, True)
    """
    scale = scale_of(noise)
    knows_days = any(key.day != keys[0].day for key in keys)
    grid = np.array(list(product(WALKS, RATES, SEATS, IDLE if knows_days else (0.0,)))) * scale
    grid = np.tile(grid, (2, 1))  # as it was, and as it is if it was knocked of late
    walks, seats, idle = grid[:, 0], grid[:, 2], grid[:, 3]
    count = len(grid)
    several = {key.wheel for key in keys}
    wheels = tuple(sorted(several)) if len(several) > 1 else ()
    size = 2 + len(wheels)
    weights = np.repeat([2 / count, 0.0], count // 2)
    state = _State(
        np.zeros((count, size)), np.zeros((count, size, size)), weights, walks, idle, seats,
        keys[0].number if keys else 0.0, keys[0].day if keys else 0.0,
    )  # fmt: skip
    state.covariances[:, 0, 0] = (UNKNOWN * scale) ** 2
    state.covariances[:, 1, 1] = grid[:, 1] ** 2
    for place in range(2, size):
        state.covariances[:, place, place] = (WHEELS * scale) ** 2
    course, left = [], sorted(touched, key=lambda each: each.number)
    for key in keys:
        while left and left[0].number <= key.number:
            state = _touch(state, left.pop(0), wheels, scale)
        state = _move(state, key.number, key.day)
        seen = _at(wheels, key.wheel, size)
        known = noise.sd**2 / key.cuts + key.extra_sd**2
        state, learned = _learn(state, seen, key.error, known, scale)
        now = _mixed(*_told(state, seen), state.weights)
        course.append(Estimate(key.number, now, learned.misseated > 0.5, learned.jumped, learned.bears_out))
    for each in left:
        state = _touch(state, each, wheels, scale)
    return Course(
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


def _touch(state: _State, touched: Touched, wheels: tuple[int, ...], scale: float) -> _State:
    """A trim moves the offset by what it was meant to; a changed wheel or jaw makes it unknown again."""
    state = _move(state, touched.number, touched.day)
    means, covariances = state.means.copy(), state.covariances.copy()
    if touched.by is not None:
        means[:, 0] += touched.by
    elif touched.wheel in wheels:
        _forget(means, covariances, 2 + wheels.index(touched.wheel), WHEELS * scale)
    else:
        covariances[:, 0, :] = covariances[:, :, 0] = 0.0
        covariances[:, 0, 0] = (UNKNOWN * scale) ** 2
    return replace(state, means=means, covariances=covariances)


def _forget(means: Array, covariances: Array, place: int, sd: float) -> None:
    """Begin anew with one wheel."""
    means[:, place] = 0.0
    covariances[:, place, :] = covariances[:, :, place] = 0.0
    covariances[:, place, place] = sd**2


def _learn(state: _State, seen: Array, error: float, known: float, scale: float) -> tuple[_State, _Learned]:
    """Weigh three stories of a key: nothing happened, the machine jumped just before it, or it was not seated.

    The first half of the state is the machine as it was, the second as it is if it was knocked of late; which it
    is the next keys tell. Arguments: the state; what the error shows of it; the error, its variance apart from the
    seating; the scale. Returns the state after it, and the chances that the key was not seated, and that the
    machine was knocked just before it.
    """
    half, size = len(state.means) // 2, len(seen)
    jump = np.zeros((size, size))
    jump[0, 0] = (JUMP * scale) ** 2
    own = state.seats**2 + known
    stories = (
        (1 - JUMPED - MISSEATED, state.covariances, own, 0.0),
        (JUMPED, state.covariances + jump, own, 0.0),
        (MISSEATED, state.covariances, own + (MISSEATED_SD * scale) ** 2, -MISSEATED_BY * scale),
    )
    log_before = np.log(np.maximum(state.weights, 1e-300))
    told = []
    for prior, covariances, noise, by in stories:
        means, after, log_seen = _one_story(state, seen, error - by, covariances, noise)
        told.append((means, after, log_before + log(prior) + log_seen))
    as_it_was, knocked = slice(0, half), slice(half, 2 * half)
    still = _merged([_part(told[0], as_it_was), _part(told[2], as_it_was)])
    moved = _merged([_part(told[1], as_it_was), *(_part(each, knocked) for each in told)])
    total = float(log_sum(np.array([each[2] for each in told]).ravel()))
    misseated, jumped = (float(np.exp(log_sum(told[story][2]) - total)) for story in (2, 1))
    bears_out = log_sum(moved[2]) - total > log(BORNE_OUT)
    if bears_out:
        still = _merged([still, moved])
        moved = (*still[:2], np.full(half, -700.0 + total))
    means, covariances, log_weights = (np.concatenate(each) for each in zip(still, moved, strict=True))
    weights = np.exp(log_weights - log_sum(log_weights))
    later = replace(state, means=means, covariances=covariances, weights=weights)
    return later, _Learned(misseated, jumped, bears_out)


@dataclass(frozen=True, slots=True)
class _Learned:
    """Of a key: the chances that it was not seated, and that the machine was knocked before; whether that is sure."""

    misseated: float
    jumped: float
    bears_out: bool


_Told = tuple[Array, Array, Array]
"""Means, covariances and log weights of some of the grid."""


def _part(told: _Told, part: slice) -> _Told:
    return told[0][part], told[1][part], told[2][part]


def _merged(told: Sequence[_Told]) -> _Told:
    """Several stories of the same grid as one each: the same mean and covariance as all of them together."""
    logs = np.array([each[2] for each in told])
    log_weights = log_sums(logs, 0)
    share = np.exp(logs - log_weights)
    means = np.asarray(sum(part[:, None] * each[0] for part, each in zip(share, told, strict=True)))
    covariances = np.zeros_like(told[0][1])
    for part, (mean, covariance, _) in zip(share, told, strict=True):
        away = mean - means
        covariances += part[:, None, None] * (covariance + away[:, :, None] * away[:, None, :])
    return means, covariances, log_weights


def _one_story(
    state: _State, seen: Array, error: float, covariances: Array, noise: Array
) -> tuple[Array, Array, Array]:
    """A Kalman step: means, covariances and the log density of the error, for each of the grid."""
    across = covariances @ seen
    variance = across @ seen + noise
    surprise = error - state.means @ seen
    gain = across / variance[:, None]
    return (
        state.means + gain * surprise[:, None],
        covariances - gain[:, :, None] * across[:, None, :],
        -0.5 * (np.log(variance) + surprise**2 / variance),
    )


def _mixed(means: Array, variances: Array, weights: Array) -> Spread:
    """Mean and spread of a mixture over the grid: the mean of its likelier half, the spread of all about it.

    One surprise thus widens what is said and hardly moves it; where the next bears it out it moves.
    """
    half = len(weights) // 2
    of_half = weights[:half].sum(), weights[half:].sum()
    likelier = slice(0, half) if of_half[0] >= of_half[1] else slice(half, None)
    mean = float(weights[likelier] @ means[likelier]) / float(max(of_half))
    return Spread(mean, float(weights @ (variances + (means - mean) ** 2)) ** 0.5)


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
