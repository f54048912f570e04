"""The simulated machine's hidden faults make the errors that such faults make; time passes by hand here."""

from __future__ import annotations

from typing import Any

import pytest

from benchmachine.faults import Faults
from benchmachine.jobs import Refused
from benchmachine.machine import Machine

BLANK = {"length": 27.0, "height": 8.4, "thickness": 2.2}
POSITIONS = [4.0, 8.0, 12.0, 16.0, 20.0]


def machine(**faults: float) -> Machine:
    """A machine with these faults and no others."""
    made = Machine(seed=3, seconds_per_cut=1.0)
    made.faults = Faults(noise=0.0, seat_sd=0.0, caliper_sd=0.0)
    for name, value in faults.items():
        made.inject(name, value)
    made.home()
    return made


def errors(made: Machine, job: str = "k") -> list[float]:
    """Cut five cuts of 7 mm and say how far each came out."""
    cuts = [{"clamping": 1, "place": f"A {x}", "at": {"X": x, "Z": 7.0}, "tool": None} for x in POSITIONS]
    made.load(job, cuts)
    made.lay(job, "top", "front", blank=BLANK)
    made.clamp(job)
    made.seat = (made.seat[0], 0.0)
    made.start(job)
    made.advance(60)
    assert made.state == "done"
    return [root(made, x, job)["value"] - 7.0 for x in POSITIONS]


def root(made: Machine, x: float = 4.0, job: str = "k") -> dict[str, float]:
    """What the caliper reads of a cut."""
    return made.measure(job, f"A {x}", look={"what": "root", "side": "top", "x": x})


def test_a_true_machine_cuts_true() -> None:
    assert errors(machine()) == pytest.approx([0.0] * 5, abs=1e-12)


def test_a_depth_offset_is_the_same_everywhere() -> None:
    assert errors(machine(depth_offset=0.05)) == pytest.approx([0.05] * 5)


def test_an_angle_in_the_jaw_grows_along_the_blade() -> None:
    found = errors(machine(jaw_angle=0.01))
    assert found == pytest.approx([0.01 * x for x in POSITIONS])


def test_a_wearing_wheel_cuts_shallower_key_by_key() -> None:
    made = machine(wheel_wear=0.001)
    first, second = errors(made, "a"), errors(made, "b")
    assert sum(second) - sum(first) == pytest.approx(5 * 5 * 0.001)


def test_a_space_offset_moves_every_cut_along() -> None:
    made = machine(space_offset=0.07)
    errors(made)
    assert root(made, 8.0)["position"] == pytest.approx(8.07)


def test_a_clamping_only_ever_seats_a_key_deep() -> None:
    made = machine(seat_sd=0.02)
    seats = []
    for job in range(40):
        seats.append(errors(made, str(job))[0])
    assert max(seats) <= 0.0
    assert len(set(seats)) == 40


def cut(value: object = 7.0, x: float = 4.0) -> list[dict[str, Any]]:
    return [{"clamping": 1, "place": f"A {x}", "at": {"X": x, "Z": value}, "tool": None}]


def test_metal_never_grows_back() -> None:
    made = machine()
    errors(made)
    made.load("up", cut(8.0), onto="k")
    made.lay("up", "top", "front")
    made.clamp("up")
    made.start("up")
    made.advance(5)
    assert root(made, job="up")["value"] == pytest.approx(7.0)


def test_a_hold_stops_in_the_middle_of_a_cut_and_goes_on_from_there() -> None:
    made = machine()
    made.load("k", cut())
    with pytest.raises(Refused, match="nothing lies in the clamp"):
        made.clamp("k")
    made.lay("k", "top", "front")
    made.clamp("k")
    made.start("k")
    made.advance(0.5)
    made.hold("k")
    made.advance(10)
    assert made.status()["share"] == pytest.approx(0.5, abs=0.11)
    made.resume("k")
    made.advance(0.7)
    assert made.state == "done"


def test_what_makes_no_sense_now_is_refused_in_words() -> None:
    made = Machine(seed=1)
    with pytest.raises(Refused, match="it is not homed"):
        made.load("k", cut())
    made.home()
    for act in (made.clamp, made.start, made.hold, made.stop):
        with pytest.raises(Refused, match="it holds no key now"):
            act("k")
    with pytest.raises(Refused, match="an axis goes to a number of millimetres"):
        made.load("k", cut("4"))
    with pytest.raises(Refused, match="no key x to touch up"):
        made.load("k", cut(), onto="x")
    made.load("k", cut())
    with pytest.raises(Refused, match="it holds another key now"):
        made.start("other")
