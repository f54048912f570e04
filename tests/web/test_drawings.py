"""Drawings are to scale, the right way round, and say in words what they show."""

from __future__ import annotations

import json
import re

import pytest

from keycore import families
from keycore.documents.family import read_family
from keycore.family import Place
from keycore.reading.decode import Reading, decode
from keycore.reading.instruments import measured_by_caliper
from specimens import STAGE_DOOR_KEY, harbour_five, shipped
from wryfalcon.drawings.cut_key import CutKey, draw_cut_key
from wryfalcon.drawings.errors import draw_errors
from wryfalcon.drawings.jaw import draw_jaw
from wryfalcon.drawings.key import draw_key
from wryfalcon.drawings.kinds import is_drawable
from wryfalcon.drawings.machine import MachineFacts, ToolFacts, draw_machine
from wryfalcon.drawings.paper import DESK
from wryfalcon.drawings.sheet import Sheet
from wryfalcon.drawings.strip import SeenSource, StripState, chance_words, draw_strip

DRAWABLE = [family for family in shipped() if is_drawable(family)]


def points(path: str) -> list[tuple[float, float]]:
    return [(float(x), float(y)) for x, y in re.findall(r"(-?[\d.]+) (-?[\d.]+)", path)]


@pytest.mark.parametrize("family", DRAWABLE, ids=lambda family: family.id)
def test_a_blank_is_drawn_to_one_scale_and_fits(family) -> None:  # type: ignore[no-untyped-def]
    sheet, key = Sheet.of(family), draw_key(family)
    outline = points(key.blank)
    width = max(x for x, _ in outline) - min(x for x, _ in outline)
    height = max(y for _, y in outline) - min(y for _, y in outline)
    length, tall = family.kind.view_size(family)
    assert width / height == pytest.approx(length / tall, rel=1e-3)
    assert max(x for x, _ in outline) < DESK.width
    assert key.bottom - key.top == pytest.approx(tall * sheet.scale, abs=0.02)


def test_positions_run_from_the_gauge_bow_left_tip_right() -> None:
    from_shoulder, from_tip = read_family("harbour-five"), read_family("boathouse-four")
    marks = [mark.x for mark in draw_key(from_shoulder).positions]
    assert marks == sorted(marks)
    tip_first = [mark.x for mark in draw_key(from_tip).positions]
    assert tip_first == sorted(tip_first, reverse=True)
    assert draw_key(from_tip).gauge_x == pytest.approx(draw_key(from_tip).right)
    assert draw_key(from_shoulder).gauge_x == DESK.blade_left


def test_a_root_stands_where_its_depth_says() -> None:
    family = harbour_five()
    sheet = Sheet.of(family)
    key = draw_cut_key(_document("harbour-five"), CutKey.of({"A": [0.286, 0.246, 0.306, 0.266, 0.326]}))
    root = [y for x, y in points(key.blade) if abs(x - sheet.x(0.36)) < 0.021 * sheet.scale and y < key.bottom - 1]
    assert max(root) == pytest.approx(sheet.y(0.246), abs=0.5)


def _document(family_id: str) -> str:
    return json.dumps(families.shipped(family_id))


def test_a_key_turned_over_half_way_has_one_edge_cut() -> None:
    document, uncut = _document("lighthouse-eight"), [(2, Place("A", space)) for space in range(1, 9)]
    cut = [7.2, 6.5, 7.9, 7.2, 5.8, 6.5, 7.2, 7.9]
    half = points(draw_cut_key(document, CutKey.of({"A": cut}, uncut=uncut)).blade)
    whole = points(draw_cut_key(document, CutKey.of({"A": cut})).blade)
    middle = (max(y for _, y in whole) + min(y for _, y in whole)) / 2
    lower_half = [y for x, y in half if y > middle + 1 and x < 700]
    lower_whole = [y for x, y in whole if y > middle + 1 and x < 700]
    assert min(lower_half) > min(lower_whole) + 5


def test_the_strip_leans_by_the_wear_and_darkens_by_the_chance() -> None:
    family, track = harbour_five(), harbour_five().tracks[0]
    measured = measured_by_caliper(family, track, [[value] for value in STAGE_DOOR_KEY])
    posterior = decode(Reading(family, track, (measured,)))
    strip = draw_strip(
        family,
        track,
        StripState([SeenSource("calipers", measured, posterior.wear[0])], posterior, posterior.best, current=2),
    )
    assert [lane.label for lane in strip.lanes] == ["3", "5", "2", "4", "1"]
    assert [lane.plain for lane in strip.lanes] == ["", "6", "3", "", ""]
    for lane in strip.lanes:
        (mark,) = lane.marks
        assert mark.solid_y is not None
        assert mark.solid_y < mark.y - 5  # every tie leans the same way: the key is worn
        assert sum(rung.shade for rung in lane.rungs) == pytest.approx(1, abs=0.01)
    assert [lane.current for lane in strip.lanes] == [False, True, False, False, False]


def test_rungs_that_the_neighbours_rule_out_are_hatched() -> None:
    family, track = harbour_five(), harbour_five().tracks[0]
    strip = draw_strip(family, track, StripState(settled=[0, 0, 0, 0, 0]))
    hatched = [rung.label for rung in strip.lanes[1].rungs if rung.ruled_out]
    assert hatched == ["6"]


def test_a_deep_error_is_drawn_below_the_line_whatever_the_units() -> None:
    for family_id, deep in (("harbour-five", -0.001), ("boathouse-four", -0.03)):
        family = read_family(family_id)
        drawn = draw_errors(family, "A", [(1, deep, "inside"), (2, 0.0, "inside")], 0.0)
        assert drawn is not None
        assert drawn.marks[0].y > drawn.middle == drawn.marks[1].y
        assert int(drawn.words.removeprefix("errors ×")) >= 10


def test_the_jaw_shows_as_much_of_the_blank_as_stands_out() -> None:
    family = harbour_five()
    jaw = draw_jaw(family, 0.17, 0.1)
    assert jaw is not None
    scale = (jaw.slot_bottom - jaw.blank_top) / 0.331
    assert jaw.jaw_top - jaw.blank_top == pytest.approx(0.17 * scale, abs=0.02)
    assert draw_jaw(family, None, 0.1) is None
    tip_gauged = draw_jaw(read_family("boathouse-four"), 4.0, 1.0)
    assert tip_gauged is not None
    assert (tip_gauged.stop, tip_gauged.stop_x > jaw.stop_x) == ("tip", True)


@pytest.mark.parametrize(
    ("chance", "words"), [(1.0, "over 99"), (0.995, "over 99"), (0.934, "93 in 100"), (0.001, "under 1")]
)
def test_chances_never_read_100(chance: float, words: str) -> None:
    assert chance_words(chance) == words


def test_an_offset_moves_the_tool_its_own_way_and_dashed_is_where_it_would_be() -> None:
    wheel = ToolFacts("W-90", 1.0, 90.0)
    still = draw_machine(MachineFacts(wheel)).stations[0]
    assert still.ghost == ""
    moved = draw_machine(MachineFacts(wheel, depth_offset=0.012, space_offset=-0.02)).stations[0]
    assert moved.ghost == still.tool
    lowest = max(y for _, y in points(still.tool))
    assert max(y for _, y in points(moved.tool)) < lowest  # shallower is higher up
    assert min(x for x, _ in points(moved.tool)) < min(x for x, _ in points(still.tool))  # towards the gauge, left
    deeper = draw_machine(MachineFacts(wheel, depth_offset=-0.012)).stations[0]
    assert max(y for _, y in points(deeper.tool)) > lowest


def test_a_duplicator_is_a_pair_and_a_mill_has_straight_sides() -> None:
    drawn = draw_machine(MachineFacts(ToolFacts("Mill", 2.5, 0.0), ToolFacts("Tracer", 2.5, 0.0)))
    assert [(each.name, each.holds) for each in drawn.stations] == [("Tracer", "pattern"), ("Mill", "blank")]
    assert len({x for x, _ in points(drawn.stations[1].tool)}) == 2
