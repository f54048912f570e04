"""Memory of the application and of the simulated machine after the whole scenario; what the follower costs at rest."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import psutil

from benchmarks.figure import Figure

SOURCE = Path(__file__).parents[1] / "src"
PORT, MACHINE_PORT = 8711, 8712
MOST_APPLICATION, MOST_FOLLOWER, MOST_MACHINE = 250, 180, 60  # MB
MACHINES, AT_REST, FOR = 8, 0.01, 60.0  # at rest, of a core, for so many seconds


def measure() -> Iterator[Figure]:
    """Serve as the demonstration does, walk the scenario by keyboard, and look at what is resident."""
    with tempfile.TemporaryDirectory() as folder:
        environment = {
            **os.environ,
            "WRY_FALCON_VAR": folder,
            "DJANGO_SETTINGS_MODULE": "wryfalcon.settings.demo",
            "WRY_FALCON_MACHINE_PORT": str(MACHINE_PORT),
            "PYTHONPATH": str(SOURCE),
        }
        prepare = [sys.executable, "-m", "wryfalcon", "load_demonstration"]
        subprocess.run(prepare, env=environment, check=True, stdout=subprocess.DEVNULL)
        for number in range(MACHINES - 3):  # beside the three that the demonstration has on a line
            more = [sys.executable, "-m", "wryfalcon", "add_machine", f"Machine {number}", "--port", str(MACHINE_PORT)]
            subprocess.run(more, env=environment, check=True, stdout=subprocess.DEVNULL)
        machine = _start(environment, "-m", "benchmachine", "--port", str(MACHINE_PORT), "--seconds-per-cut", "0.1")
        bind = f"127.0.0.1:{PORT}"
        serve = ("-m", "gunicorn", "wryfalcon.wsgi", "--bind", bind, "--workers", "1", "--threads", "4")
        follower = _start(environment, "-m", "wryfalcon", "follow_machines")
        application = _start(environment, *serve)
        try:
            _wait()
            yield _at_rest(follower.pid)
            _walk()
            yield _resident("application", application.pid, MOST_APPLICATION)
            yield _resident("follower", follower.pid, MOST_FOLLOWER)
            yield _resident("simulated machine", machine.pid, MOST_MACHINE)
        finally:
            for process in (application, follower, machine):
                process.terminate()
                process.wait()


def _start(environment: dict[str, str], *command: str) -> subprocess.Popen[bytes]:
    quiet = subprocess.DEVNULL
    return subprocess.Popen([sys.executable, *command], env=environment, stdout=quiet, stderr=quiet)


def _wait() -> None:
    for _ in range(100):
        try:
            urllib.request.urlopen(f"http://127.0.0.1:{PORT}/accounts/login").read()
            return
        except OSError:
            time.sleep(0.2)
    raise RuntimeError("the application does not answer")


def _walk() -> None:
    """The scenario of the browser tests, and the pages that load the heaviest libraries."""
    import django
    from playwright.sync_api import sync_playwright

    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "wryfalcon.settings.demo")
    django.setup()
    from browser.conftest import FLAGS
    from browser.smith import Smith
    from browser.test_worn_key import through_the_stages

    found = shutil.which("chromium-headless-shell") or shutil.which("chromium")
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=found, args=FLAGS)
        smith = Smith(browser.new_page(), f"http://127.0.0.1:{PORT}")
        through_the_stages(smith)
        token = smith.page.locator("input[name=csrfmiddlewaretoken]").first.get_attribute("value") or ""
        for kind in ("set-up/plan.dxf", "set-up/plan.nc", "job-card.pdf", "record.json"):
            smith.page.request.post(f"{smith.url}{smith.tag}/{kind}", form={"csrfmiddlewaretoken": token})
        browser.close()


def _at_rest(pid: int) -> Figure:
    """What the follower takes of a core with eight machines on the line, none of them at work."""
    time.sleep(5)  # it has begun
    process, began = psutil.Process(pid), time.monotonic()
    before = sum(process.cpu_times()[:2])
    time.sleep(FOR)
    share = (sum(process.cpu_times()[:2]) - before) / (time.monotonic() - began)
    says = f"follower with {MACHINES} machines at rest: {100 * share:.2f} in 100 of a core (goal {100 * AT_REST:g})"
    return Figure(says, share < AT_REST)


def _resident(name: str, pid: int, most: int) -> Figure:
    whole = psutil.Process(pid)
    used = sum(process.memory_info().rss for process in [whole, *whole.children(recursive=True)]) / 1_000_000
    return Figure(f"{name}: {used:.0f} MB resident (goal under {most})", used < most)
