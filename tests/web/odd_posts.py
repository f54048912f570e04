"""Every address and every form of a shop, found by walking it, and odd values to give them."""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from html.parser import HTMLParser
from random import Random
from re import sub
from urllib.parse import urldefrag, urljoin, urlsplit

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction
from django.test import Client

ODD = (
    "", " ", "0", "-1", "2", "999999999999", "1e309", "1e-320", "NaN", "inf", "½", "٣", "0,301", ".301", "6.35", "3225",
    "0.25 0.23 0.21", "1,2,3,4", "<b>x</b>", "' OR 1=1 --", "\u0000", "\u202e", "a" * 5000, "=1+1", "@x", "[]", "{}",
    "9" * 5000, "0001" + "0" * 5000, "9" * 5000 + ":A",
    "None", "../../etc", "1\n2", "12/31/2026", "bench:tag", "Z", "A", "B", "tip", "code", "depth_keys", "é",
)  # fmt: skip
FILES = (b"", b"\x00\xff", b"{}", b"[1,", b"code,bitting\nA1,1 2\n", b"PK\x03\x04rubbish", b"{" * 3000)
SLOW = 3.0  # seconds
POISONED = ("take-in", "read", "settle", "codes", "tries", "set-up", "cut", "prove", "hand-over")
LEFT_ALONE = ("/accounts/logout", "/accounts/unit", "/accounts/theme")


@dataclass(frozen=True)
class Form:
    """A form as it stands on a page."""

    action: str
    method: str
    fields: tuple[tuple[str, str], ...]  # name and value, in order
    files: tuple[str, ...] = ()

    @property
    def names(self) -> list[str]:
        """Its fields, each once."""
        return list(dict.fromkeys([name for name, _ in self.fields] + list(self.files)))

    @property
    def pattern(self) -> tuple[str, tuple[str, ...]]:
        """What it is, whichever record it is of."""
        return sub(r"\d+", "N", self.action), tuple(sorted(self.names))


@dataclass(frozen=True)
class Fault:
    """What was done, and what came of it."""

    did: str
    came: str

    def __str__(self) -> str:
        return f"{self.did}: {self.came}"


class _Page(HTMLParser):
    """The links and forms of a page."""

    def __init__(self, base: str) -> None:
        super().__init__()
        self.base, self.links, self.forms = base, [], []
        self._form: dict | None = None
        self._select = ""

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        at = {name: value or "" for name, value in attrs}
        for name in ("href", "hx-get"):
            if name in at and tag != "link":
                self.links.append(urldefrag(urljoin(self.base, at[name]))[0])
        if tag == "form":
            action = urljoin(self.base, at.get("action") or at.get("hx-post") or self.base)
            self._form = {"action": action, "method": at.get("method", "get").lower(), "fields": [], "files": []}
        elif self._form is not None and "name" in at:
            if tag == "select":
                self._select = at["name"]
                self._form["fields"].append((at["name"], ""))
            elif at.get("type") == "file":
                self._form["files"].append(at["name"])
            elif at["name"] != "csrfmiddlewaretoken" and "disabled" not in at:
                self._form["fields"].append((at["name"], at.get("value", "on" if at.get("type") == "checkbox" else "")))
        elif tag == "option" and self._select and self._form is not None:
            fields = self._form["fields"]
            if fields[-1] == (self._select, "") or "selected" in at:
                fields[-1] = (self._select, at.get("value", ""))

    def handle_endtag(self, tag: str) -> None:
        if tag == "select":
            self._select = ""
        elif tag == "form" and self._form is not None:
            found = self._form
            self.forms.append(Form(found["action"], found["method"], tuple(found["fields"]), tuple(found["files"])))
            self._form = None


@dataclass
class Walk:
    """A walk about a shop as one person: what was met, and every fault."""

    client: Client
    each: int = 2  # of each sort of address
    asked: int = 0  # of each that asks something, where fewer of those do
    faults: list[Fault] = field(default_factory=list)
    addresses: list[str] = field(default_factory=list)
    forms: dict[tuple[str, tuple[str, ...]], Form] = field(default_factory=dict)

    def go(self, start: str = "/", most: int = 400) -> Walk:
        """Follow every link from a page."""
        queue, seen, sorts = [start], set(), Counter()
        while queue and len(seen) < most:
            to = queue.pop(0)
            sort = sub(r"\d+", "N", sub(r"=[^&]*", "", to))
            few = self.asked or self.each if "?" in to else self.each
            if to in seen or sorts[sort] >= few or to.startswith("http") or to in LEFT_ALONE:
                continue
            seen.add(to)
            sorts[sort] += 1
            page = self.get(to)
            if page is None:
                continue
            self.addresses.append(to)
            for form in page.forms:
                if form.method == "post" and not form.action.startswith(LEFT_ALONE):
                    self.forms.setdefault(form.pattern, form)
            queue += page.links
        return self

    def get(self, to: str) -> _Page | None:
        """One page, or None for what is none."""
        answer = self._done(f"GET {to}", lambda: self.client.get(to, follow=True))
        if answer is None or "text/html" not in answer.headers.get("Content-Type", "") or answer.status_code >= 300:
            return None
        page = _Page(to)
        page.feed(answer.content.decode())
        return page

    def post(self, form: Form, changes: Mapping[str, Sequence[str]], upload: bytes | None = None) -> None:
        """Post a form with some fields otherwise, look at its tag, and leave everything as it was."""
        posted: dict[str, object] = {}
        for name, value in form.fields:
            posted.setdefault(name, value)
        posted |= {name: list(values) for name, values in changes.items()}
        for name in form.files:
            posted[name] = SimpleUploadedFile("x.csv", upload or b"")
        did = f"POST {form.action} { ({name: [v[:40] for v in values] for name, values in changes.items()})!r}"
        with transaction.atomic():
            self._done(did, lambda: self.client.post(form.action, posted))
            for to in _may_be_poisoned(form.action):
                self._done(f"{did}, then GET {to}", lambda to=to: self.client.get(to))
            transaction.set_rollback(True)

    def ask(self, address: str, query: Mapping[str, str]) -> None:
        """An address with odd questions."""
        self._done(f"GET {address} {dict(query)!r}", lambda: self.client.get(address, query))

    def _done(self, did: str, act):
        began = time.process_time()
        try:
            answer = act()
        except Exception as error:
            where = _where(error)
            self.faults.append(Fault(did, f"{type(error).__name__}: {str(error)[:120]} at {where}"))
            return None
        spent = time.process_time() - began
        if answer.status_code >= 500:
            self.faults.append(Fault(did, f"answer {answer.status_code}"))
        if spent > SLOW:
            self.faults.append(Fault(did, f"took {spent:.1f} s"))
        return answer


def _where(error: BaseException) -> str:
    at, trace = "", error.__traceback__
    while trace is not None:
        if "/wryfalcon/" in trace.tb_frame.f_code.co_filename or "/keycore/" in trace.tb_frame.f_code.co_filename:
            at = f"{trace.tb_frame.f_code.co_filename.rsplit('/src/', 1)[-1]}:{trace.tb_lineno}"
        trace = trace.tb_next
    return at


def _may_be_poisoned(action: str) -> Iterator[str]:
    parts = urlsplit(action).path.split("/")
    if len(parts) > 2 and parts[1] == "tags" and parts[2].isdecimal():
        for stage in POISONED:
            yield f"/tags/{parts[2]}/{stage}"


def some_oddness(form: Form, random: Random) -> dict[str, list[str]]:
    """One to three fields given something odd, left empty of values, or given twice."""
    names = [name for name in form.names if name not in form.files]
    if not names:
        return {}
    changed = {}
    for name in random.sample(names, min(len(names), random.choice([1, 1, 2, 3]))):
        how = random.random()
        values = [random.choice(ODD)]
        changed[name] = [] if how < 0.08 else values * 2 if how < 0.14 else values
    return changed
