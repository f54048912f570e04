"""The simulated machine over its own socket, spoken to by the driver a real one would have."""

from __future__ import annotations

import json
import socket
import time
from collections.abc import Callable

import pytest

from conftest import BenchMachine
from wryfalcon.machines.drivers.bench import BenchDriver
from wryfalcon.machines.drivers.interface import Command, MachineRefused, MachineUnreachable

CUTS: list[Command] = [
    {"side": side, "position": position, "value": value}
    for side, position, value in [("A", 5.0, 7.0), ("A", 8.0, 6.5), ("A turned", 5.0, 7.0), ("A turned", 8.0, 6.5)]
]


@pytest.fixture
def driver(bench_machine: BenchMachine) -> BenchDriver:
    return BenchDriver("127.0.0.1", bench_machine.port, 2.0)


def until(driver: BenchDriver, state: str, check: Callable[[], None] = lambda: None) -> None:
    for _ in range(200):
        check()
        if driver.status().state == state:
            return
        time.sleep(0.02)
    raise AssertionError(f"still {driver.status().state}, not {state}")


def start(driver: BenchDriver, job: str = "j") -> None:
    driver.operate("home")
    driver.load(job, CUTS, 8.4)
    driver.operate("clamp")
    driver.operate("start")


def test_a_key_is_cut_on_both_sides_with_a_turn_between(driver: BenchDriver) -> None:
    start(driver)
    until(driver, "turn")
    with pytest.raises(MachineRefused, match="the key is not clamped for this side"):
        driver.operate("start")
    driver.operate("clamp")
    driver.operate("start")
    until(driver, "done")
    value, position = driver.measure("j", "A", 5.0)
    assert value == pytest.approx(7.0, abs=0.15)
    assert position == pytest.approx(5.0, abs=0.15)


def test_events_from_a_number_on_are_neither_missed_nor_counted_twice(driver: BenchDriver) -> None:
    start(driver)
    until(driver, "turn")
    whole = driver.events(0)
    assert [event.number for event in whole] == list(range(1, len(whole) + 1))
    assert [event.number for event in driver.events(4)] == list(range(5, len(whole) + 1))
    assert [event.kind for event in whole if event.kind == "cut-done"] == ["cut-done"] * 2


def test_loading_the_same_job_again_changes_nothing(driver: BenchDriver) -> None:
    start(driver)
    driver.load("j", CUTS, 8.4)
    assert driver.status().state in ("cutting", "turn")
    with pytest.raises(MachineRefused, match="with another job"):
        driver.load("other", CUTS, 8.4)


def test_an_open_lid_stops_the_cutter_and_closing_it_lets_it_go_on(driver: BenchDriver) -> None:
    start(driver)
    driver.panel(do="lid", open=True)
    assert driver.status().state == "held"
    with pytest.raises(MachineRefused, match="the lid is open"):
        driver.operate("resume")
    driver.panel(do="lid", open=False)
    driver.operate("resume")
    until(driver, "turn")


def test_a_stalled_cutter_is_freed_by_homing_and_finishes_its_cut(driver: BenchDriver) -> None:
    driver.panel(do="inject", fault="stall")
    start(driver)
    until(driver, "stalled")
    with pytest.raises(MachineRefused, match="home it first"):
        driver.operate("resume")
    driver.operate("home")
    driver.operate("resume")
    until(driver, "turn")


def test_a_touched_up_key_only_loses_metal(driver: BenchDriver) -> None:
    driver.panel(do="inject", fault="caliper_sd", value=0.0)
    start(driver)
    until(driver, "turn")
    driver.operate("clamp")
    driver.operate("start")
    until(driver, "done")
    before = driver.measure("j", "A", 5.0)[0]
    driver.load("up", [{"side": "A", "position": 5.0, "value": 9.0}], 8.4, onto="j")
    driver.operate("clamp")
    driver.operate("start")
    until(driver, "done")
    assert driver.measure("up", "A", 5.0)[0] == pytest.approx(before)


def test_each_clamping_sits_a_little_differently(driver: BenchDriver) -> None:
    for fault in ("noise", "caliper_sd", "wheel_wear", "jaw_angle"):
        driver.panel(do="inject", fault=fault, value=0.0)
    driver.operate("home")
    values = []
    for job in "ab":
        driver.load(job, CUTS[:1], 8.4)
        driver.operate("clamp")
        driver.operate("start")
        until(driver, "done")
        values.append(driver.measure(job, "A", 5.0)[0])
    assert 0.0001 < abs(values[0] - values[1]) < 0.05


def test_one_seed_is_one_machine() -> None:
    values = []
    for _ in range(2):
        machine = BenchMachine(seed=11)
        driver = BenchDriver("127.0.0.1", machine.port, 2.0)
        driver.operate("home")
        driver.load("j", CUTS[:1], 8.4)
        driver.operate("clamp")
        driver.operate("start")
        until(driver, "done")
        values.append(driver.measure("j", "A", 5.0)[0])
        machine.stop()
    assert values[0] == values[1]


@pytest.mark.parametrize(
    ("line", "says"),
    [
        (b"not json\n", "not understood"),
        (b"[]\n", "a request is one JSON object on a line"),
        (b'{"do": "explode"}\n', "no command 'explode'"),
        (b'{"do": "measure", "job": "x", "side": "A", "position": 1}\n', "there is no such cut to measure"),
        (b'{"do": "inject", "fault": "gremlins"}\n', "no fault 'gremlins'"),
        (b'{"do": "events", "after": "soon"}\n', "not understood"),
    ],
)
def test_nonsense_on_the_line_is_answered_and_the_line_stays_open(
    bench_machine: BenchMachine, line: bytes, says: str
) -> None:
    with socket.create_connection(("127.0.0.1", bench_machine.port), 2) as connection, connection.makefile("rwb") as io:
        io.write(line)
        io.flush()
        answer = json.loads(io.readline())
        assert answer["ok"] is False
        assert says in answer["error"]
        io.write(b'{"do": "status"}\n')
        io.flush()
        assert json.loads(io.readline())["ok"] is True


def test_a_machine_that_is_off_is_unreachable(bench_machine: BenchMachine) -> None:
    bench_machine.stop()
    with pytest.raises(MachineUnreachable):
        BenchDriver("127.0.0.1", bench_machine.port, 0.5).status()
