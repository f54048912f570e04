"""Jobs brought as far as a test needs them, by the same actions the pages call."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

from conftest import BenchMachine
from specimens import STAGE_DOOR_KEY
from wryfalcon.bench.actions.cut import cut_key, operate_run
from wryfalcon.bench.actions.take_in import Baseline, Job, take_in
from wryfalcon.bench.models import OnBench, Tag
from wryfalcon.demonstration.making import card_for, family_record, settle_as, type_values
from wryfalcon.machines.drivers import driver_of
from wryfalcon.machines.following import catch_up
from wryfalcon.machines.models import DriverKind, Machine, Run

if TYPE_CHECKING:
    from wryfalcon.accounts.models import User

People = dict[str, "User"]
BITTING = {"A": ["3", "5", "2", "4", "1"]}


def hang(people: People, **changes: object) -> Tag:
    """A tag for a worn Harbour five key."""
    job = {
        "title": "Stage door",
        "customer": "Saltmarsh Players",
        "on_bench": OnBench.WORN_KEY,
        "family": family_record("harbour-five"),
        "authority": "known",
        "locks": [Baseline("Stage door", "free", "snags", "free")],
        **changes,
    }
    return take_in(people["wren"], Job(**job))  # type: ignore[arg-type]


def read(people: People, tag: Tag) -> None:
    type_values(people["tam"], tag, "A", STAGE_DOOR_KEY)


def settled(people: People, tag: Tag, bitting: dict[str, list[str]] | None = None) -> None:
    settle_as(people["tam"], tag, bitting or BITTING)


def on_the_line(machine: BenchMachine) -> Machine:
    """The shop's code machine, put on the test's line and homed."""
    Machine.objects.filter(driver=DriverKind.BENCH).update(port=machine.port)
    gannet = Machine.objects.get(driver=DriverKind.BENCH)
    driver_of(gannet).operate("home")
    return gannet


def carded(people: People, tag: Tag, machine: Machine) -> None:
    card_for(people["tam"], tag, machine)


def cut(people: People, tag: Tag) -> Run:
    """Cut the next key to the end."""
    run = cut_key(people["tam"], tag)
    operate_run(people["tam"], tag, run, "clamp")
    operate_run(people["tam"], tag, run, "start")
    return finish(run)


def finish(run: Run, state: str = "finished") -> Run:
    """Wait until a run is in a state."""
    for _ in range(300):
        catch_up(run)
        if run.state == state:
            return run
        time.sleep(0.02)
    raise AssertionError(f"still {run.state}, not {state}")
