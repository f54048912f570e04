"""The simulated machine over its own socket, spoken to by the driver a real one would have."""

from __future__ import annotations

import json
import socket
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from uuid import uuid4

import pytest

from benchmachine.machine import Machine
from benchmachine.memory import Journal
from conftest import BenchMachine
from wryfalcon.machines.drivers.bench import BenchDriver
from wryfalcon.machines.drivers.interface import Command, Delivery, MachineRefused, MachineUnreachable

CUTS: list[Command] = [
    {"clamping": clamping, "track": "A", "space": space, "place": name, "position": position, "value": value}
    for clamping, side in ((1, "A"), (2, "A, turned over"))
    for space, position, value in [(1, 5.0, 7.0), (2, 8.0, 6.5)]
    for name in [f"{side} {space}"]
]


MEMORY_2 = Path(__file__).parents[1] / "reference" / "upgrade" / "machine-memory-2.jsonl"
EDGE_UP = {"up": "top", "jaw": "front", "blank": {"length": 27.0, "height": 8.4, "thickness": 2.2}}
TURNED = {**EDGE_UP, "up": "bottom", "jaw": "back"}


@dataclass
class Bench:
    """A machine and a client of it, in few words."""

    driver: BenchDriver

    def ask(self, command: str, job: str = "j", **given: Any) -> Mapping[str, Any]:
        """Ask once, as an order with an id of its own; a key is laid with its upper edge up where nothing is said."""
        if command == "clamp":
            given.setdefault("laid", EDGE_UP)
        order = Delivery(given.pop("id", uuid4().hex), command, job, seen=given.pop("seen", None), data=given)
        return self.driver.deliver(order)

    def load(self, job: str = "j", cuts: list[Command] = CUTS, onto: str | None = None) -> None:
        self.ask("load", job, cuts=cuts, axes=["X", "Z"], onto=onto)

    def start(self, job: str = "j") -> None:
        """Home it, load a key, clamp it and start."""
        self.ask("home")
        self.load(job)
        self.go_on(job)

    def go_on(self, job: str = "j") -> None:
        self.ask("clamp", job)
        self.ask("start", job)

    def until(self, state: str) -> None:
        """Time passes at the machine; it must then be in a state."""
        self.panel(do="pass", seconds=30)
        assert self.state == state

    def measure(self, job: str, place: str, **look: Any) -> tuple[float, float]:
        """The root of a cut as it is looked at, the first one's without more."""
        read = self.ask("measure", job, places={place: {"what": "root", "side": "top", "x": 5.0, **look}})[place]
        return read["value"], read["position"]

    def panel(self, **request: Any) -> None:
        self.driver.panel(**request)

    @property
    def state(self) -> str:
        return self.driver.listen(0).status.state

    @property
    def kinds(self) -> list[str]:
        return [event.kind for event in self.driver.listen(0).events]


@pytest.fixture
def bench(bench_machine: BenchMachine) -> Bench:
    return Bench(BenchDriver("127.0.0.1", bench_machine.port, 2.0, client="shop"))


def test_a_key_is_cut_on_both_sides_with_a_turn_between(bench: Bench) -> None:
    bench.start()
    bench.until("turn")
    with pytest.raises(MachineRefused, match="the key is not clamped for this side"):
        bench.ask("start")
    bench.ask("clamp", laid=TURNED)
    bench.ask("start")
    bench.until("done")
    for side in ("top", "bottom"):
        value, position = bench.measure("j", "A 1", side=side)
        assert value == pytest.approx(7.0, abs=0.15)
        assert position == pytest.approx(5.0, abs=0.15)
    assert bench.measure("j", "A 1", side="top", both=True)[0] == pytest.approx(7.0 + 7.0 - 8.4, abs=0.3)


def test_a_key_that_nobody_turned_over_is_cut_twice_on_one_edge(bench: Bench) -> None:
    bench.start()
    bench.until("turn")
    bench.go_on()
    bench.until("done")
    assert bench.measure("j", "A 1", side="bottom")[0] == pytest.approx(8.4, abs=0.05)


def test_events_from_a_number_on_are_neither_missed_nor_counted_twice(bench: Bench) -> None:
    bench.start()
    bench.until("turn")
    whole = bench.driver.listen(0)
    assert [event.number for event in whole.events] == list(range(1, len(whole.events) + 1))
    assert [event.number for event in bench.driver.listen(4).events] == list(range(5, len(whole.events) + 1))
    assert bench.kinds.count("cut-done") == 2
    assert (whole.more, whole.status.last_event) == (False, len(whole.events))


def test_a_log_longer_than_one_answer_is_told_to_its_end(bench: Bench) -> None:
    for _ in range(260):
        bench.panel(do="lid", open=True)
        bench.panel(do="lid", open=False)
    first = bench.driver.listen(0)
    rest = bench.driver.listen(first.events[-1].number)
    assert (len(first.events), first.more, len(rest.events), rest.more) == (500, True, 21, False)


def test_every_entry_has_the_machines_own_time(bench: Bench) -> None:
    bench.start()
    began = bench.driver.listen(0).events[-1].at
    bench.panel(do="pass", seconds=3600)
    bench.ask("clamp")
    assert (bench.driver.listen(0).events[-1].at - began).total_seconds() == pytest.approx(3600, abs=1)


def test_loading_the_same_job_again_changes_nothing(bench: Bench) -> None:
    bench.start()
    bench.load()
    assert bench.state == "cutting"
    with pytest.raises(MachineRefused, match="with another job"):
        bench.load("other")


def test_an_order_said_twice_is_done_once_and_refused_once(bench: Bench) -> None:
    bench.start()
    bench.ask("hold", id="h")
    bench.ask("resume", id="r")
    bench.ask("hold")
    bench.ask("resume", id="r")  # its answer was lost, and it is said again
    assert bench.state == "held"
    bench.panel(do="lid", open=True)
    for _ in range(2):
        with pytest.raises(MachineRefused, match="the lid is open"):
            bench.ask("resume", id="q")
        bench.panel(do="lid", open=False)  # what was refused stays refused, whatever has changed
    assert bench.state == "held"


def test_a_press_that_did_not_know_of_a_stop_is_refused(bench: Bench) -> None:
    bench.ask("home")
    bench.load()
    bench.ask("clamp")
    heard = bench.driver.listen(0).status
    seen = (heard.log, heard.last_event)
    bench.ask("stop")
    with pytest.raises(MachineRefused, match="something happened at it meanwhile"):
        bench.ask("start", seen=seen)
    with pytest.raises(MachineRefused, match="its log is another one now"):
        bench.ask("start", seen=("elsewhere", 3))


def test_another_clients_key_is_neither_stopped_nor_started_nor_replaced(
    bench: Bench, bench_machine: BenchMachine
) -> None:
    bench.start()
    other = Bench(BenchDriver("127.0.0.1", bench_machine.port, 2.0, client="another shop"))
    for command in ("hold", "stop", "start"):
        with pytest.raises(MachineRefused, match="another client's key is in it"):
            other.ask(command)
    assert bench.state == "cutting"
    bench.ask("stop")
    with pytest.raises(MachineRefused, match="another client's key is in it"):
        other.load("theirs")
    assert other.driver.listen(0).status.is_ours is False


def test_hold_and_stop_are_never_refused_for_a_key_it_has(bench: Bench) -> None:
    bench.ask("home")
    bench.load()
    bench.ask("hold")
    for _ in range(2):
        bench.ask("stop")
    bench.go_on()
    bench.until("turn")
    bench.go_on()
    bench.until("done")
    bench.ask("stop")
    assert bench.driver.find("j").where == "tray"


def test_an_open_lid_stops_the_cutter_and_closing_it_lets_it_go_on(bench: Bench) -> None:
    bench.start()
    bench.panel(do="lid", open=True)
    assert bench.state == "held"
    with pytest.raises(MachineRefused, match="the lid is open"):
        bench.ask("resume")
    bench.panel(do="lid", open=False)
    bench.ask("resume")
    bench.until("turn")


def test_a_stalled_cutter_is_freed_by_homing_and_finishes_its_cut(bench: Bench) -> None:
    bench.panel(do="inject", fault="stall")
    bench.start()
    bench.until("stalled")
    with pytest.raises(MachineRefused, match="home it first"):
        bench.ask("resume")
    bench.ask("home")
    bench.ask("resume")
    bench.until("turn")


def test_a_touched_up_key_only_loses_metal(bench: Bench) -> None:
    bench.panel(do="inject", fault="caliper_sd", value=0.0)
    bench.start()
    bench.until("turn")
    bench.go_on()
    bench.until("done")
    before = bench.measure("j", "A 1")[0]
    bench.load("up", [{**CUTS[0], "value": 9.0}], onto="j")
    bench.go_on("up")
    bench.until("done")
    assert bench.measure("up", "A 1")[0] == pytest.approx(before)


def test_each_clamping_sits_a_little_differently(bench: Bench) -> None:
    for fault in ("noise", "caliper_sd", "wheel_wear", "jaw_angle"):
        bench.panel(do="inject", fault=fault, value=0.0)
    bench.ask("home")
    values = []
    for job in "ab":
        bench.load(job, CUTS[:1])
        bench.go_on(job)
        bench.until("done")
        values.append(bench.measure(job, "A 1")[0])
    assert 0.0001 < abs(values[0] - values[1]) < 0.05


def test_one_seed_is_one_machine() -> None:
    values = []
    for _ in range(2):
        machine = BenchMachine(seed=11)
        bench = Bench(BenchDriver("127.0.0.1", machine.port, 2.0))
        bench.ask("home")
        bench.load(cuts=CUTS[:1])
        bench.go_on()
        bench.until("done")
        values.append(bench.measure("j", "A 1")[0])
        machine.stop()
    assert values[0] == values[1]


def test_a_machine_switched_off_in_the_middle_forgets_nothing_that_was_cut(tmp_path: Path) -> None:
    machine = BenchMachine(folder=tmp_path)
    bench = Bench(BenchDriver("127.0.0.1", machine.port, 2.0, client="shop"))
    bench.start()
    bench.panel(do="pass", seconds=0.07)
    log = bench.driver.listen(0).status.log
    machine.stop()
    with (tmp_path / "memory.jsonl").open("ab") as memory:
        memory.write(b'{"entries": [{"event": {"n": 99')  # the line it was writing when the power went
    again = BenchMachine(folder=tmp_path, port=machine.port)
    heard = bench.driver.listen(0)
    assert (heard.status.state, heard.status.job, heard.status.cut, heard.status.log) == ("unhomed", "j", 1, log)
    bench.ask("home")
    bench.go_on()
    bench.until("turn")
    bench.go_on()
    bench.until("done")
    begun = [json.loads(line) for line in (tmp_path / "ledger.jsonl").read_text().splitlines()]
    assert [entry.get("cut") for entry in begun] == [None, 0, 1, None, 1, 2, 3]  # switched on twice; cut 1 begun again
    again.stop()
    third = BenchMachine(folder=tmp_path, port=machine.port)
    assert bench.driver.find("j").where == "tray"
    bench.ask("home")
    bench.load()
    assert bench.state == "idle"  # it has that key: nothing is taken in
    third.stop()


@pytest.mark.parametrize(
    ("line", "says"),
    [
        (b"not json\n", "not understood"),
        (b"[]\n", "a request is one JSON object on a line"),
        (b'{"do": "status"}\n', "this machine speaks version 3"),
        (b'{"v": 3, "do": "explode"}\n', "no command 'explode'"),
        (b'{"v": 3, "do": "measure", "job": "x", "place": "A 1"}\n', "there is no such cut to measure"),
        (b'{"v": 3, "do": "inject", "fault": "gremlins"}\n', "no fault 'gremlins'"),
        (b'{"v": 3, "do": "events", "after": "soon"}\n', "not understood"),
        (b'{"v": 3, "do": "load", "job": "x", "cuts": [{"side": "A"}]}\n', "it is not homed"),
        (b'{"v": 3, "do": "hold", "job": "x"}\n', "it holds no key now"),
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
        io.write(b'{"v": 3, "id": "x", "do": "status"}\n')
        io.flush()
        assert json.loads(io.readline())["ok"] is True


def test_a_machine_that_is_off_is_unreachable(bench_machine: BenchMachine) -> None:
    bench_machine.stop()
    with pytest.raises(MachineUnreachable):
        BenchDriver("127.0.0.1", bench_machine.port, 0.5).listen(0)


# --- what turns the key, and the tools it wants ---------------------------------------------------


SLOTS: list[Command] = [
    {"clamping": 1, "track": "A", "space": space, "place": f"A {space}", "position": angle, "value": depth}
    for space, (angle, depth) in enumerate(((60.0, 0.4), (120.0, 0.8), (180.0, 0.6)), start=1)
]


def in_adapter(bench: Bench, job: str = "tube") -> None:
    """Homed, a tube in the adapter, clamped and started."""
    bench.ask("home")
    bench.ask("load", job, cuts=SLOTS, axes=["A", "X"], onto=None)
    bench.go_on(job)


def test_a_tube_in_an_adapter_waits_for_a_hand_at_every_slot_but_the_first(bench: Bench) -> None:
    in_adapter(bench)
    for index in (2, 3):
        bench.until("index")
        bench.panel(do="pass", seconds=600)
        assert bench.driver.listen(0).status.cut == index - 1  # time alone cuts nothing on
        bench.ask("index", "tube")
    bench.until("done")
    assert [kind for kind in bench.kinds if kind.startswith("index")] == ["index-wanted", "indexed"] * 2
    for slot in SLOTS:
        depth, angle = bench.measure("tube", slot["place"], what="slot", x=slot["position"])
        assert depth == pytest.approx(slot["value"], abs=0.2)
        assert angle == pytest.approx(slot["position"], abs=3.0)


def test_a_hand_that_turns_too_early_or_twice_is_refused(bench: Bench) -> None:
    in_adapter(bench)
    with pytest.raises(MachineRefused, match="it is cutting: there is nothing to turn to"):
        bench.ask("index", "tube")
    bench.until("index")
    bench.ask("index", "tube", id="the press")
    bench.ask("index", "tube", id="the press")  # its answer was lost: said again, it turns nothing on
    with pytest.raises(MachineRefused, match="it is cutting"):
        bench.ask("index", "tube")
    bench.until("index")
    assert bench.driver.listen(0).status.cut == 2


def test_a_turn_that_was_pressed_before_it_stopped_no_longer_holds(bench: Bench) -> None:
    in_adapter(bench)
    bench.until("index")
    before = bench.driver.listen(0)
    seen = (before.status.log, len(before.events))
    bench.ask("stop", "tube")
    bench.ask("clamp", "tube")
    bench.ask("start", "tube")
    assert bench.state == "index"  # nobody knows where it was turned to meanwhile
    with pytest.raises(MachineRefused, match="something happened at it meanwhile"):
        bench.ask("index", "tube", seen=seen)
    bench.ask("index", "tube")
    assert bench.state == "cutting"


def test_an_adapter_stopped_before_its_first_slot_asks_for_no_turn(bench: Bench) -> None:
    in_adapter(bench)
    bench.ask("stop", "tube")
    bench.go_on("tube")
    assert bench.state == "cutting"


def test_an_adapter_turns_nothing_under_an_open_lid(bench: Bench) -> None:
    in_adapter(bench)
    bench.until("index")
    bench.panel(do="lid", open=True)
    with pytest.raises(MachineRefused, match="the lid is open"):
        bench.ask("index", "tube")


def test_a_turning_clamp_turns_a_disc_key_by_itself(bench: Bench) -> None:
    discs = [
        {"clamping": 1, "track": "A", "space": n, "place": f"A {n}", "position": 4.0 * n, "value": 18.0 * (n % 4)}
        for n in range(1, 6)
    ]
    bench.ask("home")
    bench.ask("load", "disc", cuts=discs, axes=["X", "A"], onto=None)
    bench.go_on("disc")
    bench.until("done")
    for disc in discs:
        angle, position = bench.measure("disc", str(disc["place"]), what="flat", x=disc["position"])
        assert angle == pytest.approx(disc["value"], abs=3.0)  # a small turn after a large one is not cut away
        assert position == pytest.approx(disc["position"], abs=0.2)


def test_only_axes_that_it_has_a_holder_for_are_taken(bench: Bench) -> None:
    bench.ask("home")
    with pytest.raises(MachineRefused, match="only by X and Z, A and X, X and A"):
        bench.ask("load", cuts=SLOTS, axes=["Z", "A"], onto=None)
    with pytest.raises(MachineRefused, match="it counts from its shoulder or tip or end"):
        bench.ask("load", cuts=SLOTS, axes=["A", "X"], onto=None, stop="bow")


def test_a_cut_by_another_tool_waits_until_that_one_is_said_to_be_fitted(bench: Bench) -> None:
    cuts = [{**cut, "tool": tool} for cut, tool in zip(CUTS[:2], ("wheel 90", "mill 2"), strict=True)]
    bench.ask("home")
    bench.load(cuts=cuts)
    bench.ask("clamp")
    bench.ask("start")  # nothing turns: it asks for its tool
    bench.until("tool")
    with pytest.raises(MachineRefused, match="it wants wheel 90 fitted first"):
        bench.ask("start")
    bench.ask("fit", tool="wheel 90")
    bench.ask("start")
    with pytest.raises(MachineRefused, match="it is cutting: no tool is changed now"):
        bench.ask("fit", tool="mill 2")
    bench.until("tool")
    with pytest.raises(MachineRefused, match="it wants mill 2 fitted first"):
        bench.ask("start")
    bench.ask("fit", tool="mill 2")
    bench.ask("start")
    bench.until("done")
    assert [kind for kind in bench.kinds if kind.startswith("tool")] == ["tool-wanted", "tool-fitted"] * 2


def test_a_memory_of_version_2_goes_on(tmp_path: Path) -> None:
    """A key in its tray is read by its places; one that was begun is finished as it was begun."""
    memory = tmp_path / "memory.jsonl"
    memory.write_bytes(MEMORY_2.read_bytes())
    machine = Machine(3, memory=Journal(memory))
    assert machine.find("made") == {"where": "tray", "cut": 3, "of": 3}
    assert machine.measure("made", "A 2", "shop", {"what": "root", "side": "top", "x": 8.0}) == {
        "value": 6.795318149637379, "position": 8.021668359661996,
    }  # fmt: skip
    assert machine.find("begun")["cut"] == 1
    machine.home("shop")
    machine.lay("begun", "top", "front")
    machine.clamp("begun", "shop")
    machine.start("begun", "shop")
    machine.advance(60)
    assert machine.state == "done"
    assert machine.measure("begun", "A 3", "shop")["value"] == pytest.approx(6.7, abs=0.1)
    again = Machine(3, memory=Journal(memory))
    assert again.measure("begun", "A 3", "shop") == machine.measure("begun", "A 3", "shop")
