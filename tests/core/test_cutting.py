"""Profiles, flats, MACS and plans against geometry done by others and rules of the trade."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import Polygon, box, unary_union

from keycore.cutting.commands import MachineOffsets, moves_of
from keycore.cutting.intent import values_to_cut
from keycore.cutting.plan import plan_cuts
from keycore.documents.family import read_family
from keycore.errors import InputError
from keycore.geometry.profile import flats_left, profile_of
from keycore.rules import count_bittings
from keycore.tools import Wheel
from specimens import harbour_five, shipped, tiny, tiny_track

HEIGHT, LENGTH = 0.34, 0.9


def wheel(x: float, v: float, cut: Wheel) -> Polygon:
    """What one plunge of a wheel removes."""
    far = (HEIGHT - v + 0.2) * cut.slope
    half, top = cut.flat / 2, HEIGHT + 0.2
    return Polygon([(x - half, v), (x + half, v), (x + half + far, top), (x - half - far, top)])


keys = st.lists(st.floats(0.19, 0.335), min_size=1, max_size=6)
cutters = st.builds(Wheel, flat=st.floats(0.0, 0.05), angle=st.floats(60, 120))


@settings(max_examples=60)
@given(keys, cutters)
def test_a_plunged_profile_is_the_blade_less_what_the_wheel_swept(heights: list[float], cut: Wheel) -> None:
    spaces = [0.15 + 0.11 * i for i in range(len(heights))]
    profile = profile_of(spaces, heights, cut, HEIGHT, LENGTH, "plunged")
    swept = unary_union([wheel(x, v, cut) for x, v in zip(spaces, heights, strict=True)])
    blade = box(0, 0, LENGTH, HEIGHT).difference(swept)
    assert profile.area_below(HEIGHT) == pytest.approx(LENGTH * HEIGHT - blade.area, abs=1e-9)
    assert (profile.x[0], profile.x[-1]) == (0.0, LENGTH)


@settings(max_examples=60)
@given(keys, cutters)
def test_a_ramped_edge_is_never_above_what_single_plunges_leave(heights: list[float], cut: Wheel) -> None:
    """The way of a ramp goes through every root, and whatever stands above the wheel there is gone (by shapely)."""
    spaces = [0.15 + 0.08 * i for i in range(len(heights))]
    ramped, plunged = (profile_of(spaces, heights, cut, HEIGHT, LENGTH, style) for style in ("ramped", "plunged"))
    at = np.unique(np.concatenate([ramped.x, plunged.x, np.linspace(0, LENGTH, 500)]))
    assert (ramped.at(at) <= plunged.at(at) + 1e-9).all()
    blade = Polygon([(0, 0), *zip(ramped.x, ramped.h, strict=True), (LENGTH, 0)])
    swept = unary_union([wheel(x, v, cut) for x, v in zip(spaces, heights, strict=True)])
    assert blade.intersection(swept).area == pytest.approx(0.0, abs=1e-9)


def test_a_plan_that_breaks_what_is_held_says_what_it_is() -> None:
    plan = plan_cuts(read_family({**tiny(), "fixed": {"A": {"2": "1"}}}), {"A": ["1", "2", "3"]}, "plunged")
    assert [problem.says for problem in plan.problems if problem.spaces == (2,)] == [
        "Cut 2 is 2; in this family it is always 1."
    ]


@settings(max_examples=60)
@given(keys, cutters)
def test_the_flat_left_is_what_no_deeper_cut_reaches(heights: list[float], cut: Wheel) -> None:
    spaces = [0.15 + 0.08 * i for i in range(len(heights))]
    for place, (x, v) in enumerate(zip(spaces, heights, strict=True)):
        at = np.linspace(x - cut.flat / 2, x + cut.flat / 2, 4001)
        taken = np.zeros_like(at, dtype=bool)
        for other, deep in zip(spaces, heights, strict=True):
            if deep < v - 1e-9:
                taken |= np.abs(at - other) < cut.flat / 2 + (v - deep) * cut.slope
        sampled = cut.flat * (1 - taken.mean())
        assert flats_left(spaces, heights, cut)[place] == pytest.approx(sampled, abs=cut.flat / 1000 + 1e-9)


def test_macs_from_geometry_gives_the_commonly_published_7() -> None:
    """Pitch 0.15625, flat 0.031, 100 degrees, steps of 0.015 give 7: common practice, no source."""
    depths = [{"label": str(k), "value": 0.335 - 0.015 * k} for k in range(10)]
    spaces = [0.15625 * (i + 1) for i in range(6)]
    family = read_family(tiny_track(spaces=spaces, depths=depths, cut={"flat": 0.031, "angle": 100}))
    assert family.kind.macs_geometric(family, family.tracks[0], None) == 7


@pytest.mark.parametrize("family", shipped(blades_only=True), ids=lambda family: family.id)
def test_a_shipped_familys_macs_is_one_its_geometry_allows(family) -> None:  # type: ignore[no-untyped-def]
    for track in family.tracks:
        geometric = family.kind.macs_geometric(family, track, None)
        assert geometric is not None
        assert track.macs is not None
        assert track.macs <= geometric
        assert 0 < count_bittings(track, family.rules) <= len(track.depths) ** len(track.spaces)


def test_a_ramped_edge_runs_straight_from_root_to_root() -> None:
    profile = profile_of([0.2, 0.4], [0.3, 0.25], Wheel(0.02, 90), HEIGHT, LENGTH, "ramped")
    middle = float(profile.at(np.array([0.3]))[0])
    assert middle == pytest.approx(0.275)


def test_every_problem_of_a_plan_is_named() -> None:
    family = read_family(tiny_track(spaces=[0.03, 0.095, 0.78], macs=1))
    plan = plan_cuts(family, {"A": ["1", "3", "3"]}, tool=Wheel(0.05, 120))
    found = {problem.code: problem for problem in plan.problems}
    assert set(found) == {"macs", "no-flat", "cutter", "shoulder", "tip"}
    assert found["macs"].spaces == (1, 2)
    assert found["no-flat"].spaces == (1,)
    assert "allows 1" in found["macs"].says


def test_a_family_without_a_blank_cannot_be_planned() -> None:
    with pytest.raises(InputError, match=r"family\.blank: needed to plan a key"):
        plan_cuts(read_family(tiny(blank=None)), {"A": ["1", "2", "3"]})


def test_restore_copy_and_compensate_cut_different_values_from_one_bitting() -> None:
    family, track = harbour_five(), harbour_five().tracks[0]
    steps = track.steps(["3", "5", "2", "4", "1"])
    assert values_to_cut(family, track, steps) == (0.286, 0.246, 0.306, 0.266, 0.326)
    worn = [0.278, None, 0.298, 0.258, 0.318]
    assert values_to_cut(family, track, steps, as_measured=worn)[:2] == (0.278, 0.246)
    assert values_to_cut(family, track, steps, deeper_by=0.003)[0] == pytest.approx(0.283)
    assert values_to_cut(family, track, steps, deeper_steps={5: 1})[4] == pytest.approx(0.306)
    with pytest.raises(InputError, match="cut 2 has no depth 2 steps deeper"):
        values_to_cut(family, track, steps, deeper_steps={2: 2})


def test_a_machine_is_told_millimetres_with_its_offsets_in_side_by_side() -> None:
    """Ten cuts, both edges from one track, tip gauged: from the gauge outwards, then turned over."""
    family = read_family("chandler-ten")
    plan = plan_cuts(family, {"A": ["1", "2"] * 5})
    told = moves_of(plan, MachineOffsets(value=0.012, space=-0.02))
    assert [cut.clamping for cut in told] == [1] * 10 + [2] * 10
    assert {cut.place.track for cut in told} == {"A"}
    assert [clamping.turn for clamping in plan.clampings] == [None, "long-axis"]
    assert len(told) == 20
    assert [cut.position for cut in told[:2]] == pytest.approx([3.18, 5.48])
    assert told[0].value == pytest.approx(7.912)


def test_depth_of_cut_is_half_of_the_difference_where_measured_across() -> None:
    plan = plan_cuts(read_family("lighthouse-eight"), {"A": ["1", "2", "1", "2", "1", "2", "1", "2"]})
    assert plan.tracks[0].cuts[1].own["depth_of_cut"] == pytest.approx((8.4 - 7.2) / 2)
