"""Wheels by their test cuts, side mills, followers, copies beside patterns, and machines that wander while idle."""

from __future__ import annotations

from math import radians, tan

import numpy as np
import pytest

from keycore.documents.family import read_family
from keycore.errors import InputError
from keycore.machines.copies import compare_copy
from keycore.machines.course import KeyMade, Touched, follow_course
from keycore.machines.side_mill import correct_side_mill, set_side_mill
from keycore.machines.touch import match_shapes
from keycore.machines.trim import Noise, Term
from keycore.machines.wheel import (
    KeyOfWheel,
    TestCut,
    WheelAdvice,
    WheelShape,
    WheelSigns,
    judge_wheel,
    measure_wheel,
    steep_error,
)
from keycore.proving.verdict import Verdict
from keycore.reading.evidence import Spread
from keycore.reading.wear import worn_after
from keycore.tools import Wheel

QUIET = Noise(0.0006, 0.0005)
HARBOUR = read_family("harbour-five")
TRACK = HARBOUR.tracks[0]


def widths(flat: float, angle: float, depths: list[float], noise: list[float]) -> list[TestCut]:
    return [TestCut(d, flat + 2 * d * tan(radians(angle) / 2) + off) for d, off in zip(depths, noise, strict=True)]


def test_a_wheels_uncertainty_is_what_repeating_it_shows() -> None:
    random, depths, sd = np.random.default_rng(4), [1.0, 2.0, 3.0], 0.01
    found = []
    for _ in range(800):
        misread = [d + e for d, e in zip(depths, random.normal(0, sd, 3), strict=True)]
        cuts = widths(0.9, 80.0, depths, list(random.normal(0, sd, 3)))
        found.append(measure_wheel([TestCut(d, c.width) for d, c in zip(misread, cuts, strict=True)], sd))
    flats, angles = [f.flat.mean for f in found], [f.angle.mean for f in found]
    assert np.mean(flats) == pytest.approx(0.9, abs=0.005)
    assert np.mean(angles) == pytest.approx(80.0, abs=0.1)
    assert np.std(flats) == pytest.approx(found[0].flat.sd, rel=0.1)
    assert np.std(angles) == pytest.approx(found[0].angle.sd, rel=0.1)


@pytest.mark.parametrize(
    ("cuts", "says"),
    [
        ([TestCut(1.0, 3.0), TestCut(1.01, 3.02)], "two cuts of different depths"),
        ([TestCut(1.0, 3.0), TestCut(2.0, 2.9)], "no wheel leaves such widths"),
        ([TestCut(0.0, 1.0), TestCut(2.0, 3.0)], "a depth and a width above 0"),
    ],
)
def test_cuts_that_tell_nothing_of_a_wheel_are_refused(cuts: list[TestCut], says: str) -> None:
    with pytest.raises(InputError, match=says):
        measure_wheel(cuts, 0.01)


def test_steep_neighbours_are_told_from_a_machine_that_is_out() -> None:
    random = np.random.default_rng(8)
    keys = []
    for _ in range(30):
        jumps = random.uniform(0, 1.5, 5)
        errors = -0.02 * jumps + 0.1 + random.normal(0, 0.03) + random.normal(0, 0.01, 5)
        keys.append(KeyOfWheel(tuple(errors), tuple(jumps)))
    term = steep_error(keys, Noise(0.01, 0.01))
    assert term is not None
    assert term.low < -0.02 < term.high
    assert term.excludes_zero
    assert steep_error([KeyOfWheel((0.1, 0.1), (0.5, 0.5))], Noise(0.01, 0.01)) is None


@pytest.mark.parametrize(
    ("signs", "advice", "says"),
    [
        (WheelSigns(), WheelAdvice.KEEP, ""),
        (WheelSigns(Term(-0.02, -0.03, -0.01), 1.5, 0.05, 0.08), WheelAdvice.CHANGE, "0.030 mm deep"),
        (WheelSigns(Term(-0.02, -0.05, 0.01), 1.5, 0.05, 0.08), WheelAdvice.LOOK, "cannot rule out 0.075 mm"),
        (WheelSigns(Term(0.02, 0.01, 0.03), 1.5, 0.05, 0.08), WheelAdvice.KEEP, ""),
        (WheelSigns(burrs=1), WheelAdvice.KEEP, ""),
        (WheelSigns(burrs=2, shakes=1), WheelAdvice.LOOK, "shake"),
        (
            WheelSigns(None, 1.5, 0.05, 0.08, WheelShape(Spread(1.1, 0.01), Spread(90.0, 0.2))),
            WheelAdvice.CHANGE, "flank stands 0.050 mm too far out",
        ),
        (
            WheelSigns(None, 1.5, 0.05, 0.08, WheelShape(Spread(1.04, 0.01), Spread(90.0, 0.2))),
            WheelAdvice.LOOK, "flat 1.040 mm, not 1.000 mm",
        ),
        (
            WheelSigns(None, 1.5, 0.05, 0.08, WheelShape(Spread(1.1, 0.2), Spread(90.0, 0.2))),
            WheelAdvice.KEEP, "",
        ),
    ],
)  # fmt: skip
def test_when_a_wheel_is_changed(signs: WheelSigns, advice: WheelAdvice, says: str) -> None:
    verdict = judge_wheel(Wheel(1.0, 90.0), signs)
    assert verdict.advice == advice
    assert says in "; ".join(verdict.reasons)


def test_a_copy_is_judged_by_its_pattern_and_by_the_factory_depths() -> None:
    true = [TRACK.values[step] for step in (2, 3, 1, 4, 3)]
    worn = [value - 0.0035 for value in true]
    faithful = compare_copy(HARBOUR, TRACK, worn, [*worn[:4], None], 0.0003)
    assert (faithful.by_machine, faithful.as_key) == (Verdict.INSIDE, Verdict.OUTSIDE)
    assert faithful.mean.mean == pytest.approx(0.0)
    assert faithful.cuts[4].from_factory is None
    strayed = compare_copy(HARBOUR, TRACK, true, [value - 0.004 for value in true], 0.0003)
    assert (strayed.by_machine, strayed.as_key) == (Verdict.OUTSIDE, Verdict.OUTSIDE)
    assert {strayed.causes[0].cause, strayed.causes[1].cause} == {"seat", "depth"}
    with pytest.raises(InputError, match="at least two cuts on both"):
        compare_copy(HARBOUR, TRACK, [*true[:1], *[None] * 4], true, 0.0003)
    with pytest.raises(InputError, match="5 values of each are wanted"):
        compare_copy(HARBOUR, TRACK, true[:4], true, 0.0003)


def test_followers_unlike_the_wheel_say_what_they_would_do() -> None:
    wheel = Wheel(1.0, 90.0)
    narrow = match_shapes(Wheel(0.8, 90.0), wheel, 2.0)
    assert (narrow.wider_at_root, narrow.wider_at_edge, narrow.shallow) == pytest.approx((0.2, 0.2, 0.0))
    steep = match_shapes(Wheel(1.0, 80.0), wheel, 2.0)
    assert steep.wider_at_root == 0.0
    assert steep.wider_at_edge == pytest.approx(4 * (1 - tan(radians(40))))
    assert match_shapes(Wheel(2.5, 0.0), Wheel(2.4, 0.0), 2.0).wider_at_root == pytest.approx(-0.1)


@pytest.mark.parametrize(
    ("given", "field"),
    [
        ((0.1, 2.5), "tracer"),
        ((2.5, 20.0), "mill"),
        ((2.5, 2.5, 10.0, 9.0), "floor"),
        ((2.5, 2.5, 9.0, 9.2), "clearance"),
    ],
)
def test_side_mill_settings_that_cannot_be_are_refused(given: tuple[float, ...], field: str) -> None:
    with pytest.raises(InputError) as refused:
        set_side_mill(*given)
    assert refused.value.field == field


def test_a_proving_cut_within_the_caliper_moves_nothing() -> None:
    assert correct_side_mill((1.2, 3.0), (1.21, 3.02), 0.01) == correct_side_mill((1.2, 3.0), (1.2, 3.0), 0.01)
    deep = correct_side_mill((1.2, 3.0), (1.3, 2.9), 0.01)
    assert (deep.lower_by, deep.too_deep, deep.wider, deep.wider_by) == (-0.1, 0.1, -0.1, 0.1)


def test_a_key_wears_with_the_days_and_its_doubt_with_it() -> None:
    assert worn_after(-3) == Spread(0.0, 0.0)
    assert worn_after(3652.5).mean == pytest.approx(0.008)  # well worn after ten years


def test_a_machine_that_stands_is_known_less_well() -> None:
    random = np.random.default_rng(6)
    idle = np.cumsum(random.normal(0, 0.0004, 60))
    keys = [KeyMade(n, float(idle[n] + random.normal(0, 0.0005)), 5, day=7.0 * n) for n in range(60)]
    drift = follow_course(keys, [], QUIET)
    assert drift.ahead(0, 60).sd > 1.5 * drift.ahead(0).sd
    assert drift.ahead(0, 60).mean == pytest.approx(drift.offset.mean)
    undated = follow_course([KeyMade(key.number, key.error, key.cuts) for key in keys], [], QUIET)
    assert undated.ahead(0, 60).sd == undated.offset.sd  # days that nobody told are not weighed
    soon, late = drift.forecast(0.003), drift.forecast(0.003, days_a_key=7.0, idle_days=30)
    assert soon.soonest is None or (late.soonest is not None and late.soonest <= soon.soonest)


def test_a_key_known_less_well_counts_for_less() -> None:
    keys = [KeyMade(n, 0.0, 5) for n in range(20)]
    sure = follow_course([*keys, KeyMade(20, 0.002, 5)], [], QUIET).offset.mean
    unsure = follow_course([*keys, KeyMade(20, 0.002, 5, extra_sd=0.003)], [], QUIET).offset.mean
    assert 0 <= unsure < sure
    assert follow_course(keys, [Touched(20, None, 5.0)], QUIET).offset.sd > 0.005


def swapping(seed: int, count: int = 60) -> tuple[list[KeyMade], list[float]]:
    """A machine that stays put, its three wheels each a little off; which is on changes with every key."""
    random = np.random.default_rng(seed)
    off = [float(each) for each in random.normal(0, 0.0012, 3)]
    errors = [0.001 + off[n % 3] + float(random.normal(0, QUIET.seat_sd)) for n in range(count)]
    return [KeyMade(n, error, 5, wheel=1 + n % 3) for n, error in enumerate(errors)], off


def test_each_wheel_keeps_an_offset_of_its_own_while_another_is_on() -> None:
    keys, off = swapping(2)
    drift = follow_course(keys, [], QUIET)
    for wheel in (1, 2, 3):
        told = drift.with_wheel(wheel).offset
        assert told.mean == pytest.approx(0.001 + off[wheel - 1], abs=3 * told.sd)
        assert told.sd < 0.0004
    never_on = drift.with_wheel(9).offset
    assert never_on.sd > 0.001
    assert drift.with_wheel(drift.on).offset == drift.offset


def test_a_new_wheel_is_unknown_and_the_others_are_not() -> None:
    keys, _ = swapping(3)
    before = follow_course(keys, [], QUIET)
    after = follow_course(keys, [Touched(60, None, wheel=2)], QUIET)
    assert after.with_wheel(2).offset.sd > 3 * before.with_wheel(2).offset.sd
    assert after.with_wheel(1).offset.mean == pytest.approx(before.with_wheel(1).offset.mean, abs=1e-5)
    trimmed = follow_course(keys, [Touched(60, -0.002)], QUIET)
    assert trimmed.with_wheel(3).offset.mean == pytest.approx(before.with_wheel(3).offset.mean - 0.002, abs=1e-5)


def test_one_wheel_alone_needs_no_offset_of_its_own() -> None:
    keys = [KeyMade(n, 0.001, 5, wheel=7) for n in range(20)]
    plain = follow_course([KeyMade(n, 0.001, 5) for n in range(20)], [], QUIET)
    drift = follow_course(keys, [], QUIET)
    assert drift.offset == plain.offset
    assert drift.with_wheel(8).offset.sd > 2 * drift.offset.sd
    assert plain.with_wheel(8).offset == plain.offset  # which wheel cut them was not known
