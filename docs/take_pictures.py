"""``./falcon pictures``: take the pictures of docs/screenshots anew from the demonstration, served afresh."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

ROOT = Path(__file__).parents[1]
HERE = ROOT / "docs" / "screenshots"
PORT, MACHINE_PORT = 8721, 8722
VIEWS = {
    "bench": "/", "take-in": "/tags/new?family=5", "read": "/tags/440/read", "settle": "/tags/439/settle",
    "trim": "/machines/trims/1", "set-up": "/tags/437/set-up", "prove": "/tags/434/prove",
    "hand-over": "/tags/432/hand-over", "copy": "/tags/446/cut", "family": "/library/theatre-six",
    "depth-keys": "/tags/441/read", "faces": "/tags/450/set-up", "guide": "/library/guide?words=boats",
    "tries": "/tags/441/tries",
    "machines": "/machines/1/course", "records": "/records/", "codes": "/codes/?code=H1003",
}  # fmt: skip
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking"]


def main() -> None:
    """Serve, log in, look, keep."""
    HERE.mkdir(exist_ok=True)
    found = shutil.which("chromium-headless-shell") or shutil.which("chromium")
    with _served() as url, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=found, args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, reduced_motion="reduce")
        _log_in(page, url)
        _read_a_little(page, url)
        _cut(page, url)
        for name, path in VIEWS.items():
            page.goto(url + path)
            if name == "take-in":
                page.select_option("#id_family", label="Harbour office six")
            page.wait_for_load_state("networkidle")
            page.screenshot(path=HERE / f"{name}.png")
        _at_night(page, url)
        browser.close()


def _log_in(page: Page, url: str) -> None:
    page.goto(f"{url}/accounts/login")
    page.fill("#id_username", "orla")
    page.fill("#id_password", "dunmere-harbour")
    page.press("#id_password", "Enter")
    page.wait_for_url(f"{url}/")


def _read_a_little(page: Page, url: str) -> None:
    """A reading half typed, with a repeat."""
    page.goto(f"{url}/tags/440/read")
    for cut, value in ((1, "0.264"), (2, "0.245"), (2, "0.247"), (3, "0.2255")):
        page.goto(f"{url}/tags/440/read?cut={cut}")
        page.fill("#typed", value)
        page.press("#typed", "Enter")
        page.get_by_label("Values typed").get_by_text(value).first.wait_for()


def _cut(page: Page, url: str) -> None:
    """The interrupted job taken up again, in the middle of its cuts; its wheel was changed meanwhile."""
    page.goto(f"{url}/tags/435/set-up")
    for box in page.locator("[name=tick]").all():
        box.check()
    page.get_by_role("button", name="Cut").click()
    page.wait_for_url(f"{url}/tags/435/cut")
    page.get_by_role("button", name="Home the machine").click()
    page.get_by_role("button", name="Send it again").click()
    page.click("#do-clamp")
    page.click("#do-start")
    page.wait_for_selector("text=4 of 7 cuts")
    page.screenshot(path=HERE / "cut.png")
    page.wait_for_selector("text=7 of 7 cuts", timeout=20_000)


def _at_night(page: Page, url: str) -> None:
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto(f"{url}/tags/439/settle")
    page.get_by_role("button", name="More").click()
    page.get_by_role("button", name="dark").click()
    page.wait_for_selector("html[data-theme=dark]")
    page.screenshot(path=HERE / "phone-dark.png")


@contextmanager
def _served() -> Iterator[str]:
    with tempfile.TemporaryDirectory() as folder:
        environment = {
            **os.environ,
            "WRY_FALCON_VAR": folder,
            "DJANGO_SETTINGS_MODULE": "wryfalcon.settings.demo",
            "WRY_FALCON_MACHINE_PORT": str(MACHINE_PORT),
            "PYTHONPATH": str(ROOT / "src"),
        }
        subprocess.run([sys.executable, "-m", "wryfalcon", "load_demonstration"], env=environment, check=True)
        commands = [
            ["-m", "benchmachine", "--port", str(MACHINE_PORT), "--seconds-per-cut", "1.2", "--seed", "7"],
            ["-m", "wryfalcon", "follow_machines"],
            ["-m", "gunicorn", "wryfalcon.wsgi", "--bind", f"127.0.0.1:{PORT}", "--threads", "4"],
        ]
        running = [
            subprocess.Popen([sys.executable, *command], env=environment, stderr=subprocess.DEVNULL)
            for command in commands
        ]
        try:
            _wait(f"http://127.0.0.1:{PORT}")
            yield f"http://127.0.0.1:{PORT}"
        finally:
            for process in running:
                process.terminate()
                process.wait()


def _wait(url: str) -> None:
    for _ in range(100):
        try:
            urllib.request.urlopen(f"{url}/accounts/login").read()
            return
        except OSError:
            time.sleep(0.2)
    raise RuntimeError("the application does not answer")


if __name__ == "__main__":
    main()
