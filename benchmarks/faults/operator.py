"""A smith at the page: reads what it offers, presses what is prominent, presses again when nothing comes back."""

from __future__ import annotations

import http.client
import re
import time
from collections.abc import Mapping
from dataclasses import dataclass, field
from html.parser import HTMLParser
from http.cookies import SimpleCookie
from random import Random
from urllib.parse import urlencode

PASSWORD = "dunmere-harbour"
CHECKS_FALLEN = "Go through its checks again"
OPEN_ORDER = ("not delivered yet", "sent, not answered yet", "has not reached the machine")


@dataclass
class Form:
    """One form of a page: where it goes, its hidden fields, its buttons (name, value, prominent)."""

    action: str
    fields: dict[str, str] = field(default_factory=dict)
    buttons: list[tuple[str, str, bool]] = field(default_factory=list)

    def button(self, value: str) -> bool:
        """Whether it has this button."""
        return any(value in (name, of) for name, of, _ in self.buttons)


class _Forms(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.forms: list[Form] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        given = {name: value or "" for name, value in attrs}
        if tag == "form":
            self.forms.append(Form(given.get("action", "")))
        elif tag == "input" and self.forms and given.get("type") == "hidden":
            self.forms[-1].fields[given["name"]] = given.get("value", "")
        elif tag == "button" and self.forms:
            button = (given.get("name", ""), given.get("value", ""), "data-go" in given)
            self.forms[-1].buttons.append(button)


class Gone(Exception):
    """The application is not there now."""


@dataclass
class Operator:
    """Works through tags by their pages alone."""

    port: int
    random: Random
    name: str = "tam"
    cookies: dict[str, str] = field(default_factory=dict)
    kept: list[tuple[str, dict[str, str | list[str]]]] = field(default_factory=list)  # forms of stale pages
    acknowledged: list[str] = field(default_factory=list)  # presses that the application said it has
    touched_up: set[str] = field(default_factory=set)

    def get(self, path: str) -> tuple[str, str]:
        """A page and the path it came from, redirects followed."""
        for _ in range(5):
            status, location, body = self._ask("GET", path)
            if status not in (301, 302):
                return path, " ".join(body.split())
            path = location
        return path, " ".join(body.split())

    def post(self, path: str, fields: Mapping[str, str | list[str]]) -> str:
        """Send a form; sent again, the same, until an answer comes: nobody knows whether the first arrived."""
        for _ in range(40):
            try:
                status, location, _ = self._ask("POST", path, urlencode(fields, doseq=True))
            except Gone:
                time.sleep(0.15)
                continue
            if status == 302:
                return location
            raise Gone
        raise Gone

    def log_in(self) -> None:
        """Begin a session."""
        _, page = self.get("/accounts/login")
        token = next(form.fields["csrfmiddlewaretoken"] for form in forms_of(page) if form.fields)
        self.post("/accounts/login", {"csrfmiddlewaretoken": token, "username": self.name, "password": PASSWORD})

    def work_on(self, number: int) -> bool:
        """One step with a tag; whether it is closed."""
        path, page = self.get(f"/tags/{number}")
        stage = path.rsplit("/", 1)[1].split("?")[0]
        if "login" in path:
            self.log_in()
        elif stage == "set-up":
            self._check(page)
        elif stage == "cut" and CHECKS_FALLEN in page:
            self._check(self.get(f"/tags/{number}/set-up")[1])
        elif stage == "cut":
            self._cut(page)
        elif stage == "prove":
            self._prove(number, page)
        elif stage == "hand-over":
            return self._hand_over(page)
        else:
            raise RuntimeError(f"tag {number} stands at {stage}")
        return False

    def meddle(self) -> None:
        """A second tab that was left open: one of its stale forms is sent."""
        if self.kept:
            path, fields = self.random.choice(self.kept)
            self.post(path, fields)

    def _cut(self, page: str) -> None:
        offered = [
            (form, name, value)
            for form in forms_of(page)
            for name, value, prominent in form.buttons
            if prominent and form.action
        ]
        if not offered or any(says in page for says in OPEN_ORDER):
            time.sleep(0.05)
            return
        form, name, value = offered[0]
        if value == "hold":
            if self.random.random() < 0.06:
                self._press(form, {name: self.random.choice(("hold", "stop"))})
            time.sleep(0.08)
            return
        checks = {"check": re.findall(r'name="check" value="([^"]+)"', page)} if value == "clamp" else {}
        self._press(form, {name: value, **checks} if name else {})

    def _check(self, page: str) -> None:
        """Fit what the card names and go through every check again: another key had its own wheel in between."""
        form = next((form for form in forms_of(page) if form.action.endswith("/tick")), None)
        if form is not None:
            ticks = re.findall(r'name="tick" value="([^"]+)"', page)
            self.post(form.action, {**form.fields, "tick": ticks, "go": "1"})

    def _prove(self, number: int, page: str) -> None:
        forms = forms_of(page)
        piece = re.search(r"/prove/(\d+)/", page)
        measure = next((form for form in forms if form.button("caliper")), None)
        readings = int(next(iter(re.findall(r"data-readings>\s*(\d+)", page)), "0"))
        if measure is not None and readings < 1:
            self._press(measure, {"caliper": "1"})
            time.sleep(0.15)
            return
        touch = next((form for form in forms if form.button("touch-up")), None)
        key = f"{number}:{piece.group(1) if piece else ''}"
        if touch is not None and number % 2 and "touched up" not in page and key not in self.touched_up:
            self.touched_up.add(key)
            self._press(touch, {"operation": "touch-up"})
            return
        verdict = next((form for form in forms if form.button("passed")), None)
        if verdict is not None:
            self._press(verdict, {"passed": "1", "reason": "turns freely"})
        time.sleep(0.05)

    def _hand_over(self, page: str) -> bool:
        close = next((form for form in forms_of(page) if form.action.endswith("/close")), None)
        if close is None:
            return "handed over" in page
        self._press(close, {"reason": ""})
        return False

    def _press(self, form: Form, button: Mapping[str, str | list[str]]) -> None:
        fields = {**form.fields, **button}
        self.kept = [*self.kept[-40:], (form.action, fields)]
        location = self.post(form.action, fields)
        if "press" in fields:
            try:
                _, page = self.get(location)
            except Gone:
                return
            if "message-error" not in page:
                self.acknowledged.append(fields["press"].replace("-", ""))

    def _ask(self, method: str, path: str, body: str = "") -> tuple[int, str, str]:
        try:
            line = http.client.HTTPConnection("127.0.0.1", self.port, timeout=20)
            headers = {"Cookie": "; ".join(f"{name}={value}" for name, value in self.cookies.items())}
            if body:
                headers["Content-Type"] = "application/x-www-form-urlencoded"
            line.request(method, path, body.encode() or None, headers)
            answer = line.getresponse()
            text = answer.read().decode("utf-8", "replace")
            line.close()
        except (OSError, http.client.HTTPException):
            raise Gone from None
        for cookie in answer.headers.get_all("Set-Cookie") or []:
            for name, morsel in SimpleCookie(cookie).items():
                self.cookies[name] = morsel.value
        if answer.status >= 500:
            raise RuntimeError(f"{answer.status} for {method} {path}")
        return answer.status, answer.headers.get("Location", ""), text


def forms_of(page: str) -> list[Form]:
    """The forms of a page."""
    parser = _Forms()
    parser.feed(page)
    return parser.forms
