"""Tubular and disc keys: their sums by hand, by dense sampling and shapely; what their documents may say."""

from __future__ import annotations

from math import atan2, degrees, pi, radians, sin
from typing import Any

import numpy as np
import pytest
from shapely.geometry import Polygon

from keycore import families
from keycore.codes.candidates import candidates_of
from keycore.cutting.commands import moves_of
from keycore.cutting.dials import DialAct, dial_steps
from keycore.cutting.plan import cutting_of, plan_cuts
from keycore.documents import VERBS
from keycore.documents.family import assumed_of, read_family
from keycore.errors import InputError
from keycore.family import Place
from keycore.kinds.rotary import per_inch
from keycore.kinds.tubular import Tube
from keycore.kinds.tubular.cutting import floors_left, webs
from keycore.reading.filling import locks_worked
from specimens import of_the_trade

SLOTS, TURNS = ["3", "5", "2", "6", "1", "7", "4"], ["1", "3", "2", "6", "4", "5", "1", "2", "6"]


def bollard(**changes: Any) -> dict[str, Any]:
    return {**of_the_trade("common-tubular"), **changes}


def lantern(**changes: Any) -> dict[str, Any]:
    return {**of_the_trade("common-discs"), **changes}


class TestTubular:
    def test_web_by_hand(self) -> None:
        """R = (0.375 + 0.311) / 4 = 0.1715; 45 degrees are pi/4 = 0.785398, an arc of 0.134696; less 0.128: 0.006696.

        From 315 round to 45 are 90 degrees, 0.269392 of arc: a web of 0.141392.
        """
        plan = plan_cuts(read_family(bollard()), {"A": SLOTS})
        found = [cut.own["web"] for cut in plan.tracks[0].cuts]
        assert found[:6] == pytest.approx([0.006696] * 6, abs=1e-6)
        assert found[6] == pytest.approx(0.141392, abs=1e-6)

    @pytest.mark.parametrize("seed", range(6))
    def test_floors_by_dense_sampling_of_the_ring(self, seed: int) -> None:
        """Every place of the middle circle is as deep as the deepest slot over it: the floors are what is left."""
        rng = np.random.default_rng(seed)
        radius, width = 4.375, float(rng.uniform(2.0, 6.5))
        angles = np.sort(rng.choice(np.arange(5, 360, 10), 7, replace=False)).astype(float)
        values = rng.integers(1, 9, 7) * 0.45
        arc = (np.arange(400_000) + 0.5) / 400_000 * 2 * pi * radius
        away = (arc[None, :] - radius * np.radians(angles)[:, None] + pi * radius) % (2 * pi * radius) - pi * radius
        over = np.abs(away) <= width / 2
        deepest = np.where(over, values[:, None], -1.0).max(axis=0)
        left = [float((over[k] & (deepest <= values[k])).mean() * 2 * pi * radius) for k in range(7)]
        assert floors_left(angles, values, width, radius) == pytest.approx(left, abs=1e-4)

    def test_all_webs_and_slots_go_once_round(self) -> None:
        angles, width, radius = (10.0, 100.0, 350.0), 3.0, 4.0
        assert sum(webs(angles, width, radius)) + 3 * width == pytest.approx(2 * pi * radius)

    def test_the_wall_unrolled_loses_what_its_slots_take(self) -> None:
        family = read_family(bollard())
        view = plan_cuts(family, {"A": SLOTS}).shape.view("unrolled")
        left = Polygon(view.outline)
        assert left.is_valid
        taken = sum(0.128 * 0.016 * int(label) for label in SLOTS)
        assert view.cut_away == pytest.approx(taken, rel=1e-9)
        assert Polygon(view.blank).area - left.area == pytest.approx(taken, rel=1e-9)

    def test_a_floor_that_is_gone_and_a_slot_through_the_tube_are_named(self) -> None:
        wide = bollard()
        wide["tracks"][0]["slot"] = {"width": 0.3}
        plan = plan_cuts(read_family(wide), {"A": ["8", "1", "8", "1", "8", "1", "8"]})
        assert [(p.code, p.spaces) for p in plan.problems] == [("no-floor", (n,)) for n in (2, 4, 6)]
        short = bollard(blank={**bollard()["blank"], "length": 0.1})
        plan = plan_cuts(read_family(short), {"A": ["1", "7", "1", "8", "1", "1", "1"]})
        assert [(p.code, p.spaces) for p in plan.problems] == [("wall", (2, 4))]

    @pytest.mark.parametrize(
        ("changes", "says"),
        [
            ({"gauge": "tip", "numbered_from": "tip"}, "gauge: must be shoulder"),
            ({"tube": {"outer": 0.3, "inner": 0.311}}, "tube.inner: must be less than tube.outer"),
            ({"tube": {"outer": 0.375}}, "tube.inner: is missing"),
            ({"drill": 1}, "drill: is not a field of this document"),
        ],
    )
    def test_what_is_wrong_with_a_document_is_one_line(self, changes: dict[str, Any], says: str) -> None:
        with pytest.raises(InputError, match=says):
            read_family(bollard(**changes))

    def test_spaces_beyond_a_turn_and_slots_wider_than_the_bore_are_refused(self) -> None:
        for field, value, says in (
            ("spaces", [45, 90, 135, 180, 225, 270, 360], "must lie from 0 to less than 360"),
            ("slot", {"width": 0.32}, r"tracks\[0\].slot.width: must be less than tube.inner"),
        ):
            document = bollard()
            document["tracks"][0][field] = value
            with pytest.raises(InputError, match=says):
                read_family(document)

    def test_its_end_shows_each_slot_at_its_angle_clockwise_from_the_nib_across_the_whole_wall(self) -> None:
        family = read_family(bollard())
        tube, (track,) = family.own, family.tracks
        assert isinstance(tube, Tube)
        end = plan_cuts(family, {"A": SLOTS}).shape.view("end")
        sides = {curve.name: curve.points[:4] - tube.outer / 2 for curve in end.curves[2:]}
        assert list(sides) == [f"A {space}" for space in range(1, 8)]
        for space, angle in enumerate(track.spaces, start=1):
            corners = sides[f"A {space}"]
            assert sorted(np.hypot(*corners.T)) == pytest.approx([tube.inner / 2] * 2 + [tube.outer / 2] * 2)
            x, y = corners.mean(axis=0)
            assert degrees(atan2(x, y)) % 360 == pytest.approx(angle)
            assert np.hypot(*(corners[1] - corners[2])) == pytest.approx(track.tool.width)  # type: ignore[union-attr]

    def test_a_plan_of_one_path_and_one_tool_takes_no_other(self) -> None:
        request = {"format": "wry-falcon.plan/1", "family": bollard(), "bitting": {"A": SLOTS}}
        assert VERBS["plan"](request)["clampings"][0]["tool"] == "slotter"
        for odd in ({"style": "plunged"}, {"cutter": {"flat": 0.1, "angle": 90}}):
            with pytest.raises(InputError):
                VERBS["plan"]({**request, **odd})

    def test_read_at_the_locks_face_a_source_is_turned_round_or_refused(self) -> None:
        stated = {"kind": "label", "from": "tip", "trust": 0.95, "labels": SLOTS[::-1]}
        request = {"format": "wry-falcon.reading/1", "family": bollard(), "track": "A", "evidence": [stated]}
        assert VERBS["decode"](request)["bittings"][0]["labels"] == SLOTS
        uneven = bollard()
        uneven["tracks"][0]["spaces"][-1] = 300
        with pytest.raises(InputError, match="do not lie alike on both sides of the nib"):
            VERBS["decode"]({**request, "family": uneven})


class TestDiscs:
    def test_an_angle_at_the_blades_surface_by_hand(self) -> None:
        """At a radius of 2.2 mm an inch of arc, 25.4 mm, is 11.5455 radians or 661.51 degrees.

        A tolerance of 2 degrees is there 2.2 sin 2 = 0.07678 mm.
        """
        family = read_family(lantern())
        assert per_inch(family) == pytest.approx(661.51, abs=0.005)
        assert degrees(25.4 / 2.2) == pytest.approx(661.51, abs=0.005)
        assert family.tolerance is not None
        assert 2.2 * sin(radians(family.tolerance.value)) == pytest.approx(0.07678, abs=5e-6)

    def test_its_ends_show_each_flat_at_its_angle_and_none_that_is_not_cut_yet(self) -> None:
        family = read_family(lantern())
        plan = plan_cuts(family, {"A": TURNS})
        ends = {curve.name: curve.points for curve in plan.shape.view("ends").curves}
        for space, cut in enumerate(plan.tracks[0].cuts, start=1):
            (x0, y0), (x1, y1) = ends[f"A {space} flat"]
            assert degrees(atan2(x1 - x0, y1 - y0)) % 360 == pytest.approx(cut.value % 360)
        uncut = {(1, Place("A", space)) for space in range(2, 10)}
        shape = cutting_of(family).shape(family, {"A": [cut.value for cut in plan.tracks[0].cuts]}, uncut=uncut)
        assert [curve.name for curve in shape.view("ends").curves] == ["A 1 round", "A 1 flat"]

    def test_turns_add_up_to_the_last_angle_and_walls_to_the_row(self) -> None:
        family = read_family(lantern())
        cuts = plan_cuts(family, {"A": TURNS}).tracks[0].cuts
        assert sum(cut.own["turn"] or 0 for cut in cuts) == 18.0 * (int(TURNS[-1]) - 1)
        walls = [cut.own["wall_left"] for cut in cuts]
        assert walls[-1] is None
        whole = family.tracks[0].spaces[-1] - family.tracks[0].spaces[0]
        assert sum(wall or 0 for wall in walls) + 8 * 0.95 == pytest.approx(whole)

    def test_cuts_that_run_together_or_past_an_end_are_named(self) -> None:
        document = lantern()
        document["tracks"][0]["cut_width"] = 1.4
        plan = plan_cuts(read_family(document), {"A": TURNS})
        assert [(p.code, p.spaces) for p in plan.problems] == [("wall", (n,)) for n in range(1, 9)]
        document = lantern(blank={**lantern()["blank"], "length": 13.2})
        assert [(p.code, p.spaces) for p in plan_cuts(read_family(document), {"A": TURNS}).problems] == [("tip", (9,))]

    def test_a_fixed_disc_is_counted_and_never_tried_otherwise(self) -> None:
        family = read_family(lantern())
        assert VERBS["family"](lantern())["bittings"]["A"] == {"all": 6**9, "allowed": 6**8}
        known = [frozenset({0})] * 7 + [frozenset(range(6))] * 2
        assert len(candidates_of(family.tracks[0], [frozenset(range(6)), *known[1:]])) == 36

    @pytest.mark.parametrize(("recut", "blanks"), [(None, 6), (False, 6), (True, 1)])
    def test_never_cut_again_a_progression_takes_a_blank_for_each(self, recut: bool | None, blanks: int) -> None:
        document = lantern() if recut is None else lantern(recut=recut)
        known: list[Any] = [*TURNS[:8], None]
        request = {
            "format": "wry-falcon.progression/1", "family": document, "track": "A", "known": known,
            "obey": ["macs", "rules"],
        }  # fmt: skip
        answer = VERBS["progress"](request)
        assert (answer["candidates"], answer["blanks"]) == (6, blanks)

    def test_what_a_document_leaves_out_is_said(self) -> None:
        bare = lantern()
        del bare["tracks"][0]["blade"], bare["tracks"][0]["cut_width"]
        said = assumed_of(read_family(bare), bare)
        assert any(line.startswith("cut_width of track A: not known") for line in said)
        assert any("never; a second flat does not replace the first" in line for line in said)


def test_positions_of_a_lock_may_be_given_for_each_track() -> None:
    office = families.shipped("harbour-office-six")
    family = read_family({**office, "positions": {"gate": {"A": [1, 2, 3]}, "safe": [1, 2, 3, 4]}})
    assert locks_worked(family, "A", [1, 2, 3]) == {"gate": True, "safe": False}
    assert locks_worked(family, "B", []) == {"gate": True, "safe": False}  # the gate has none of B
    for wrong, says in (({"gate": {"C": [1]}}, "positions.gate.C: there is no such track"),
                        ({"gate": {"B": [7]}}, "there is no space 7, only 1 to 6")):  # fmt: skip
        with pytest.raises(InputError, match=says):
            read_family({**office, "positions": wrong})


class TestDials:
    def test_every_cut_is_gone_to_once_and_left_again(self) -> None:
        for family_id, bitting in ((bollard(), SLOTS), ("chandler-ten", ["1", "2"] * 5)):
            family = read_family(family_id)
            plan = plan_cuts(family, {"A": bitting})
            moves, steps = moves_of(plan), dial_steps(plan)
            by_act = {act: sum(step.act == act for step in steps) for act in DialAct}
            clampings = max(move.clamping for move in moves)
            assert by_act[DialAct.DEPTH] == by_act[DialAct.BACK] == len(moves)
            assert (by_act[DialAct.TOUCH_OFF], by_act[DialAct.TURN_OVER]) == (clampings, clampings - 1)
            assert (steps[0].act, steps[-1].act, by_act[DialAct.FIT]) == (DialAct.FIT, DialAct.END, 1)

    def test_holes_ask_for_their_row_and_the_second_drill_before_the_inner_ones(self) -> None:
        plan = plan_cuts(read_family("capstan-five"), {"A": list("23132"), "B": list("1232"), "C": list("abc")})
        steps = [step for step in dial_steps(plan) if step.act in (DialAct.FIT, DialAct.ROW, DialAct.TURN_OVER)]
        told = [(step.act.value, step.words[:5] or round(step.reading, 3)) for step in steps]
        assert told == [
            ("fit", "drill"), ("row", 3.0), ("turn-over", "half "), ("row", 2.8), ("fit", "drill"),
            ("turn-over", "half "), ("row", 3.0),
        ]  # fmt: skip
        assert [step.words for step in steps if step.act == DialAct.FIT] == [
            "drill 1.200 mm, 90°",
            "drill 0.400 mm, 40°",
        ]

    def test_a_reading_lower_than_the_last_on_its_dial_is_passed_first(self) -> None:
        family = read_family(bollard())
        steps = dial_steps(plan_cuts(family, {"A": SLOTS}))
        lower = [step.is_lower for step in steps if step.act == DialAct.DEPTH]
        assert lower == [False, False, True, False, True, False, True]  # 3 5 2 6 1 7 4
