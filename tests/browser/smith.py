"""A smith with one hand free: everything here is done with the keyboard."""

from __future__ import annotations

from urllib.parse import urlsplit

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect

from wryfalcon.demonstration.shop import PASSWORD

MOST_TABS = 150
DESK, TABLET = 1280, 768
VIOLATIONS = """skipped => axe.run({resultTypes: ["violations"], rules: skipped}).then(
    found => found.violations.map(each => ({rule: each.id, at: each.nodes.map(node => node.html)})))"""
SIZES = [(DESK, 800), (TABLET, 1024), (390, 844)]


class Smith:
    """Drives a page by its keys alone and hears every complaint of the console."""

    def __init__(self, page: Page, url: str) -> None:
        self.page, self.url = page, url
        self.complaints: list[str] = []
        self.tag = ""
        page.on("console", lambda message: self._hear(message.type, message.text))
        page.on("pageerror", lambda error: self.complaints.append(str(error)))
        page.on("requestfailed", lambda request: self._hear_failure(request.url, str(request.failure)))
        page.on("request", self._stay_home)

    def _hear(self, kind: str, text: str) -> None:
        if kind in ("error", "warning") and "422" not in text:  # a refused entry answers 422, as it should
            self.complaints.append(text)

    def _hear_failure(self, url: str, failure: str) -> None:
        if "ERR_ABORTED" not in failure:  # a poll that a new page cut short
            self.complaints.append(f"{url}: {failure}")

    def _stay_home(self, request: object) -> None:
        if not str(getattr(request, "url", "")).startswith((self.url, "data:", "blob:")):
            self.complaints.append(f"left the machine: {getattr(request, 'url', '')}")

    def go(self, path: str) -> None:
        self.page.goto(self.url + path)

    def press(self, *keys: str) -> None:
        for key in keys:
            self.page.keyboard.press(key)

    def reach(self, selector: str) -> None:
        """Tab until the control has the focus."""
        for _ in range(MOST_TABS):
            if self.page.evaluate("s => document.activeElement?.matches(s) ?? false", selector):
                return
            self.page.keyboard.press("Tab")
        raise AssertionError(f"the tab key never reaches {selector}")

    def fill(self, selector: str, text: str) -> None:
        self.reach(selector)
        self.press("Control+a")
        self.page.keyboard.type(text)

    def choose(self, selector: str, option: str) -> None:
        """Choose from a list by typing its beginning."""
        self.reach(selector)
        self.page.keyboard.type(option)

    def press_button(self, words: str) -> None:
        """Tab to a button or link by its words and press it."""
        for _ in range(MOST_TABS):
            said = self.page.evaluate("() => (document.activeElement?.innerText ?? '').trim()")
            if said.startswith(words):
                return self.press("Enter")
            self.page.keyboard.press("Tab")
        raise AssertionError(f"the tab key never reaches a control that says {words!r}")

    def go_on(self) -> None:
        """Press the one prominent control, as the key ``g`` does, once the page has come to rest."""
        self.page.wait_for_selector(".htmx-request, .htmx-swapping, .htmx-settling, .htmx-added", state="detached")
        self.page.wait_for_timeout(80)  # a hand needs longer
        self.page.evaluate("() => document.activeElement?.blur()")
        self.page.wait_for_timeout(1050 if self.page.locator("[data-go][data-spindle]").count() else 0)  # it is read
        self.press("g")

    def log_in(self, name: str = "tam") -> None:
        self.go("/")
        self.fill("#id_username", name)
        self.fill("#id_password", PASSWORD)
        self.press("Enter")
        self.sees("On the bench")

    def remember_tag(self) -> None:
        """Remember the address of the tag the page shows."""
        self.tag = urlsplit(self.page.url).path.rsplit("/", 1)[0]

    def sees(self, text: str, seconds: float = 30) -> None:
        """Wait until the page says something; so long since a busy machine is slow, and nothing is lost by it."""
        expect(self.page.locator("#main")).to_contain_text(text, timeout=seconds * 1000)

    def is_at(self, path: str) -> None:
        self.page.wait_for_url(f"{self.url}{path}")

    def _violations(self, width: int) -> list[dict[str, object]]:
        """What is not accessible on the page as it is, and where; its colours are the same at every width."""
        if not self.page.evaluate("() => 'axe' in window"):
            Axe().run(self.page, options={"runOnly": ["page-has-heading-one"]})  # it stays on the page
        skipped = {} if width == DESK else {"color-contrast": {"enabled": False}}
        return self.page.evaluate(VIOLATIONS, skipped)

    def looks_right(self, name: str) -> None:
        """No accessibility violation on a desk and on a phone, and nothing wider than the screen at every size."""
        for width, height in SIZES:
            self.page.set_viewport_size({"width": width, "height": height})
            if width != TABLET:  # laid out as one of the others is
                found = self._violations(width)
                assert found == [], f"{name} at {width}: {found}"
            wide = self.page.evaluate("() => document.documentElement.scrollWidth")
            assert wide <= width, f"{name} at {width} is {wide} wide"
        self.page.set_viewport_size({"width": DESK, "height": 800})
