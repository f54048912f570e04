"""Eleven common jobs walked through in a browser: presses and taps beside what must be typed of names and values."""

from __future__ import annotations

import os
import shutil
import subprocess
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from playwright.sync_api import Locator, Page, sync_playwright

from benchmarks import room
from benchmarks.figure import Figure

ROOT = Path(__file__).parents[1]
PORT, MACHINE_PORT = 8723, 8793
HOME = os.environ.get("WRY_FALCON_AT", f"http://127.0.0.1:{PORT}")
"""Where it is walked: a demonstration of its own, unless one that runs already is named."""
PASSWORD = "dunmere-harbour"
STARTS_WITHIN = 240
PATIENCE = 12_000  # ms
WORN = ("278", "235", "295", "258", "319")
TUBE = ("0.059", "0.097", "0.040", "0.078", "0.021", "0.116")  # inches
TABLE = ROOT / "docs" / "jobs.md"


class Hand:
    """One hand at the application: every press and every tap is counted, what is typed of names and values beside."""

    def __init__(self, page: Page) -> None:
        self.page, self.presses, self.typed = page, 0, 0
        page.set_default_timeout(PATIENCE)

    def go(self, path: str) -> None:
        """Be at a page before the job begins: not counted."""
        self.page.goto(HOME + path)

    def tap(self, words: str, *, exact: bool = False) -> None:
        """A button or a link."""
        main = self.page.locator("main")
        found = main.get_by_role("button", name=words, exact=exact).or_(
            main.get_by_role("link", name=words, exact=exact)
        )
        self._press(found.first)

    def tap_at(self, selector: str) -> None:
        """Something that has no name of its own."""
        self._press(self.page.locator(f"main {selector}").first)

    def tick(self, words: str) -> None:
        """A check box."""
        self._press(self.page.locator("main").get_by_label(words).first)

    def tick_all(self, name: str) -> None:
        """Every box of that name that is not ticked yet."""
        left = self.page.locator(f"input[name={name}]:not(:checked)")
        while left.count():
            self._press(left.first)

    def choose(self, label: str, option: str) -> None:
        """A list opened, an entry of it tapped."""
        self.page.locator("main").get_by_label(label).first.select_option(label=option)
        self.presses += 2

    def type(self, label: str, text: str) -> None:
        """A name or a value into its field."""
        self.page.locator("main").get_by_label(label).first.fill(text)
        self.typed += 1

    def value(self, text: str) -> None:
        """A value typed where the cursor stands, and Enter."""
        self.page.locator("#typed").fill(text)
        self.page.locator("#typed").press("Enter")
        self.typed += 1
        self.presses += 1

    def key(self, name: str) -> None:
        """One key."""
        self.page.keyboard.press(name)
        self.presses += 1

    def go_on(self) -> None:
        """The one prominent control, by its key, once the page has come to rest."""
        self.page.wait_for_load_state("networkidle")
        self.page.wait_for_timeout(1100 if self.page.locator("[data-go][data-spindle]").count() else 80)
        self.page.evaluate("() => document.activeElement?.blur()")
        self.key("g")
        self.page.wait_for_timeout(150)
        self.page.wait_for_load_state("networkidle")

    def sees(self, text: str) -> None:
        """Wait until the page says so."""
        self.page.locator("main").get_by_text(text).first.wait_for()

    def settled(self) -> None:
        """Wait until the page has come to rest."""
        self.page.wait_for_load_state("networkidle")

    def _press(self, found: Locator) -> None:
        found.click()
        self.presses += 1
        self.page.wait_for_load_state("load")


def measure() -> Iterator[Figure]:
    """Walk each job once on a fresh demonstration, its simulated machine running; the table in docs is written anew."""
    rows = []
    with _demonstration(), sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=_chromium(), args=["--no-sandbox"])
        for name, (most, walk) in JOBS.items():
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            _log_in(page)
            hand, problem = Hand(page), ""
            try:
                walk(hand)
            except Exception as error:
                problem = str(error).splitlines()[0]
                if folder := os.environ.get("WRY_FALCON_SHOTS"):
                    page.screenshot(path=f"{folder}/{walk.__name__}.png")
            page.close()
            rows.append((name, most, hand.presses, hand.typed, problem))
            says = f"{name}: {hand.presses} presses beside {hand.typed} names and values (goal {most})"
            yield Figure(f"{says}{f', NOT DONE: {problem}' if problem else ''}", not problem and hand.presses <= most)
        browser.close()
    _write(rows)
    yield from room.measure()


def worn_key(hand: Hand) -> None:
    """A worn key to a proven one."""
    _take_in(hand, "Stage door, one more", "Harbour five", lock="Stage door")
    for value in WORN:
        hand.value(value)
    _settle_and_read_back(hand)
    _card_and_cut(hand)
    hand.go_on()
    hand.tap("Goes freely")
    hand.sees("cuts up, at first:")
    hand.go_on()
    hand.sees("1 of 1 key proven")


def code_to_key(hand: Hand) -> None:
    """A code to a cut key."""
    hand.go("/")
    hand.key("/")
    hand.page.keyboard.type("h1003")
    hand.typed += 1
    hand.key("Enter")
    hand.settled()
    for _ in range(3):  # the code, its bittings, a tag for it
        hand.go_on()
    hand.type("Customer", "Harbour Office")
    hand.type("What shows that they may have this key", "lease seen")
    hand.tap("Hang the tag")
    _settle_and_read_back(hand, first=False)
    _card_and_cut(hand)


def plain_copy(hand: Hand) -> None:
    """A good key copied: it looks good, taken in, made, like its pattern, given back."""
    hand.go("/")
    hand.tap("Copy a key")
    hand.choose("Blank", hand.page.locator("#id_blank option", has_text="DM-5").first.inner_text())
    hand.tick("They have the key in hand")
    hand.tap("Hang the tag")
    hand.tap("Made and deburred")
    hand.tap("Like its pattern")
    hand.tap("Hand over and close")
    hand.sees("handed over")


def depth_keys(hand: Hand) -> None:
    """A lock read with depth keys, to its card: 2 4 3 1."""
    _take_in(hand, "Plot 9 shed, no key", "Allotment four", on_bench="a lock and no key", authority="card seen")
    hand.tap("Depth keys in the lock")
    cuts = ("2", "4", "3", "1")
    while True:
        hand.settled()
        heading = hand.page.locator("h2", has_text="Depth key ")
        if not heading.count():
            break
        depth = heading.first.inner_text().removeprefix("Depth key ").strip()
        for space, label in enumerate(cuts, start=1):
            if label == depth:
                hand.tap_at(f"label:has(input[name=flush][value='{space}'])")
        hand.tap("Note depth key")
        hand.settled()
        hand.page.wait_for_timeout(400)  # the next one is asked for
        if not hand.page.locator("button[data-go]", has_text="Note depth key").count():
            break  # what is left is told
    _settle_and_read_back(hand)
    hand.go_on()
    hand.sees("Before the spindle starts")


def half_a_lock(hand: Hand) -> None:
    """Part of a lock's cuts, to the first key that is tried."""
    _take_in(hand, "Locker, no key", "Lighthouse eight", on_bench="only part of the locks", authority="card seen")
    hand.tap("Stamped parts")
    hand.type("What is stamped on them", "2 3 1 2 4 3 - -")
    hand.tap("Keep the labels")
    hand.settled()
    hand.go_on()
    hand.tap("work through the keys to try")
    hand.sees("Take a new blank")
    hand.go_on()
    hand.sees("does not turn")


def come_back(hand: Hand) -> None:
    """A key that came back, to its likeliest cause."""
    hand.go("/")
    hand.tap("Take in a key")
    hand.choose("On the bench", "a key brought back")
    hand.type("Tag that made it", "434")
    hand.key("Tab")
    hand.sees("Filled from tag")
    hand.type("What shows that they may have this key", "our own label")
    hand.tap("Hang the tag")
    hand.settled()
    hand.tap("Why did it come out wrong?")
    hand.sees("For and against")


def trim(hand: Hand) -> None:
    """A machine trimmed, from its page to the adjustment."""
    hand.go("/machines/1")
    hand.tap("Trim it by measured keys")
    _type_clampings(hand, (0.0015, 0.0017, 0.0013))
    hand.go_on()
    hand.sees("Is it true?")


def morning_check(hand: Hand) -> None:
    """One test key of a machine: true or not."""
    hand.go("/machines/1")
    hand.tap("Morning check")
    _type_clampings(hand, (0.0002,))
    hand.go_on()
    hand.sees("Is it true?")


def touch_up(hand: Hand) -> None:
    """A made key that rubs, to its touch-up; the key itself is made before, by another hand."""
    other = Hand(hand.page)
    _take_in(other, "Rubs", "Harbour five", on_bench="a bitting or a code", authority="card seen", lock="Stage door")
    _say_what_is_known(other)
    _card_and_cut(other)
    other.go_on()
    hand.tap_at("summary:has-text('Otherwise')")
    hand.choose("Turns", "rubs or is stiff")
    hand.choose("It shows at", "cut 2")
    hand.tap("Note it")
    hand.sees("How much may be taken off?")
    hand.tap("With a file")
    hand.go_on()
    hand.sees("touched up")


def known(hand: Hand) -> None:
    """A bitting that somebody knows, to its card."""
    _take_in(hand, "From their card", "Harbour five", on_bench="a bitting or a code", authority="card seen")
    _say_what_is_known(hand)
    hand.go_on()
    hand.sees("Before the spindle starts")


def by_dials(hand: Hand) -> None:
    """A tube read with the caliper, cut slot by slot at two dials, each step told and confirmed, to its proof."""
    _take_in(hand, "Mooring meter", "Bollard six", authority="card seen")
    for value in TUBE:
        hand.value(value)
    _settle_and_read_back(hand)
    hand.go("/tags/" + hand.page.url.split("/tags/")[1].split("/")[0] + "/cut")
    hand.tap("in another way")
    hand.tap("by the dials")
    hand.tap("Begin it")
    while hand.page.locator("#walked").count():
        hand.go_on()
    hand.sees("Deburr")


def _say_what_is_known(hand: Hand) -> None:
    hand.tap("A bitting that is known")
    hand.type("Who says so", "their card")
    hand.type("The bitting as it stands", "3 5 2 4 1")
    hand.tap("Keep the labels")
    hand.settled()
    hand.go_on()


JOBS: dict[str, tuple[int, Callable[[Hand], None]]] = {
    "worn key to a proven one": (45, worn_key),
    "code to a cut key": (28, code_to_key),
    "plain copy": (12, plain_copy),
    "lock read with depth keys, to its card": (30, depth_keys),
    "half a lock, to the first try": (35, half_a_lock),
    "come-back, to its likeliest cause": (15, come_back),
    "trim of a machine, to the adjustment": (25, trim),
    "morning check": (12, morning_check),
    "touch-up after a trial": (10, touch_up),
    "a known bitting, to its card": (18, known),
    "a tube read and cut at two dials": (50, by_dials),
}


def _take_in(hand: Hand, title: str, family: str, *, lock: str = "", on_bench: str = "", authority: str = "") -> None:
    hand.go("/")
    hand.tap("Take in a key")
    hand.type("What the job is", title)
    hand.type("Customer", "Saltmarsh Players")
    if on_bench:
        hand.choose("On the bench", on_bench)
    if authority:
        hand.type("What shows that they may have this key", authority)
    else:
        hand.tick("They have the key in hand")
    hand.choose("Key family", family)
    if lock:
        hand.page.locator("#id_locks-0-name").fill(lock)
        hand.typed += 1
    hand.tap("Hang the tag")


def _settle_and_read_back(hand: Hand, *, first: bool = True) -> None:
    for _ in range(3 if first else 2):  # to Settle, settled, read back
        hand.go_on()


def _card_and_cut(hand: Hand) -> None:
    hand.go_on()
    hand.sees("Before the spindle starts")
    hand.tick_all("tick")
    hand.go_on()
    if hand.page.get_by_role("button", name="Home the machine").count():
        hand.go_on()
        hand.sees("Send key 1")
    for then in ("at the machine, to be clamped", "clamped, ready to start", "cuts"):
        hand.go_on()
        hand.sees(then)
    hand.sees("Made. Deburr lightly")


def _type_clampings(hand: Hand, off: tuple[float, ...]) -> None:
    """Every cut of each clamping as it may measure, so far shallow; all of one in one field."""
    labels = hand.page.locator("p.bitting").first.inner_text().split()
    values = {row[0]: float(row[1]) for row in _depths(hand)}
    for each in off:
        for place, label in enumerate(labels, start=1):
            hand.type(f"Cut {place} measured", f"{values[label] + each:.4f}")
            hand.presses += 1  # Enter, to the next
        hand.tap("Keep this clamping")
        hand.settled()


def _depths(hand: Hand) -> list[list[str]]:
    """The depth table of the family that a trim is cut on, from its own page."""
    name = hand.page.locator("p.text-muted").first.inner_text().split(" blank")[0].strip()
    slug = name.lower().replace(" ", "-")
    found = hand.page.request.get(f"{HOME}/library/{slug}.json").json()
    return [[depth["label"], str(depth["value"])] for depth in found["tracks"][0]["depths"]]


def _log_in(page: Page) -> None:
    page.goto(f"{HOME}/")
    page.fill("#id_username", "tam")
    page.fill("#id_password", PASSWORD)
    page.keyboard.press("Enter")
    page.get_by_role("heading", name="On the bench").wait_for()


def _chromium() -> str | None:
    return shutil.which("chromium-headless-shell") or shutil.which("chromium")


@contextmanager
def _demonstration() -> Iterator[None]:
    """The demonstration as everybody starts it, on ports and in a folder of its own."""
    if "WRY_FALCON_AT" in os.environ:
        yield
        return
    with tempfile.TemporaryDirectory() as folder:
        environment = {
            **os.environ, "WRY_FALCON_VAR": folder, "WRY_FALCON_PORT": str(PORT),
            "WRY_FALCON_MACHINE_PORT": str(MACHINE_PORT),
        }  # fmt: skip
        environment.pop("DJANGO_SETTINGS_MODULE", None)
        running = subprocess.Popen(
            [str(ROOT / "falcon"), "demo", "--fresh"], env=environment, stdout=subprocess.PIPE, text=True
        )
        try:
            began = time.monotonic()
            assert running.stdout is not None
            for line in running.stdout:
                if "Log in as" in line or time.monotonic() - began > STARTS_WITHIN:
                    break
            yield
        finally:
            running.terminate()
            running.wait()


def _write(rows: list[tuple[str, int, int, int, str]]) -> None:
    """The table in docs, as it was walked last."""
    lines = [f"| {name} | {goal} | {problem or presses} | {typed} |" for name, goal, presses, typed, problem in rows]
    TABLE.write_text(HEAD + "\n".join(lines) + "\n")


HEAD = """# Eleven common jobs, counted

Presses of keys and taps of buttons, links, boxes and lists (a list is two: opened, and an entry of it) that each
takes in the browser, beside the names and values that must be typed. `./falcon bench jobs` walks them on a fresh
demonstration, its simulated machine running, and writes this table. No job gets worse without a reason.

| Job | Goal | Presses | Typed |
| --- | --- | --- | --- |
"""
