"""Side-milled, dimple and lever keys: against shapely's buffers, dense sampling, and trigonometry worked by hand."""

from __future__ import annotations

import json
from math import radians, sqrt, tan
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.stats import norm
from shapely import LineString, Polygon

from core.test_worked_examples import LENGTH, agrees, answer_and_wanted, cases
from keycore.cutting.plan import plan_cuts
from keycore.documents.family import read_family
from keycore.documents.plan import answer_plan
from keycore.errors import InputError
from keycore.geometry.disc import Rolled, roll
from keycore.kinds.dimple.cutting import changes, holes_of, metal_under
from keycore.kinds.side_milled.cutting import Milled
from keycore.tools import Drill

FINER = 512  # quarter-circle pieces of shapely's discs


def milled(**changes: Any) -> dict[str, Any]:
    """Two walls on the front, the metal between them: steps along both edges of a blade, millimetres."""
    mill = {"diameter": 2.5, "depth": 0.9, "land": 1.2, "ramp": 45}
    depths = [("1", 1.6), ("2", 2.0), ("3", 2.4)]
    upper = [("1", 7.0), ("2", 6.6), ("3", 6.2)]
    spaces = [4.0, 6.4, 8.8, 11.2]
    tracks = [
        {"name": name, "spaces": spaces, "depths": [{"label": a, "value": v} for a, v in of],
         "mill": {**mill, "metal": metal}, "tumbler": {"shape": "flat", "size": 0.3}}
        for name, of, metal in (("A", depths, "above"), ("B", upper, "below"))
    ]  # fmt: skip
    return {
        "format": "wry-falcon.family/1", "id": "steps", "name": "Steps", "kind": "side-milled", "unit": "mm",
        "gauge": "shoulder", "numbered_from": "bow",
        "blank": {"code": "S", "height": 8.6, "thickness": 2.6, "length": 16.0}, "tracks": tracks,
        "tolerance": {"value": 0.05, "space": 0.08}, **changes,
    }  # fmt: skip


def planned(family: dict[str, Any], bitting: dict[str, list[str]], **more: Any) -> dict[str, Any]:
    return answer_plan({"format": "wry-falcon.plan/1", "family": family, "bitting": bitting, **more})


def told(answer: dict[str, Any]) -> list[tuple[str, str, tuple[int, ...]]]:
    return [(each["code"], each["track"], tuple(each["spaces"])) for each in answer["problems"]]


CLOSE_MM = {"land_left": 0.012, "stands": 0.003, "seat_left": 2e-4, "under": 2e-4}
NAMED = {"macs", "steep", "no-land", "no-seat", "thin", "inside", "wall", "width", "bolt"}
FACES = [p for kind in ("side-milled", "dimple", "lever") for p in cases("plan") if p.stem.startswith(f"plan-{kind}")]


@pytest.mark.parametrize("path", FACES, ids=lambda path: path.stem)
def test_a_worked_plan_agrees(path: Path) -> None:
    answer, wanted = answer_and_wanted("plan", path)
    per_mm = 1.0 if json.loads(path.read_text())["request"]["family"]["unit"] == "mm" else 1 / 25.4
    for track, expected in zip(answer["tracks"], wanted["tracks"], strict=True):
        for cut, other in zip(track["cuts"], expected["cuts"], strict=True):
            for name, close in CLOSE_MM.items():
                if name in other:
                    assert cut[name] == pytest.approx(other.pop(name), abs=close * per_mm), name
    agrees(answer["tracks"], wanted["tracks"], tolerance=LENGTH)
    assert [each for each in told(answer) if each[0] in NAMED] == told(wanted)


lines = st.lists(st.tuples(st.floats(0.3, 2.0), st.floats(0.0, 2.0)), min_size=2, max_size=9)


@settings(max_examples=60)
@given(lines, st.floats(0.25, 1.6))
def test_a_rolled_disc_leaves_what_shapely_s_buffers_do(points: list[tuple[float, float]], radius: float) -> None:
    """A closing is a buffer outwards and one back in; the centre runs along the first."""
    x, w = np.cumsum([step for step, _ in points]), np.array([height for _, height in points])
    rolled, far = roll(x, w, radius), 8.0
    under = Polygon(
        [(x[0] - far, -9), (x[0] - far, w[0]), *zip(x, w, strict=True), (x[-1] + far, w[-1]), (x[-1] + far, -9)]
    )
    grown = under.buffer(radius, quad_segs=FINER)
    closed = grown.buffer(-radius, quad_segs=FINER)
    at = np.linspace(x[0] - 0.5, x[-1] + 0.5, 61)
    for place, centre, left in zip(at, rolled.centre(at), rolled.left(at), strict=True):
        upright = LineString([(place, -5), (place, 9)])
        assert centre == pytest.approx(grown.intersection(upright).bounds[3], abs=2e-4)
        assert left == pytest.approx(closed.intersection(upright).bounds[3], abs=5e-4)


def test_a_mill_s_corner_by_hand() -> None:
    """Between two slopes of 45 degrees a disc of radius r stands r (sqrt 2 - 1) off their corner, r / sqrt 2 wide."""
    rolled = roll(np.array([-2.0, 0.0, 2.0]), np.array([2.0, 0.0, 2.0]), 0.8)
    ((start, end, across, up),) = rolled.arcs
    assert (start, end) == pytest.approx((-0.8 / sqrt(2), 0.8 / sqrt(2)))
    assert (across, up) == pytest.approx((0.0, 0.8 * sqrt(2)), abs=1e-9)
    assert rolled.left(np.array([0.0]))[0] == pytest.approx(0.8 * (sqrt(2) - 1))


def test_the_mill_keeps_off_a_land_by_the_tangent_of_half_the_ramp() -> None:
    """Beside a ramp of 45 degrees a mill of 2.5 takes 1.25 tan 22.5 = 0.518 of a land of 1.2."""
    answer = planned(milled(), {"A": ["1", "1", "3", "3"], "B": ["1", "1", "1", "1"]})
    lands = [cut["land_left"] for cut in answer["tracks"][0]["cuts"]]
    # the ramp from 1.6 to 2.4 runs 0.8 up over the 1.2 between the lands: atan(0.8 / 1.2) is 33.69 degrees
    gone = 1.25 * tan(np.arctan(0.8 / 1.2) / 2)
    assert lands[:1] + lands[3:] == pytest.approx([1.2, 1.2])
    near = sqrt(2 * 1.25 * 1e-6)  # within 1e-6 of the land
    assert lands[1] == pytest.approx(1.2, abs=1e-6)  # metal above: the outer corner here
    assert lands[2] == pytest.approx(1.2 - gone + near, abs=2e-4)


def test_both_metals_are_each_other_s_mirror() -> None:
    bitting = ["2", "3", "1", "2"]
    answer = planned(milled(), {"A": bitting, "B": bitting})
    lower, upper = (track["cuts"] for track in answer["tracks"])
    for a, b in zip(lower, upper, strict=True):
        assert a["mill_centre"] + b["mill_centre"] == pytest.approx(8.6)
        assert a["land_left"] == pytest.approx(b["land_left"])
        assert a["stands"] == pytest.approx(-b["stands"])


def test_a_wall_steeper_than_its_ramp_and_a_land_that_is_gone_are_named() -> None:
    family = milled()
    family["tracks"][0]["mill"]["ramp"] = 20
    family["tracks"][0]["depths"][2]["value"] = 3.6
    answer = planned(family, {"A": ["1", "3", "1", "1"], "B": ["1", "1", "1", "1"]})
    assert ("steep", "A", (1, 2)) in told(answer)
    assert ("no-land", "A", (2,)) in told(answer)
    assert answer["tracks"][0]["macs_geometric"] == 0  # 0.4 fits into 1.2 tan 20 = 0.437, the next step of 1.6 does not


def test_two_walls_on_a_face_leave_a_rib_or_room_for_the_mill() -> None:
    straight = {"A": ["3"] * 4, "B": ["3"] * 4}
    assert told(planned(milled(), straight)) == []  # 6.2 - 2.4
    assert ("groove", "B", ()) in told(planned(milled(least_rib=3.9), straight))
    inside = milled()
    for track, metal in zip(inside["tracks"], ("below", "above"), strict=True):
        track["mill"]["metal"] = metal
        track["depths"] = [{"label": d["label"], "value": 8.6 - d["value"] - 3.0} for d in track["depths"]]
    inside["tracks"][0]["depths"] = [{"label": a, "value": v} for a, v in (("1", 3.4), ("2", 3.2), ("3", 3.0))]
    inside["tracks"][1]["depths"] = [{"label": a, "value": v} for a, v in (("1", 5.6), ("2", 5.8), ("3", 6.0))]
    assert ("groove", "B", ()) in told(planned(inside, {"A": ["1"] * 4, "B": ["1"] * 4}))  # 2.2 wide, a mill of 2.5
    assert told(planned(inside, {"A": ["3"] * 4, "B": ["3"] * 4})) == []  # 3.0 wide


def test_side_tracks_come_after_the_faces_and_alike_faces_are_milled_twice() -> None:
    family = milled()
    family["tracks"].insert(0, {**family["tracks"][0], "name": "S", "face": "top"})
    family["tracks"][0]["depths"] = [{"label": "1", "value": 0.5}, {"label": "2", "value": 0.9}]
    answer = planned(family, {"S": ["1"] * 4, "A": ["1"] * 4, "B": ["1"] * 4})
    assert [(c["face"], c["tracks"], c["turn"]) for c in answer["clampings"]] == [
        ("front", ["A", "B"], None), ("back", ["A", "B"], "long-axis"), ("top", ["S"], 90.0),
    ]  # fmt: skip
    one_way = planned({**family, "entry": "one"}, {"S": ["1"] * 4, "A": ["1"] * 4})
    assert [c["face"] for c in one_way["clampings"]] == ["front", "top"]


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"land": 3.0}, r"tracks\[0\].mill.land: 3 is longer than the smallest pitch, 2.4"),
        ({"ramp": 90}, "ramp"),
        (
            {"metal": "below"},
            r"tracks\[0\].mill.metal: with metal below the wall the values must fall as cuts go deeper",
        ),
        ({"flutes": 2}, "flutes"),
    ],
)
def test_a_mill_that_cannot_be_is_refused_in_one_line(change: dict[str, Any], says: str) -> None:
    family = milled()
    family["tracks"][0]["mill"] |= change
    with pytest.raises(InputError, match=says):
        read_family(family)


def test_another_mill_is_a_problem_and_planned_with() -> None:
    answer = planned(milled(), {"A": ["1", "2", "1", "1"]}, mill={"diameter": 1.5})
    assert ("mill", "A", ()) in told(answer)
    assert answer["tracks"][0]["cuts"][0]["mill_centre"] == pytest.approx(1.6 - 0.75)
    assert answer["tracks"][0]["macs_geometric"] == 2


def test_what_a_worn_mill_leaves_moves_both_walls_apart() -> None:
    """A mill smaller by 0.1 run along the same way leaves both walls 0.05 further from its middle: more metal."""
    lower, upper = (
        Milled(roll(np.array([0.0, 9.0]), np.array([v, v]), 1.25), b) for v, b in ((-2.0, False), (6.0, True))
    )
    at = np.array([4.0])
    way = [float(side.centre(at)[0]) for side in (lower, upper)]
    assert [way[0] + 1.20, way[1] - 1.20] == pytest.approx([2.0 - 0.05, 6.0 + 0.05])


def test_a_wall_measured_over_a_pin_by_hand() -> None:
    """A pin of 2 on a wall at 6.2, metal below: 8.2 from the edge; at 1.6, metal above: 8.6 - 1.6 + 2."""
    family = read_family(milled())
    pin, probe = family.kind.aids
    lower, upper = family.tracks
    assert pin.value(family, upper, 8.2, 2.0) == pytest.approx(6.2)
    assert pin.value(family, lower, 9.0, 2.0) == pytest.approx(1.6)
    assert probe.value(family, upper, 7.2, 2.0) == pytest.approx(6.2)  # its middle is a radius above the wall
    assert probe.value(family, lower, 0.6, 2.0) == pytest.approx(1.6)
    for aid in (pin, probe):
        for track in (lower, upper):
            assert aid.reading(family, track, aid.value(family, track, 5.0, 1.3), 1.3) == pytest.approx(5.0)


@pytest.mark.parametrize("tip", [0.0, 0.3, 1.2])
@pytest.mark.parametrize("angle", [60.0, 90.0, 118.0])
def test_a_ball_rests_on_its_cone_as_far_up_as_sampling_says(tip: float, angle: float) -> None:
    """The lowest that a ball of 1.5 can stand with no point of it below a cone sampled every 0.0005 mm."""
    document = dimpled()
    document["tracks"][0]["drill"] = {"tip": tip, "angle": angle}
    family = read_family(document)
    ball, *_ = family.kind.aids
    x = np.arange(0, 0.75, 0.0005)
    floor = np.maximum(0.0, x - tip / 2) / tan(radians(angle) / 2)
    stands = float((floor - (0.75 - np.sqrt(0.75**2 - x**2))).max())
    assert 2.5 - ball.value(family, family.tracks[0], 2.5, 1.5) == pytest.approx(max(0.0, stands), abs=1e-3)


def dimpled(**changes: Any) -> dict[str, Any]:
    """An outer row on each face and an inner one in the front's, millimetres."""
    spaces = [4.0, 7.6, 11.2]
    drill = {"tip": 1.2, "angle": 90}
    outer = [{"label": a, "value": v} for a, v in (("1", 2.8), ("2", 2.5), ("3", 2.2))]
    inner = [{"label": a, "value": v} for a, v in (("a", 2.2), ("b", 2.0), ("c", 1.8))]
    tracks = [
        {"name": "A", "row": 3.0, "spaces": spaces, "depths": outer, "drill": drill, "macs": 2},
        {
            "name": "B",
            "face": "back",
            "row": 5.0,
            "spaces": spaces,
            "depths": outer,
            "drill": {"tip": 1.2, "angle": 90},
        },
        {"name": "C", "row": 3.0, "spaces": spaces, "depths": inner, "drill": {"tip": 0.3, "angle": 60}, "inside": "A"},
    ]
    return {
        "format": "wry-falcon.family/1", "id": "holes", "name": "Holes", "kind": "dimple", "unit": "mm",
        "gauge": "shoulder", "numbered_from": "bow",
        "blank": {"code": "D", "height": 8.6, "thickness": 3.0, "length": 16.0}, "tracks": tracks,
        "tolerance": {"value": 0.05, "space": 0.08}, **changes,
    }  # fmt: skip


def test_a_mouth_by_hand() -> None:
    """0.5 deep with a cone of 90 degrees: 1.2 + 2 x 0.5 x tan 45 = 2.2; 0.8 with 60: 0.3 + 1.6 tan 30 = 1.2238."""
    answer = planned(dimpled(), {"A": ["2", "2", "2"], "C": ["a", "a", "a"]})
    assert answer["tracks"][0]["cuts"][0]["mouth"] == pytest.approx(2.2)
    assert answer["tracks"][1]["cuts"][0]["mouth"] == pytest.approx(0.3 + 1.6 * tan(radians(30)))


@settings(max_examples=40)
@given(
    st.lists(st.sampled_from("123"), min_size=3, max_size=3), st.lists(st.sampled_from("123"), min_size=3, max_size=3),
    st.floats(2.0, 6.5), st.floats(-1.5, 1.5), st.floats(30, 120),
)  # fmt: skip
def test_the_metal_under_a_hole_against_dense_sampling(
    front: list[str], back: list[str], row: float, shift: float, angle: float
) -> None:
    """Every place within the mouth on a grid of 0.01 mm, both depths added."""
    document = dimpled()
    document["tracks"][1] |= {"row": row, "spaces": [x + shift for x in document["tracks"][1]["spaces"]]}
    document["tracks"][1]["drill"] = {"tip": 0.7, "angle": angle}
    family = read_family(document)
    assert family.blank is not None
    own, other = (
        holes_of(family, family.blank, track, [track.values[track.step(label)] for label in labels])
        for track, labels in ((family.tracks[0], front), (family.tracks[1], back))
    )
    grid = np.arange(-2.5, 2.5, 0.01)
    for hole in own:
        x, y = np.meshgrid(grid + hole.x, grid + hole.y)
        within = np.hypot(x - hole.x, y - hole.y) <= hole.mouth / 2
        here = np.clip(hole.deep - np.clip(np.hypot(x - hole.x, y - hole.y) - 0.6, 0, None), 0, None)
        there = np.zeros_like(here)
        for each in other:
            cone = np.clip(np.hypot(x - each.x, y - each.y) - 0.35, 0, None) / tan(radians(angle) / 2)
            there = np.maximum(there, np.clip(each.deep - cone, 0, None))
        sampled = 3.0 - float((here + there)[within].max())
        assert metal_under(family.blank, hole, other) == pytest.approx(sampled, abs=0.02 / tan(radians(15)))
        assert metal_under(family.blank, hole, other) <= sampled + 1e-9


def test_what_is_wrong_with_holes_is_named() -> None:
    family = dimpled(least_under=1.1)
    family["tracks"][1]["row"] = 3.0
    answer = planned(family, {"A": ["3", "3", "3"], "B": ["3", "3", "3"], "C": ["a", "c", "a"]})
    found = told(answer)
    assert ("inside", "C", (1,)) not in found  # just as deep as its outer one
    assert ("thin", "C", (2,)) in found  # 1.8 under it, less the 0.8 of the hole across, is 1.0; of C2 the floor 1.8
    wide = dimpled()
    wide["tracks"][2]["drill"] = {"tip": 0.9, "angle": 90}
    assert ("inside", "C", (1,)) in told(planned(wide, {"A": ["1", "1", "1"], "C": ["b", "b", "b"]}))
    edge = dimpled()
    edge["tracks"][0]["row"] = 0.9
    assert ("face", "A", (2,)) in told(planned(edge, {"A": ["1", "2", "1"]}))
    assert ("drill", "A", ()) in told(planned(dimpled(), {"A": ["1", "1", "1"]}, drill={"tip": 1.0, "angle": 90}))


def test_both_schools_of_order_and_what_each_asks_of_the_hand() -> None:
    bitting = {"A": ["1"] * 3, "B": ["1"] * 3, "C": ["a"] * 3}
    by_drill, by_face = planned(dimpled(), bitting), planned(dimpled(), bitting, style="by-face")
    assert [(c["face"], c["tracks"]) for c in by_drill["clampings"]] == [
        ("front", ["A"]),
        ("back", ["B"]),
        ("front", ["C"]),
    ]
    assert [(c["face"], c["tracks"]) for c in by_face["clampings"]] == [
        ("front", ["A"]),
        ("front", ["C"]),
        ("back", ["B"]),
    ]
    assert by_drill["handling"] == {
        "drill_changes": 1, "turns": 2, "other": {"style": "by-face", "drill_changes": 2, "turns": 1},
    }  # fmt: skip
    assert by_face["handling"]["other"] == {"style": "by-drill", "drill_changes": 1, "turns": 2}
    both = dimpled()
    both["tracks"].append({**both["tracks"][2], "name": "D", "face": "back", "inside": "B", "row": 5.0})
    assert changes(read_family(both), ["A", "B", "C", "D"], "by-drill").turns == 2  # the second drill stays on the back


@pytest.mark.parametrize(
    ("track", "change", "says"),
    [
        (2, {"inside": "Z"}, r"tracks\[2\].inside: there is no other track 'Z'"),
        (2, {"face": "back"}, r"tracks\[2\].inside: track A is on the front face, this one on the back"),
        (0, {"inside": "C"}, r"tracks\[0\].inside: track C is an inner one itself"),
        (0, {"mill": {}}, "mill"),
    ],
)
def test_rows_that_cannot_be_are_refused(track: int, change: dict[str, Any], says: str) -> None:
    document = dimpled()
    document["tracks"][track] |= change
    with pytest.raises(InputError, match=says):
        read_family(document)


def flagged(**changes: Any) -> dict[str, Any]:
    """Four levers and the bolt's step, millimetres."""
    bit = {
        "height": 9.0, "length": 9.0, "thickness": 2.5, "stem": 3.0, "bore": None,
        "bolt": {"from": 7.2, "to": 9.0, "value": 9.0},
    }  # fmt: skip
    depths = [{"label": str(n), "value": 9.0 - n / 2} for n in range(1, 5)]
    track = {
        "name": "A", "spaces": [1.2, 2.8, 4.4, 6.0], "depths": depths, "levers": [{"thickness": 1.0}] * 4,
        "clearance": 0.1,
    }  # fmt: skip
    return {
        "format": "wry-falcon.family/1", "id": "flag", "name": "Flag", "kind": "lever", "unit": "mm",
        "gauge": "shoulder", "numbered_from": "bow", "tracks": [track], "bit": bit,
        "blank": {"code": "F", "height": 9.0, "thickness": 2.5, "length": 9.0},
        "tolerance": {"value": 0.05, "space": 0.08}, **changes,
    }  # fmt: skip


def test_the_walls_of_a_bit_by_hand() -> None:
    """Faces at 1.7 | 2.3, 3.3 | 3.9, 4.9 | 5.5: the walls in the middle of the gaps, at 2.0, 3.6 and 5.2."""
    cuts = planned(flagged(), {"A": ["1", "3", "3", "2"]})["tracks"][0]["cuts"]
    assert [(cut["from_edge"], cut["to_edge"]) for cut in cuts] == [
        pytest.approx(pair) for pair in ((0.0, 2.0), (2.0, 3.6), (3.6, 5.2), (5.2, 7.2))
    ]
    # cut 2 is deeper than 1: no nearer than 0.1 to its lever's face at 2.3, no further than the middle of lever 1
    assert cuts[0]["wall_window"] == pytest.approx([1.2, 2.2])
    assert cuts[1]["wall_window"] is None
    assert cuts[2]["wall_window"] == pytest.approx([5.0, 6.0])  # past 4.9 by 0.1, up to the middle of lever 4
    assert cuts[1]["stages"] == pytest.approx([8.0, 7.7, 7.5])
    assert cuts[0]["stages"] == pytest.approx([8.7, 8.5])  # 9.0 is the bit's own


def test_a_spacer_that_is_not_there_leaves_no_place_for_a_wall() -> None:
    family = flagged()
    family["tracks"][0]["levers"] = [{"thickness": 1.7}] * 4
    family["tracks"][0]["clearance"] = 0.8
    answer = planned(family, {"A": ["1", "4", "1", "1"]})
    assert ("width", "A", (1, 2)) in told(answer)
    assert answer["tracks"][0]["cuts"][0]["to_edge"] == pytest.approx(2.0)  # the middle of the gap all the same


def test_the_bolt_s_step_and_the_bit_s_height_are_kept() -> None:
    family = flagged()
    family["bit"]["bolt"]["from"] = 6.5
    assert ("bolt", "A", (4,)) in told(planned(family, {"A": ["1", "1", "1", "1"]}))  # 6.5 + 0.1 is past it
    family = flagged()
    family["bit"] |= {"height": 8.2, "stem": 7.2}
    assert ("bit", "A", (1, 4)) in told(planned(family, {"A": ["1", "2", "3", "4"]}))


def test_too_narrow_a_cut_lifts_its_lever() -> None:
    """A step so far along that the land beside it comes under the lever stands it as high as the land."""
    family = read_family(flagged())
    track, cutting = family.tracks[0], family.kind.cutting
    assert cutting is not None
    values = [8.5, 7.5, 8.5, 8.5]
    assert cutting.tumbler_heights(family, track, values) == (8.5, 7.5, 8.5, 8.5)
    assert cutting.tumbler_heights(family, track, values, along=0.4) == (8.5, 8.5, 8.5, 8.5)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"tracks": [{**flagged()["tracks"][0], "levers": [{"thickness": 1.0}]}]}, "1 levers for 4 spaces"),
        ({"bit": {**flagged()["bit"], "stem": 9.5}}, "bit.stem: 9.5, a radius, leaves nothing of a bit 9 high"),
        ({"bit": {**flagged()["bit"], "bolt": {"from": 5, "to": 4, "value": 9}}}, "must run from less to more"),
        ({"bit": {**flagged()["bit"], "bolt": {"start": 4, "end": 5, "value": 9}}}, "bit.bolt"),
    ],
)
def test_a_bit_that_cannot_be_is_refused(change: dict[str, Any], says: str) -> None:
    with pytest.raises(InputError, match=says):
        read_family(flagged(**change))


@pytest.mark.parametrize("document", [milled(), dimpled(), flagged()], ids=lambda each: each["kind"])
def test_the_shapes_of_faces_lie_on_their_blank(document: dict[str, Any]) -> None:
    family = read_family(document)
    bitting = {track.name: [track.labels[0]] * len(track.spaces) for track in family.tracks}
    plan = plan_cuts(family, bitting)
    assert {view.name for view in plan.shape.views} >= (
        {"bit"} if document["kind"] == "lever" else {"front", "sections"}
    )
    for view in plan.shape.views:
        wide, high = view.blank.max(axis=0)
        for curve in view.curves:
            if curve.name.endswith("path"):
                continue  # the mill's middle may well run beside the blade
            assert np.isfinite(curve.points).all()
            assert curve.points[:, 0].min() >= -0.7
            assert curve.points[:, 0].max() <= wide + 1e-9
            assert curve.points[:, 1].min() >= -1e-9
            assert curve.points[:, 1].max() <= high + 1e-9
    assert isinstance(roll(np.array([0.0, 1.0]), np.array([0.0, 0.0]), 1.0), Rolled)


def test_a_witness_mark_is_of_the_part_that_lies_over_it() -> None:
    """Levers over 0.7-1.7, 2.3-3.3, 3.9-4.9 and 5.5-6.5; against scipy's normal."""
    family = read_family(flagged())
    cutting = family.kind.cutting
    assert cutting is not None
    assert cutting.filing is not None
    found = cutting.filing.mark_of(family, family.tracks[0], 2.2, 0.15)
    whole = norm.cdf(7.2, 2.2, 0.15) - norm.cdf(0.0, 2.2, 0.15)
    lever = (norm.cdf(3.3, 2.2, 0.15) - norm.cdf(2.3, 2.2, 0.15)) / whole
    assert [(each.part.space, each.part.is_spacer) for each in found] == [(1, True), (2, False)]
    assert found[1].share == pytest.approx(lever)
    assert sum(each.share for each in found) == pytest.approx(1.0, abs=0.005)
    assert cutting.filing.mark_of(family, family.tracks[0], 1.2, 0.01)[0].share == pytest.approx(1.0)
    assert cutting.filing.mark_of(family, family.tracks[0], 90.0, 0.1) == ()


def test_the_land_under_a_spacer_is_the_higher_of_its_steps() -> None:
    """Spacers over 1.7-2.3, 3.3-3.9 and 4.9-5.5, walls in their middles: half of each is under the higher step."""
    family = read_family(flagged())
    cutting = family.kind.cutting
    assert cutting is not None
    assert cutting.filing is not None
    found = cutting.filing.spacers(family, family.tracks[0], [8.5, 7.5, 7.5, 8.0])
    assert [(each.part.space, each.height, each.reach) for each in found] == [
        (1, 8.5, pytest.approx(0.3)), (2, 7.5, pytest.approx(0.6)), (3, 8.0, pytest.approx(0.3)),
    ]  # fmt: skip


def test_a_pin_rides_up_the_cone_past_its_seat() -> None:
    """A cone of 90 rises as fast as it widens: 0.2 off is 0.2 up; a pin that rests on 0.3 of a seat of 0.5 has 0.2."""
    family = read_family(dimpled())
    track, cutting = family.tracks[0], family.kind.cutting
    assert cutting is not None
    assert cutting.rides is not None
    assert isinstance(track.tool, Drill)
    assert track.tool.angle == 90
    free = max(0.0, track.tool.tip / 2 - (track.tumbler.size if track.tumbler else track.tool.tip / 2))
    assert cutting.rides(track, free + 0.2) == pytest.approx(0.2)
    assert cutting.rides(track, -free - 0.2) == pytest.approx(0.2)
    assert cutting.rides(track, free) == 0


def test_the_section_of_a_row_is_closed_and_its_thinnest_place_is_where_the_metal_is_least() -> None:
    """Every millimetre of metal that the outline encloses, by shapely, is the blade's less the holes' own sections."""
    family = read_family(dimpled())
    assert family.blank is not None
    bitting = {track.name: [track.labels[-1]] * len(track.spaces) for track in family.tracks}
    plan = plan_cuts(family, bitting)
    curves = {curve.name: curve.points for curve in plan.shape.view("sections").curves}
    values = {planned.track.name: [cut.value for cut in planned.cuts] for planned in plan.tracks}
    holes = [h for t in family.tracks for h in holes_of(family, family.blank, t, values[t.name])]
    row = min({hole.y for hole in holes}, key=lambda y: [hole.y for hole in holes].index(y))
    whole = Polygon(curves["row 1"])
    xs = np.linspace(0, family.blank.length, 4001)
    gone = [
        sum(max((h.depth_at(np.hypot(x - h.x, row - h.y)) for h in holes if h.face == face), default=0.0)
            for face in ("front", "back"))
        for x in xs
    ]  # fmt: skip
    assert whole.area == pytest.approx(float(np.trapezoid(family.blank.thickness - np.array(gone), xs)), rel=1e-3)
    thin = curves["row 1 thinnest"]
    assert abs(thin[1, 1] - thin[0, 1]) == pytest.approx(family.blank.thickness - max(gone), abs=2e-3)
