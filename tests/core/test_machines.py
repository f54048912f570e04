"""Machines in the core: published least squares, gauge studies and drift, and many made-up machines."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.special import stdtrit

from keycore.documents import VERBS
from keycore.documents.family import read_family
from keycore.errors import InputError
from keycore.family import Tolerance
from keycore.machines.course import KeyMade, Touched, follow_course
from keycore.machines.design import clampings_to_settle, design_test_key, offset_sd
from keycore.machines.study import gauge_study, mean_range
from keycore.machines.trim import Adjustment, Advice, MeasuredCut, Noise, Trim, fit_trim

TOLERANCE, STEP = Tolerance(0.002, 0.003), Adjustment(0.001, 0.001)
QUIET = Noise(0.0006, 0.0005)

# NIST Statistical Reference Datasets, linear regression, Norris (36 pairs y, x). Pairs and certified values are from
# memory, not copied from the publication: a slip in either would show as a disagreement between the two.
NORRIS = """
0.1 0.2 338.8 337.4 118.1 118.2 888.0 884.6 9.2 10.1 228.1 226.5 668.5 666.3 998.5 996.3 449.1 448.6 778.9
777.0 559.2 558.2 0.3 0.4 0.1 0.6 778.1 775.5 668.8 666.9 339.3 338.0 448.9 447.5 10.8 11.6 557.7 556.0 228.3
228.1 998.0 995.8 888.8 887.6 119.6 120.2 0.3 0.3 0.6 0.3 557.6 556.8 339.3 339.1 888.0 887.2 998.5 999.0
778.9 779.0 10.2 11.1 117.6 118.3 228.9 229.2 668.4 669.1 449.2 448.9 0.2 0.5
"""

# JCGM 100:2008 (GUM), Annex H.3, table H.6: thermometer readings and corrections; from memory, as its results are.
THERMOMETER = [
    (21.521, -0.171), (22.012, -0.169), (22.512, -0.166), (23.003, -0.159), (23.507, -0.164), (23.999, -0.165),
    (24.513, -0.156), (25.002, -0.157), (25.503, -0.159), (26.010, -0.161), (26.511, -0.160),
]  # fmt: skip


def line_through(x: list[float], y: list[float], at: float) -> tuple[float, float, float, float]:
    """Value at a place and slope with their standard uncertainties, by the fit of position errors."""
    cuts = [MeasuredCut(a, 0.0, None, a + b) for a, b in zip(x, y, strict=True)]
    found = fit_trim([cuts], Tolerance(1e9, 1e9), Adjustment(1e-9, 1e-9))
    assert found.space_offset is not None
    assert found.space_scale is not None
    reach = float(stdtrit(len(x) - 2, 0.975))
    sds = [(term.high - term.low) / 2 / reach for term in (found.space_offset, found.space_scale)]
    away = at - float(np.mean(x))
    slope = found.space_scale.value
    return found.space_offset.value + slope * away, slope, float(np.hypot(sds[0], sds[1] * away)), sds[1]


def test_norris_to_its_certified_digits() -> None:
    numbers = [float(number) for number in NORRIS.split()]
    y, x = numbers[::2], numbers[1::2]
    intercept, slope, _, sd_slope = line_through(x, y, 0.0)
    assert slope == pytest.approx(1.00211681802045, rel=1e-12)
    assert intercept == pytest.approx(-0.262323073774029, rel=1e-10)
    residual = sd_slope * float(np.sqrt(((np.array(x) - np.mean(x)) ** 2).sum()))
    assert residual == pytest.approx(0.884796396144373, rel=1e-10)


def test_the_thermometer_of_the_gum() -> None:
    x, y = (list(column) for column in zip(*THERMOMETER, strict=True))
    at_20, slope, sd_at_20, sd_slope = line_through(x, y, 20.0)
    assert (round(at_20, 4), round(sd_at_20, 4)) == (-0.1712, 0.0029)
    assert (round(slope, 5), round(sd_slope, 5)) == (0.00218, 0.00067)


def fitted(errors: list[list[float]], noise: Noise | None = QUIET) -> Trim:
    places = [(0.2, 0.335), (0.35, 0.30), (0.5, 0.32), (0.65, 0.275), (0.8, 0.29)]
    keys = [[MeasuredCut(x, v, v + e) for (x, v), e in zip(places, key, strict=False)] for key in errors]
    return fit_trim(keys, TOLERANCE, STEP, noise)


def test_the_interval_with_clampings_is_that_of_the_whole_covariance() -> None:
    """Generalised least squares written out: (X' V^-1 X)^-1 X' V^-1 e."""
    errors = [[0.002, 0.003, 0.0025, 0.004, 0.001], [0.001, 0.0, 0.0015, 0.002, 0.0005]]
    found = fitted(errors)
    x, v = np.tile([0.2, 0.35, 0.5, 0.65, 0.8], 2), np.tile([0.335, 0.30, 0.32, 0.275, 0.29], 2)
    design = np.column_stack([np.ones(10), x - x.mean(), v - v.mean()])
    key = np.repeat([0, 1], 5)
    covariance = QUIET.sd**2 * np.eye(10) + QUIET.seat_sd**2 * (key[:, None] == key[None, :])
    inverse = np.linalg.inv(covariance)
    spread = np.linalg.inv(design.T @ inverse @ design)
    wanted = spread @ design.T @ inverse @ np.concatenate(errors)
    for term, value, sd in zip(
        (found.offset, found.per_space, found.per_depth), wanted, np.sqrt(np.diag(spread)), strict=True
    ):
        assert term is not None
        assert term.value == pytest.approx(value, abs=1e-12)
        assert term.high - term.low == pytest.approx(2 * 1.959963985 * sd, rel=1e-8)


def test_noise_is_not_chased() -> None:
    assert fitted([[0.0004, 0.0003, 0.0002, 0.0005, 0.0001]]).advice == Advice.LEAVE  # less than half a step
    assert fitted([[0.0009, 0.0006, 0.0008, 0.0012, 0.0005]]).depth_adjust == 0  # one clamping may do that
    found = fitted([[0.0009, 0.0006, 0.0008, 0.0012, 0.0005]] * 4)
    assert (found.advice, found.depth_adjust) == (Advice.ADJUST, -0.001)


def test_what_no_adjustment_mends_is_service() -> None:
    tilted = [[0.0, 0.0012, 0.0024, 0.0036, 0.0048]] * 3
    found = fitted(tilted)
    assert found.advice == Advice.SERVICE
    assert found.depth_adjust == -0.002  # the offset is still told


@pytest.mark.parametrize(
    ("cuts", "noise", "left_out"),
    [
        ([(0.2, 0.3), (0.2, 0.28), (0.2, 0.26)], QUIET, {"per_space": "all cuts are at one position"}),
        ([(0.2, 0.3), (0.3, 0.3), (0.4, 0.3)], QUIET, {"per_depth": "all cuts are at one depth"}),
        ([(0.2, 0.30), (0.3, 0.29), (0.4, 0.28), (0.5, 0.27)], QUIET,
         dict.fromkeys(("per_space", "per_depth"), "position and depth change together in these cuts")),
        ([(0.2, 0.3)], None, dict.fromkeys(
            ("offset", "per_space", "per_depth"), "1 measured for 1 term: nothing is left to judge them by; "
                "1 more cut would tell, or say the noise"
        )),
    ],
)  # fmt: skip
def test_terms_that_the_cuts_cannot_tell_are_left_out(
    cuts: list[tuple[float, float]], noise: Noise | None, left_out: dict[str, str]
) -> None:
    found = fit_trim([[MeasuredCut(x, v, v + 0.004) for x, v in cuts]], TOLERANCE, STEP, noise)
    spaces = dict.fromkeys(("space_offset", "space_scale"), "none was measured")
    assert dict(found.left_out) == {**left_out, **spaces}
    for name in left_out:
        assert getattr(found, name) is None
    assert found.depth_adjust == (-0.004 if "offset" not in left_out else 0)


def test_damaged_calibrations_are_refused_with_the_field() -> None:
    cut = {"space": 0.2, "value": 0.3, "measured_value": None, "measured_space": None}
    document = {
        "format": "wry-falcon.calibration/1", "unit": "in", "keys": [{"cuts": [cut]}],
        "tolerance": {"value": 0.002, "space": 0.003}, "adjust": {"depth_step": 0.001, "space_step": 0.001},
    }  # fmt: skip
    with pytest.raises(InputError, match="keys: nothing was measured"):
        VERBS["calibrate"](document)
    with pytest.raises(InputError, match=r"noise\.sd"):
        VERBS["calibrate"]({**document, "noise": {"sd": 0, "seat_sd": 0.1}})
    with pytest.raises(InputError, match=r"keys\[0\]\.cuts\[0\]\.measured_space: is missing"):
        VERBS["calibrate"]({**document, "keys": [{"cuts": [{k: v for k, v in cut.items() if k != "measured_space"}]}]})


# AIAG, Measurement Systems Analysis, 3rd edition 2002: three appraisers, ten parts, three trials. Data from memory;
# the published results below confirm it.
APPRAISERS = """
0.29 -0.56 1.34 0.47 -0.80 0.02 0.59 -0.31 2.26 -1.36  0.41 -0.68 1.17 0.50 -0.92 -0.11 0.75 -0.20 1.99 -1.25
0.64 -0.58 1.27 0.64 -0.84 -0.21 0.66 -0.17 2.01 -1.31  0.08 -0.47 1.19 0.01 -0.56 -0.20 0.47 -0.63 1.80 -1.68
0.25 -1.22 0.94 1.03 -1.20 0.22 0.55 0.08 2.12 -1.62  0.07 -0.68 1.34 0.20 -1.28 0.06 0.83 -0.34 2.19 -1.50
0.04 -1.38 0.88 0.14 -1.46 -0.29 0.02 -0.46 1.77 -1.49  -0.11 -1.13 1.09 0.20 -1.07 -0.67 0.01 -0.56 1.45 -1.77
-0.15 -0.96 0.67 0.11 -1.45 -0.49 0.21 -0.49 1.87 -2.16
"""


def test_the_gauge_study_agrees_with_a_published_one() -> None:
    readings = np.array([float(number) for number in APPRAISERS.split()]).reshape(3, 3, 10).transpose(0, 2, 1)
    found = gauge_study(readings)
    assert not found.has_interaction
    assert found.repeatability == pytest.approx(0.199933, abs=1e-6)
    assert found.reproducibility == pytest.approx(0.226838, abs=1e-6)
    assert found.whole == pytest.approx(0.302373, abs=2e-6)
    assert found.cuts == pytest.approx(1.042327, abs=1e-6)
    assert found.by_ranges == pytest.approx(0.3417 / 1.693, abs=3e-4)  # its range method: mean range 0.3417


def test_a_hand_that_reads_some_cuts_otherwise_shows_as_interaction() -> None:
    plain = np.array([[[1.0, 1.02], [2.0, 1.98], [3.01, 2.99]], [[1.01, 0.99], [2.02, 1.98], [3.02, 2.98]]])
    assert not gauge_study(plain).has_interaction
    plain[1, 2] += 0.5
    assert gauge_study(plain).has_interaction
    for wrong, says in (
        (np.ones((1, 1, 2)), "at least two cuts"),
        (np.full((1, 2, 2), np.nan), "as often as the others"),
    ):
        with pytest.raises(InputError, match=says):
            gauge_study(wrong)


def test_ranges_of_normal_readings_are_those_of_the_control_chart_tables() -> None:
    """d2 as in Montgomery, Introduction to Statistical Quality Control, appendix VI."""
    table = {2: 1.128, 3: 1.693, 4: 2.059, 5: 2.326, 6: 2.534, 7: 2.704, 8: 2.847, 9: 2.970, 10: 3.078, 15: 3.472}
    assert {count: round(mean_range(count), 3) for count in table} == table


def test_the_test_key_is_the_best_there_is() -> None:
    family = read_family("allotment-four")
    track = family.tracks[0]
    best = design_test_key(family, track, QUIET, clampings=3)
    x, values = np.array(track.spaces), np.array(track.values)

    def sds(steps: tuple[int, ...]) -> np.ndarray:
        design = np.column_stack(
            [
                np.ones(4),
                (x - x.mean()) / np.ptp(x),
                (values[list(steps)] - values[list(steps)].mean()) / np.ptp(values),
            ]
        )
        if np.linalg.matrix_rank(design) < 3:
            return np.full(3, np.inf)
        inverse = np.linalg.inv(QUIET.sd**2 * np.eye(4) + QUIET.seat_sd**2)
        return np.asarray(np.sqrt(np.diag(np.linalg.inv(3 * design.T @ inverse @ design))))

    every = [s for s in np.ndindex(5, 5, 5, 5) if np.abs(np.diff(s)).max() <= (track.macs or 9)]
    worst = {steps: sds(steps)[1:].max() for steps in every}
    assert worst[best.steps] == pytest.approx(min(worst.values()))
    assert sds(best.steps) == pytest.approx([best.offset_sd, best.tilt_sd, best.scale_sd])
    with pytest.raises(InputError, match="three spaces and two depths"):
        design_test_key(family, type(track)("A", (0.2, 0.3), track.depths), QUIET)


def test_more_clampings_settle_what_one_cannot() -> None:
    needed = clampings_to_settle(0.0008, QUIET, 5, 0.001)
    assert 1.96 * offset_sd(QUIET, 5, needed) <= 0.0008 < 1.96 * offset_sd(QUIET, 5, needed - 1)


def course(seed: int, keys: int, rate: float, walk: float) -> tuple[list[KeyMade], np.ndarray]:
    """A made-up machine: its keys as proven, and its true offset after each."""
    random = np.random.default_rng(seed)
    true = np.cumsum(random.normal(0, walk, keys)) + rate * np.arange(keys) + random.normal(0, 0.001)
    errors = true + random.normal(0, QUIET.seat_sd, keys) + random.normal(0, QUIET.sd / 5**0.5, keys)
    return [KeyMade(n, float(e), 5) for n, e in enumerate(errors)], true


def test_drift_is_followed_and_forecast() -> None:
    keys, true = course(3, 120, -0.00002, 0.0)
    drift = follow_course(keys, [], QUIET)
    assert drift.offset.mean == pytest.approx(true[-1], abs=3 * drift.offset.sd)
    assert drift.per_key.mean == pytest.approx(-0.00002, abs=3 * drift.per_key.sd)
    forecast = drift.forecast(abs(true[-1]) + 0.001)
    assert forecast.soonest is not None
    assert forecast.median is not None
    assert forecast.soonest < forecast.median
    assert 20 < forecast.median < 120  # 50 keys at the true rate


def test_a_fast_drift_is_foretold_from_few_keys() -> None:
    """A tenth of a clamping’s scatter a key, 15 keys seen, 20 on: at least three in four of the intervals of 90."""
    random, held, ahead, seen = np.random.default_rng(41), 0, 20, 15
    for _ in range(40):
        true = 0.00005 * np.arange(seen + ahead) + random.normal(0, 0.0005)
        errors = true + random.normal(0, 0.0005, len(true)) + random.normal(0, 0.0006 / 5**0.5, len(true))
        made = follow_course([KeyMade(n, float(errors[n]), 5) for n in range(seen)], [], Noise(0.0006, 0.0005))
        low, high = made.interval(ahead)
        held += low <= true[-1] <= high
    assert held >= 30


def test_a_trim_is_a_known_jump_and_a_changed_wheel_an_unknown_one() -> None:
    keys, _ = course(5, 60, 0.0, 0.0)
    before = follow_course(keys, [], QUIET).offset
    trimmed = follow_course(keys, [Touched(60, -0.002)], QUIET).offset
    assert (trimmed.mean, trimmed.sd) == (
        pytest.approx(before.mean - 0.002, abs=1e-5),
        pytest.approx(before.sd, rel=0.1),
    )
    changed = follow_course(keys, [Touched(60, None)], QUIET).offset
    assert changed.sd > 10 * before.sd


def test_one_key_not_seated_is_kept_out_and_two_are_the_machine() -> None:
    keys, _ = course(7, 40, 0.0, 0.0)
    deep = keys[-1].error - 0.008
    once = follow_course([*keys, KeyMade(40, deep, 5)], [], QUIET)
    assert once.points[-1].is_misseated
    before = follow_course(keys, [], QUIET).offset
    assert once.offset.mean == pytest.approx(before.mean, abs=1e-4)
    assert once.offset.sd > 5 * before.sd  # but it may have been the machine: the next key tells
    twice = follow_course([*keys, KeyMade(40, deep, 5), KeyMade(41, deep, 5)], [], QUIET)
    assert not twice.points[-1].is_misseated
    assert twice.offset.mean < once.offset.mean - 0.001
    thrice = follow_course([*keys, *(KeyMade(40 + n, deep, 5) for n in range(3))], [], QUIET)
    assert (once.knocked, thrice.knocked) == (None, 40)
    assert thrice.offset.mean == pytest.approx(deep, abs=3 * thrice.offset.sd)


def test_the_forecast_is_of_the_first_time_a_limit_is_reached() -> None:
    """Against a hundred thousand steps walked one key at a time."""
    keys, _ = course(3, 40, 0.0, 0.00005)
    drift = follow_course(keys, [], QUIET)
    forecast = drift.forecast(0.001)
    random = np.random.default_rng(8)
    which = random.choice(len(drift.weights), 4_000, p=drift.weights)
    at = np.array([random.multivariate_normal(drift.means[w][:2], drift.covariances[w][:2, :2]) for w in which])
    offset, first = at[:, 0], np.full(len(which), np.inf)
    for key in range(1, 400):
        offset = offset + at[:, 1] + drift.walks[which] * random.normal(size=len(which))
        first = np.where(np.isinf(first) & (np.abs(offset) >= 0.001), key, first)
    assert forecast.median == pytest.approx(np.median(first), rel=0.12)
    assert forecast.soonest == pytest.approx(np.quantile(first, 0.05), rel=0.3)


def test_noise_without_seating_is_followed_too() -> None:
    keys = [KeyMade(n, 0.001, 5) for n in range(8)]
    drift = follow_course(keys, [], Noise(0.0006, 0.0))
    assert drift.offset.mean == pytest.approx(0.001, abs=0.0002)
    assert drift.forecast(0.0005).median == 1


def test_intervals_hold_what_they_say() -> None:
    """90 in 100 intervals for the offset 30 keys on, over made-up machines that follow the model."""
    held = 0
    for seed in range(120):
        random = np.random.default_rng(1000 + seed)
        keys, true = course(seed, 80, float(random.normal(0, 0.00001)), float(random.choice([0.0, 0.00002, 0.00005])))
        low, high = follow_course(keys[:50], [], QUIET).interval(30)
        held += low <= true[79] <= high
    assert 0.82 <= held / 120 <= 0.97  # three sd of 120 tries about 0.90


def _walls(a: float, w: float, *, seats: tuple[float, ...] = (0.0, 0.0), sd: float = 0.0, seed: int = 1) -> list[Any]:
    """Keys with walls on both sides of a groove, as an axis off by ``a`` and a mill worn by 2 ``w`` make them."""
    noise = np.random.default_rng(seed)
    wanted = [(4.0 + 3.0 * n, 3.1 - 0.3 * (n * 2 % 3), 1) for n in range(5)]  # metal below: higher leaves more
    wanted += [(4.0 + 3.0 * n, 5.2 + 0.3 * (n % 3), -1) for n in range(5)]  # metal above: higher leaves less
    return [
        [MeasuredCut(x, v, v + a + w * metal + seat + noise.normal(0, sd), metal=metal) for x, v, metal in wanted]
        for seat in seats
    ]


def test_walls_on_both_sides_tell_a_worn_mill_from_an_axis_that_is_off() -> None:
    """By hand: a mill 0.05 smaller leaves 0.025 on each wall, an axis 0.02 too high lifts both. The walls below lie
    0.02 + 0.025 = 0.045 too high, those above 0.02 - 0.025 = -0.005 too low; half their sum is the axis, half their
    difference the metal left."""
    step, noise = Adjustment(0.01, 0.01), Noise(0.01, 0.005)
    both = _walls(0.02, 0.025)
    assert [round(cut.measured_value - cut.value, 6) for cut in (both[0][0], both[0][5])] == [0.045, -0.005]
    fit = fit_trim(both, Tolerance(0.1, 0.1), step, noise)
    assert fit.offset is not None
    assert fit.per_wall is not None
    assert fit.offset.value == pytest.approx(0.02)
    assert fit.per_wall.value == pytest.approx(0.025)
    assert fit.depth_adjust == pytest.approx(-0.02)
    assert fit.advice == Advice.ADJUST, "the metal left on a wall is within the tolerance"
    worn = fit_trim(_walls(0.0, 0.12), Tolerance(0.1, 0.1), step, noise)
    assert worn.advice == Advice.SERVICE, "0.12 on each wall is no offset's to mend"
    assert worn.depth_adjust == 0.0, "and the axis is not off"


def test_walls_of_one_side_leave_the_mill_untold() -> None:
    below = [[cut for cut in key if cut.metal == 1] for key in _walls(0.02, 0.025)]
    fit = fit_trim(below, Tolerance(0.1, 0.1), Adjustment(0.01, 0.01), Noise(0.01, 0.005))
    assert fit.per_wall is None
    assert "one side only" in fit.left_out["per_wall"]
    assert fit.offset is not None
    assert fit.offset.value == pytest.approx(0.045), "both of them, as the axis"


def test_walls_are_weighed_as_the_whole_covariance_weighs_them() -> None:
    """Against generalised least squares with the full covariance inverted (Aitken 1936; any textbook)."""
    noise = Noise(0.012, 0.02)
    keys = _walls(0.03, -0.02, seats=(0.02, -0.01, 0.005), sd=0.012, seed=4)
    fit = fit_trim(keys, Tolerance(0.5, 0.5), Adjustment(0.01, 0.01), noise)
    cuts = [(key, cut) for key, every in enumerate(keys) for cut in every]
    e = np.array([cut.measured_value - cut.value for _, cut in cuts])
    x, v, metal = (np.array([getattr(cut, name) for _, cut in cuts]) for name in ("space", "value", "metal"))
    for side in (1, -1):
        v[metal == side] -= v[metal == side].mean()
    design = np.column_stack([np.ones_like(e), x - x.mean(), v, metal])
    of_key = np.array([key for key, _ in cuts])
    inverse = np.linalg.inv(noise.sd**2 * np.eye(len(e)) + noise.seat_sd**2 * (of_key[:, None] == of_key[None, :]))
    covariance = np.linalg.inv(design.T @ inverse @ design)
    terms = covariance @ design.T @ inverse @ e
    for term, value in zip((fit.offset, fit.per_space, fit.per_depth, fit.per_wall), terms, strict=True):
        assert term is not None
        assert term.value == pytest.approx(value)
    assert fit.per_wall is not None
    assert fit.per_wall.high - fit.per_wall.low == pytest.approx(2 * 1.959964 * covariance[3, 3] ** 0.5, rel=1e-5)


def test_the_metal_left_on_walls_is_where_its_interval_says_19_times_in_20() -> None:
    noise = Noise(0.012, 0.02)
    seats = np.random.default_rng(8).normal(0, noise.seat_sd, (300, 2))
    held = 0
    for seed, (one, other) in enumerate(seats):
        keys = _walls(0.01, 0.02, seats=(float(one), float(other)), sd=noise.sd, seed=seed)
        fit = fit_trim(keys, Tolerance(0.5, 0.5), Adjustment(0.01, 0.01), noise)
        assert fit.per_wall is not None
        held += fit.per_wall.low <= 0.02 <= fit.per_wall.high
    assert 270 <= held <= 299, "of 300, 285 are expected; 4 standard deviations are 15"


def _holes(errors: dict[int, tuple[float, float]], sd: float = 0.0) -> list[list[MeasuredCut]]:
    """Two keys with holes of two drills, each drill's holes so far off in depth and along, with scatter."""
    noise = np.random.default_rng(3)
    wanted = [(4.0 + 3.5 * n, 2.8 - 0.3 * (n * 2 % 3), 0) for n in range(5)]
    wanted += [(7.5 + 3.5 * n, 2.05 - 0.1 * (n % 3), 1) for n in range(3)]
    return [
        [
            MeasuredCut(x, v, v + deep + noise.normal(0, sd), x + along + noise.normal(0, sd), drill=drill)
            for x, v, drill in wanted
            for deep, along in [errors[drill]]
        ]
        for _ in range(2)
    ]


def test_a_drill_off_its_centre_is_told_from_an_axis_by_the_other_drills_holes() -> None:
    """By hand: an axis 0.02 off shifts all holes; a drill that runs 0.1 off its centre shifts its own alone."""
    keys = _holes({0: (-0.03, 0.02), 1: (0.01, 0.12)})
    fit = fit_trim(keys, Tolerance(0.1, 0.08), Adjustment(0.01, 0.01), Noise(0.01, 0.005))
    told = (fit.offset, fit.per_drill, fit.space_offset, fit.space_per_drill)
    for term, value in zip(told, (-0.03, 0.04, 0.02, 0.1), strict=True):
        assert term is not None
        assert term.value == pytest.approx(value)
    assert fit.advice == Advice.SERVICE, "0.1 beside the axis is more than the tolerance, and no offset's to mend"
    assert fit.depth_adjust == pytest.approx(0.03)


def test_holes_of_two_drills_are_fitted_as_least_squares_fits_them() -> None:
    """Against numpy's own least squares on the columns as they are written down."""
    keys = _holes({0: (0.02, 0.01), 1: (-0.05, 0.06)}, sd=0.01)
    fit = fit_trim(keys, Tolerance(1, 1), Adjustment(0.01, 0.01))
    cuts = [cut for key in keys for cut in key]
    x, v, drill = (np.array([getattr(cut, name) for cut in cuts], dtype=float) for name in ("space", "value", "drill"))
    for tool in (0, 1):
        v[drill == tool] -= v[drill == tool].mean()
    deep = np.column_stack([np.ones_like(x), x - x.mean(), v, drill])
    along = np.column_stack([np.ones_like(x), x - x.mean(), drill])
    e, s = (
        np.array([getattr(cut, f"measured_{name}") - getattr(cut, name) for cut in cuts]) for name in ("value", "space")
    )
    terms = [*np.linalg.lstsq(deep, e, rcond=None)[0], *np.linalg.lstsq(along, s, rcond=None)[0]]
    told = (
        fit.offset, fit.per_space, fit.per_depth, fit.per_drill, fit.space_offset, fit.space_scale, fit.space_per_drill,
    )  # fmt: skip
    for term, value in zip(told, terms, strict=True):
        assert term is not None
        assert term.value == pytest.approx(value)
