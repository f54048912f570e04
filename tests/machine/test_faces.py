"""The simulated machine's mill, drills and clamp faces: walls along a way, a third axis, faces touched off."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from shapely import LineString, Polygon, box

from benchmachine.faults import FaceFaults, Faults
from benchmachine.jobs import Refused
from benchmachine.machine import APART, Machine

BLANK = {"length": 24.0, "height": 8.0, "thickness": 2.6}
LOWER = [[0.0, 3.75], [4.0, 3.75], [7.0, 4.55], [12.0, 4.55]]


def true(machine: Machine) -> Machine:
    """A machine without any fault but what a test injects; its faces keep theirs."""
    machine.faults = Faults(noise=0.0, seat_sd=0.0, caliper_sd=0.0, protractor_sd=0.0, turn_noise=0.0)
    machine.home()
    return machine


def milled(place: str, x: float, way: Any, /, **mill: Any) -> dict[str, Any]:
    more = {"way": way, "diameter": 1.5, **mill}
    return {"clamping": 1, "place": place, "at": {"X": x, "Y": 3.0, "Z": -0.8}, "tool": None, "mill": more}


TWO = [milled("A 1", 2.0, [*LOWER[:2], [5.5, 4.15]]), milled("A 2", 9.0, [[5.5, 4.15], *LOWER[2:]])]


def made(machine: Machine, cuts: list[dict[str, Any]], **more: Any) -> Machine:
    given = {"axes": ["X", "Y", "Z"], "face": "Face clamp, face A", **more}
    machine.load("k", cuts, "me", **given)
    machine.lay("k", "front", "reference edge", blank=BLANK)
    machine.clamp("k", "me")
    machine.start("k", "me")
    machine.advance(60)
    return machine


def wall(machine: Machine, x: float, near: float = 3.3) -> float:
    """Where the caliper finds a wall of the front with metal below it."""
    look = {"what": "wall", "side": "front", "metal": "below", "x": x, "near": near}
    return machine.measure("k", "A 1", look=look)["value"]


def wall_by_shapely(x: float, radius: float) -> float:
    """The lower edge of all that a disc takes off along the whole way, by shapely's buffer."""
    gone = LineString(LOWER).buffer(radius, quad_segs=256)
    assert isinstance(gone, Polygon)
    return float(gone.intersection(box(x - 1e-4, -9, x + 1e-4, 9)).bounds[1])


@pytest.mark.parametrize("worn", [0.0, 0.05])
def test_a_wall_stands_where_the_mill_left_it_and_a_worn_mill_leaves_more(worn: float) -> None:
    machine = true(Machine(3))
    machine.inject("mill_worn", worn)
    made(machine, TWO)
    off = FaceFaults.of(3, "Face clamp, face A")
    for x in (2.0, 9.0):
        wanted = wall_by_shapely(x, 0.75 - worn / 2) + off.across + off.tilt * x
        assert wall(machine, x) == pytest.approx(wanted, abs=2e-3)
    assert machine.job is not None
    assert machine.job.blade.depth_at("front", 2.0, 3.9) == pytest.approx(0.8 + off.floor)


def test_a_later_stretch_moves_the_wall_of_the_one_before_it_where_the_mill_reaches_over() -> None:
    """The second stretch begins 0.3 past the first cut and goes lower: the disc takes the first one's wall too."""
    first, second = milled("A 1", 2.0, [[0.0, 4.0], [2.3, 4.0]]), milled("A 2", 4.0, [[2.3, 3.5], [6.0, 3.5]])
    machine = true(Machine(3))
    machine.load("k", [first, second], "me", axes=["X", "Y", "Z"])
    machine.lay("k", blank=BLANK)
    machine.clamp("k", "me")
    machine.start("k", "me")
    machine.advance(machine.seconds_per_cut + 1e-6)
    alone = wall(machine, 2.0)
    machine.advance(60)
    both = wall(machine, 2.0, 2.8)
    assert both == pytest.approx(3.5 - np.sqrt(0.75**2 - 0.3**2) + (alone - 3.25), abs=2e-3)
    assert both < alone


def test_what_was_milled_is_remembered(tmp_path: Any) -> None:
    from benchmachine.memory import Journal

    machine = made(true(Machine(3, memory=Journal(tmp_path / "m"))), TWO)
    again = Machine(3, memory=Journal(tmp_path / "m"))
    again.faults.caliper_sd = 0.0
    assert wall(again, 9.0, 4.0) == wall(machine, 9.0, 4.0)


@pytest.mark.parametrize(
    ("changed", "says"),
    [
        ({"way": [[0, 0]]}, "2 to 2000 points"),
        ({"way": [[0, "x"], [1, 1]]}, "two numbers"),
        ({"diameter": 0}, "some millimetres"),
        ({"more": 1}, "a mill has a way and a diameter"),
    ],
)
def test_a_way_that_no_mill_goes_is_refused(changed: dict[str, Any], says: str) -> None:
    cut = milled("A 1", 2.0, LOWER, **changed)
    with pytest.raises(Refused, match=says):
        true(Machine(3)).load("k", [cut], "me", axes=["X", "Y", "Z"])
    with pytest.raises(Refused, match="in the face clamp only"):
        true(Machine(3)).load("k", [{**cut, "at": {"X": 1, "Z": 2}}], "me", axes=["X", "Z"])


def test_an_axis_that_it_lacks_is_refused() -> None:
    with pytest.raises(Refused, match="nothing that makes space and depth so"):
        true(Machine(3)).load("k", TWO, "me", axes=["X", "Y", "W"])


def hole(place: str, x: float, tool: str) -> dict[str, Any]:
    return {"clamping": 1, "place": place, "at": {"X": x, "Z": 2.0, "Y": 3.0}, "tool": tool}


def test_a_drill_that_runs_off_its_centre_moves_its_own_holes_until_it_is_put_in_again() -> None:
    machine = true(Machine(3))
    tools = {"big": {"size": 1.2, "angle": 90.0}, "small": {"size": 0.4, "angle": 40.0}}
    holes = [hole("A 1", 4.0, "big"), hole("C 1", 8.0, "small")]
    machine.load("k", holes, "me", axes=["X", "Z", "Y"], tools=tools)
    machine.lay("k", blank=BLANK)
    machine.clamp("k", "me")
    machine.start("k", "me")
    machine.fit("k", "big", "me")
    machine.inject("drill_off", 0.2)
    machine.start("k", "me")
    machine.advance(60)
    assert machine.state == "tool"
    machine.fit("k", "small", "me")
    machine.start("k", "me")
    machine.advance(60)
    look = {"what": "hole", "side": "front", "row": 3.0}
    assert machine.measure("k", "A 1", look={**look, "x": 4.0, "tip": 1.2})["position"] == pytest.approx(4.2)
    read = machine.measure("k", "C 1", look={**look, "x": 8.0, "tip": 0.4})
    assert read == {"position": 8.0, "value": pytest.approx(2.0, abs=0.01)}


def test_a_face_is_touched_at_both_ends_and_what_lies_on_it_counts() -> None:
    machine, off = true(Machine(3)), FaceFaults.of(3, "Face clamp, face B")
    bare = machine.touch("Face clamp, face B", "floor")
    assert bare["near"] == pytest.approx(off.floor, abs=0.01)
    assert bare["apart"] == APART
    with pytest.raises(Refused, match="no edge to touch"):
        machine.touch("Face clamp, face B", "edge")
    machine.put("flat", 3.0)
    assert machine.touch("Face clamp, face B", "top")["near"] == pytest.approx(off.floor + 3.0, abs=0.01)
    machine.put("key", 2.6)
    machine.inject("face_tilt", 0.01)
    edge = machine.touch("Face clamp, face B", "edge")
    assert edge["far"] - edge["near"] == pytest.approx((off.tilt + 0.01) * APART, abs=0.01)
    machine.load("k", [hole("A 1", 4.0, "big")], "me", axes=["X", "Z", "Y"])
    with pytest.raises(Refused, match="the clamp is not free"):
        machine.touch("Face clamp, face B", "floor")
