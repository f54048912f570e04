"""How a key lies in its clamp, held against rotations of scipy; fins, against shapely's buffers."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
import pytest
from scipy.spatial.transform import Rotation
from shapely import LineString, Polygon, box

from keycore import families
from keycore.cutting.commands import mirrored_in, moves_of, ways_of
from keycore.cutting.lay import AT_JAW, BELOW, lay_words
from keycore.cutting.plan import Plan, plan_cuts
from keycore.documents.family import read_family
from keycore.documents.plan import answer_plan, write_plan
from keycore.kinds.side_milled.cutting import MilledPlan, section_at

LOOKS = {  # which way each looks on the blade: along it, from reference to other edge, from back to front
    "front": (0, 0, 1), "back": (0, 0, -1), "top": (0, 1, 0), "other edge": (0, 1, 0), "bottom": (0, -1, 0),
    "reference edge": (0, -1, 0),
}  # fmt: skip
BITTINGS: dict[str, dict[str, str]] = {
    "lamphouse-six": {"A": "123212", "B": "212321", "S": "xyx"}, "gantry-eight": dict.fromkeys("ABCD", "12321232"),
    "capstan-five": {"A": "23132", "B": "1232", "C": "abc"}, "chandler-ten": {"A": "1232123212"},
    "harbour-office-six": {"A": "123212", "B": "212323"},
}  # fmt: skip


def planned(name: str) -> Plan:
    return plan_cuts(read_family(name), {track: list(labels) for track, labels in BITTINGS[name].items()})


@pytest.mark.parametrize("name", BITTINGS)
def test_each_turn_brings_what_it_says_up_and_to_the_jaw(name: str) -> None:
    """Every turn is a rotation about the long axis, the bow staying where it is, that leads to the next lay."""
    lays = planned(name).lays
    assert len(lays) > 1
    for before, after in pairwise(lays):
        assert after.turn is not None
        way = {"": 1, "towards": 1, "away": -1}[after.turn.sense]  # what is up goes towards the near jaw
        turn = Rotation.from_rotvec([way * np.radians(after.turn.angle), 0, 0])
        at = {"up": (0, 0, 1), "jaw": (0, -1, 0)}
        axes = np.column_stack([(1, 0, 0), -np.array(at["jaw"]), at["up"]]).astype(float)
        lies = np.column_stack([(1, 0, 0), -np.array(LOOKS[before.jaw]), LOOKS[before.up]]).astype(float)
        to_machine = axes @ np.linalg.inv(lies)
        assert np.linalg.det(to_machine) == pytest.approx(1)  # no mirror: the bow stays where it is
        turned = turn.as_matrix() @ to_machine
        assert turned @ LOOKS[after.up] == pytest.approx(at["up"], abs=1e-9)
        assert turned @ LOOKS[after.jaw] == pytest.approx(at["jaw"], abs=1e-9)
        assert turned @ LOOKS[BELOW[after.up]] == pytest.approx((0, 0, -1), abs=1e-9)
        assert after.jaw == AT_JAW[after.up]


def test_a_track_on_the_back_is_told_from_the_other_edge_by_the_height_that_was_measured() -> None:
    plan = planned("gantry-eight")
    assert {name for _, name in mirrored_in(plan)} == {"C", "D"}
    for height, by in ((None, 8.6), (8.52, 8.52)):
        told = {(m.place.track, m.place.space): m.value for m in moves_of(plan, height=height)}
        for track in plan.tracks:
            for cut in track.cuts:
                wanted = by - cut.value if track.track.face == "back" else cut.value
                assert told[track.track.name, cut.space] == pytest.approx(wanted)
    ways = ways_of(plan)
    assert [ways[name].metal for name in "ABCD"] == ["above", "below", "below", "above"]


def test_a_front_that_is_repeated_on_the_back_repeats_its_commands() -> None:
    plan = planned("lamphouse-six")
    told = {(m.clamping, m.place): m.value for m in moves_of(plan)}
    assert all(told[1, place] == value for (clamping, place), value in told.items() if clamping == 2)


def test_an_edge_that_is_cut_is_no_seat() -> None:
    first, second = planned("harbour-office-six").lays
    assert (first.floor, second.floor) == ("reference edge", "")
    assert (first.stop, second.stop) == ("top shoulder", "bottom shoulder")
    assert "held by its faces" in lay_words(second)


def test_edge_plans_answer_as_before_and_others_say_how_the_key_lies() -> None:
    assert not {"lays", "fins"} & set(write_plan(planned("chandler-ten")))
    answer = write_plan(planned("capstan-five"))
    assert [(lay["up"], lay["clampings"]) for lay in answer["lays"]] == [("front", [1]), ("back", [2]), ("front", [3])]
    assert answer["fins"] == []
    bit = {"format": "wry-falcon.plan/1", "family": "sluice-four", "bitting": {"A": list("2413")}}
    assert answer_plan(bit)["lays"] == []


def finned(metal: str, first: float, step: float) -> dict[str, Any]:
    document: dict[str, Any] = families.shipped("slipway-nine")
    track = {**document["tracks"][0], "depths": [{"label": str(n), "value": first + step * n} for n in range(3)]}
    track = {name: part for name, part in track.items() if name not in ("turning", "tumbler")}
    track["mill"] = {**track["mill"], "metal": metal}
    return {**document, "tracks": [track]}


@pytest.mark.parametrize(("metal", "first", "step"), [("below", 6.25, -0.2), ("above", 1.7, 0.2), ("below", 4.0, -0.3)])
def test_a_fin_is_what_the_mill_leaves_beside_the_edge_of_the_blade(metal: str, first: float, step: float) -> None:
    family = read_family(finned(metal, first, step))
    plan = plan_cuts(family, {"A": list("012101210")})
    way = LineString(plan.shape.views[0].curves[2].points)
    assert plan.shape.views[0].curves[2].name == "A path"
    left = box(0, 0, 26.5, 8.0).difference(way.buffer(0.75, quad_segs=256))
    least = 8.0 if metal == "below" else 0.0
    at = np.linspace(0.0, 26.5, 400)
    beside = []
    for x in at:
        pieces = left.intersection(LineString([(x, -1), (x, 9)]))
        parts = [part.bounds for part in getattr(pieces, "geoms", [pieces])]
        beside += [top - low for _, low, _, top in parts if abs((top if least else low) - least) < 1e-6]
    thin = min(beside)
    if thin >= 0.5:
        assert plan.fins == ()
        return
    (fin,) = plan.fins
    assert (fin.face, fin.edge) == ("front", "other edge" if metal == "below" else "reference edge")
    assert fin.least == pytest.approx(thin, abs=2e-3)
    assert not any(problem.code == "groove" for problem in plan.problems)


def test_a_section_shows_every_track_in_force_there_as_it_is_seen_from_the_tip() -> None:
    """Against shapely's difference of the blade and what is milled; its front is on the left, the back alike."""
    plan = planned("lamphouse-six")
    family, blank = plan.family, plan.blank
    sides = {each.track.name: each.side for each in plan.tracks if isinstance(each, MilledPlan)}
    for x in (4.0, 5.3, 10.5):
        left = box(0, 0, blank.thickness, blank.height)
        for name, side in sides.items():
            low, high = (float(end[0]) for end in side.gone(np.array([x]), blank.length))
            if family.track(name).face == "top":
                left = left.difference(box(low, blank.height - 0.6, high, blank.height + 1))
                continue
            left = left.difference(box(-1, low, 0.8, high))
            left = left.difference(box(blank.thickness - 0.8, blank.height - high, 9, blank.height - low))
        found = Polygon(section_at(family, blank, sides, x))
        assert found.symmetric_difference(left).area == pytest.approx(0, abs=1e-6)
