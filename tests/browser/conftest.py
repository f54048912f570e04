"""Headless Chromium against the real application and a real machine line."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from threading import Event, Thread
from typing import Any

import pytest
from django.conf import settings
from playwright.sync_api import Page
from pytest_django.live_server_helper import LiveServer

from browser.smith import Smith
from conftest import BenchMachine
from shops import furnish
from wryfalcon.bench.follower import follow_until
from wryfalcon.machines.drivers.bench import BenchDriver
from wryfalcon.machines.models import DriverKind, Machine

TRUE_WITH_OFFSETS = {"depth_offset": -0.012, "space_offset": 0.02, "jaw_angle": 0.0, "seat_sd": 0.002}
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


@pytest.fixture(scope="session")
def browser_type_launch_args() -> dict[str, Any]:
    found = shutil.which("chromium-headless-shell") or shutil.which("chromium")
    return {"executable_path": found, "headless": True, "args": FLAGS}


@pytest.fixture(scope="session")
def browser_context_args() -> dict[str, Any]:
    return {
        "viewport": {"width": 1280, "height": 800},
        "locale": "en-GB",
        "timezone_id": "UTC",
        "reduced_motion": "reduce",
    }


@pytest.fixture
def stock(transactional_db: None) -> None:
    """What is in the shop before anybody comes in."""
    furnish()


@pytest.fixture
def shop(live_server: LiveServer, stock: None, bench_machine: BenchMachine) -> Iterator[LiveServer]:
    """The application being served, stocked, its machine on the line and as its offsets have it."""
    Machine.objects.filter(driver=DriverKind.BENCH).update(port=bench_machine.port)
    panel = BenchDriver("127.0.0.1", bench_machine.port, 2)
    for fault, value in TRUE_WITH_OFFSETS.items():
        panel.panel(do="inject", fault=fault, value=value)
    stop = Event()
    follower = Thread(target=follow_until, args=(stop, settings.VAR))
    follower.start()
    yield live_server
    stop.set()
    follower.join()


@pytest.fixture
def bench_machine() -> Iterator[BenchMachine]:
    """A machine that goes by the wall's clock, as the page does."""
    machine = BenchMachine(clock="wall")
    yield machine
    machine.stop()


@pytest.fixture
def smith(shop: LiveServer, page: Page) -> Iterator[Smith]:
    """A smith at the keyboard; whatever the console says that it should not fails the test."""
    at_bench = Smith(page, shop.url)
    yield at_bench
    assert at_bench.complaints == []
