"""Jobs brought as far as a test needs them, by the same actions the pages call."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from conftest import BenchMachine
from specimens import STAGE_DOOR_KEY
from wryfalcon.bench.cutting.actions import cut_key, operate
from wryfalcon.bench.following import follow_once
from wryfalcon.bench.models import OnBench, Piece, Tag
from wryfalcon.bench.setting_up.queries import clamping_checks
from wryfalcon.bench.tags.actions import Baseline, TagDetails, take_in
from wryfalcon.demonstration.making import card_for, family_record, settle_as, type_values
from wryfalcon.machines.drivers.bench import BenchDriver
from wryfalcon.machines.line.orders import Press, place_order
from wryfalcon.machines.models import DriverKind, Machine, Order

if TYPE_CHECKING:
    from django.http import HttpResponse
    from django.test import Client

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
    return take_in(people["wren"], TagDetails(**job))  # type: ignore[arg-type]


def read(people: People, tag: Tag) -> None:
    type_values(people["tam"], tag, "A", STAGE_DOOR_KEY)


def settled(people: People, tag: Tag, bitting: dict[str, list[str]] | None = None) -> None:
    settle_as(people["tam"], tag, bitting or BITTING)


def on_the_line(machine: BenchMachine) -> Machine:
    """The shop's code machine, put on the test's line, homed and followed."""
    Machine.objects.filter(driver=DriverKind.BENCH).update(port=machine.port)
    gannet = Machine.objects.get(driver=DriverKind.BENCH)
    follow_once(gannet)
    place_order(Press(None), gannet, "home")
    follow_once(gannet)
    return gannet


def carded(people: People, tag: Tag, machine: Machine) -> None:
    card_for(people["tam"], tag, machine)


def tick_on_page(smith: Client, tag: Tag, ticks: list[str], *, go: bool = True) -> HttpResponse:
    """The checks ticked on the page as it is now."""
    page = smith.get(f"/tags/{tag}/set-up").content.decode()
    seen = re.search(r'name="seen" value="([^"]*)"', page)
    posted = {"tick": ticks, "seen": seen[1] if seen else "", **({"go": "1"} if go else {})}
    return smith.post(f"/tags/{tag}/set-up/tick", posted, follow=True)


def by(people: People) -> Press:
    """A press of Tam's."""
    return Press(people["tam"])


def sent(people: People, tag: Tag) -> Piece:
    """The next key, sent and taken in by its machine."""
    piece = cut_key(by(people), tag)
    return followed(piece)


def asked(people: People, tag: Tag, piece: Piece, *commands: str) -> Piece:
    """What is asked of the machine of a piece, each delivered and what came of it recorded."""
    for command in commands:
        checked = [check.id for check in clamping_checks(tag, piece)]
        operate(by(people), tag, piece, command, checked=checked)
        followed(piece)
    return piece


def followed(piece: Piece) -> Piece:
    """A piece after one more turn with its machine."""
    assert piece.machine is not None
    follow_once(piece.machine)
    piece.refresh_from_db()
    return piece


def last_answer(piece: Piece) -> str:
    """What the machine said to the last thing that was asked of it for a piece."""
    order = Order.objects.filter(job=piece.job).latest("pk")
    return f"{order.state}: {order.answer}".rstrip(": ")


def cut(people: People, tag: Tag) -> Piece:
    """Cut the next key to the end."""
    return finish(asked(people, tag, sent(people, tag), "clamp", "start"))


def finish(piece: Piece, state: str = "finished") -> Piece:
    """Let time pass at the machine; the piece must then be in a state."""
    pass_time(piece, 60)
    assert piece.state == state, f"{piece.state}, not {state}"
    return piece


def pass_time(piece: Piece, seconds: float) -> Piece:
    """Let time pass at the machine of a piece, and follow it."""
    assert piece.machine is not None
    panel(piece.machine.port, do="pass", seconds=seconds)
    return followed(piece)


def panel(port: int, **request: object) -> None:
    """What a hand does at the simulated machine, mischance, or time."""
    BenchDriver("127.0.0.1", port, 2).panel(**request)
