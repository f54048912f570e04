"""What every main page costs against a list of Django's own admin, how often it asks, and how that grows."""

from __future__ import annotations

import http.client
import os
import re
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Generator, Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from functools import partial
from pathlib import Path
from threading import Thread
from typing import Any
from urllib.parse import urlencode

from benchmarks.decoding import two_worn_keys
from benchmarks.figure import Figure, in_turn
from keycore.reading.decode import decode

ROOT = Path(__file__).parents[1]
PORT = 8713
PASSWORD = "dunmere-harbour"
LIST = "/admin/bench/tag/"
TURNS, MOST_QUERIES, GROWN = 15, 20, 1.3
MOST_PAGES = 10.0
FIRST_CARD = 4.0
PEOPLE, CROWD = 8, 3.0
LOADED_AFTER = 8.0  # seconds that a process has to load what is slow to load, beside its first requests
ROOMS = (
    "/", "/tags/new", "/library/", "/library/theatre-six", "/machines/", "/machines/1", "/machines/1/course",
    "/machines/3/duplicates", "/machines/cutters/1",
    "/records/",
    "/codes/?code=H1003", "/library/editions/", "/library/bollard-six", "/library/lantern-nine",
)  # fmt: skip

STAGES = (
    "440/take-in", "436/take-in", "439/read", "439/settle", "441/tries", "437/set-up", "435/cut", "434/prove",
    "434/hand-over", "447/read", "447/settle", "447/set-up", "448/read", "448/settle", "448/set-up",
    "449/settle", "450/read?track=S", "450/set-up", "450/cut", "451/set-up", "452/cut", "453/read", "453/tries",
)  # fmt: skip

MAIN = (*ROOMS, *(f"/tags/{stage}" for stage in STAGES))


def measure() -> Iterator[Figure]:
    """Each page against the admin's list of twenty tags, and with ten times of all that is kept; then as served."""
    with demonstration("benchmarks.listing_settings") as client:
        from wryfalcon.accounts.models import User

        User.objects.filter(username="orla").update(is_staff=True, is_superuser=True)  # who may see the list
        small = yield from _pages(client)
        _ten_times()
        yield from _grown(client, small)
        yield _reading_beside_its_page(client)
    with _served():
        yield _first_card()
        yield _crowd()


def _pages(client: Any) -> Generator[Figure, None, dict[str, float]]:
    """CPU of each page with all middleware, warmed, in turns with the list; returns how many times of it each took."""
    from django.db import connection
    from django.test.utils import CaptureQueriesContext

    cost: dict[str, float] = {}
    for path in MAIN:
        plain, taken = in_turn(partial(_ask, client, LIST), partial(_ask, client, path), TURNS, time.process_time)
        with CaptureQueriesContext(connection) as asked:
            _ask(client, path)
        cost[path] = taken / plain
        says = (
            f"{path}: {taken / plain:.2f} times the admin's list of 20 tags (goal 1), {1000 * taken:.0f} ms beside "
            f"{1000 * plain:.0f}, {len(asked)} queries (goal {MOST_QUERIES})"
        )
        yield Figure(says, taken <= plain and len(asked) <= MOST_QUERIES)
    mean = sum(cost.values()) / len(cost)
    yield Figure(f"mean of {len(cost)} pages: {mean:.2f} times", True)
    return cost


def _grown(client: Any, small: Mapping[str, float]) -> Iterator[Figure]:
    """The same pages with ten times the tags, pieces and series; both against the list, each in its own hour."""
    for path in MAIN:
        plain, taken = in_turn(partial(_ask, client, LIST), partial(_ask, client, path), TURNS, time.process_time)
        ratio = taken / plain / small[path]
        yield Figure(f"{path} with ten times as much kept: {ratio:.2f} times (goal {GROWN})", ratio <= GROWN)


def _ask(client: Any, path: str) -> bytes:
    answer = client.get(path)
    if answer.status_code != 200:
        raise RuntimeError(f"{path} answered {answer.status_code}")
    return bytes(answer.content)


def _ten_times() -> None:
    """Nine more of every closed tag with all that hangs on it, and of every series in force with its codes."""
    from wryfalcon.bench.models import Proof, Tag, TagState
    from wryfalcon.codes.models import Code, Series

    number = Tag.objects.latest("number").number
    for tag in list(Tag.objects.exclude(state=TagState.OPEN)):
        for _ in range(9):
            number += 1
            again = _copied(tag, number=number, made_by=None, brought_back_from=None)
            settled = {row.pk: _copied(row, tag=again) for row in tag.settlements.all()}
            cards = {r.pk: _copied(r, tag=again, settlement=settled[r.settlement_id]) for r in tag.set_ups.all()}
            for piece in tag.pieces.filter(onto=None):
                its = {"settlement": settled.get(piece.settlement_id), "set_up": cards.get(piece.set_up_id)}
                made = _copied(piece, tag=again, job=f"{number}-{piece.pk}", **its)
                for proof in Proof.objects.filter(piece=piece):
                    _copied(proof, piece=made)
    for series in list(Series.objects.in_force()):
        codes = list(series.codes.values_list("code", "looked_up", "bitting", "broken"))
        for place in range(9):
            more = _copied(series, slug=f"{series.slug}-{place}", replaces=None)
            Code.objects.bulk_create(
                Code(series=more, code=code, looked_up=f"{looked_up}{place}", bitting=bitting, broken=broken)
                for code, looked_up, bitting, broken in codes
            )


def _copied(row: Any, **changed: Any) -> Any:
    """The same row once more, in some fields another."""
    kept = {each.attname: getattr(row, each.attname) for each in row._meta.concrete_fields if not each.primary_key}
    for name in changed:
        kept.pop(f"{name}_id", None)
    return type(row).objects.create(**{**kept, **changed})


def _reading_beside_its_page(client: Any) -> Figure:
    """Two worn keys weighed together, against the settle page whose reading is already known."""
    both = two_worn_keys()
    page, reading = in_turn(partial(_ask, client, "/tags/439/settle"), partial(decode, both), 30)
    says = f"two measured sources, 12 x 10: {reading * 1000:.0f} ms, {reading / page:.1f} times the settle page"
    return Figure(f"{says} (goal {MOST_PAGES:g})", reading / page <= MOST_PAGES)


def _first_card() -> Figure:
    """The first job card of a process against the next one: what makes them is loaded when the process starts."""
    time.sleep(LOADED_AFTER)
    ask = _logged_in()  # a kept connection is closed meanwhile
    found = re.search(r'csrfmiddlewaretoken" value="([^"]+)', ask("/tags/434/hand-over").decode())
    assert found is not None
    taken = []
    for _ in range(2):
        began = time.perf_counter()
        card = ask("/tags/434/job-card.pdf", urlencode({"csrfmiddlewaretoken": found[1]}))
        taken.append(time.perf_counter() - began)
        assert card.startswith(b"%PDF"), card[:200]
    ratio = taken[0] / taken[1]
    says = f"first job card of a process {taken[0]:.1f} s, {ratio:.1f} times the next (goal {FIRST_CARD:g})"
    return Figure(says, ratio <= FIRST_CARD)


def _crowd() -> Figure:
    """Eight people open pages that weigh readings, none of them looked at before, all at once."""
    paths = [f"/tags/{tag}/{page}" for tag in range(438, 444) for page in ("settle?again=1", "read", "codes", "tries")]
    with ThreadPoolExecutor(PEOPLE) as doors:
        people = list(doors.map(lambda _: _logged_in(), range(PEOPLE)))
    taken: list[tuple[float, str]] = []

    def look(place: int) -> None:
        for path in paths[place::PEOPLE] + paths[(place + 1) % PEOPLE :: PEOPLE]:
            began = time.perf_counter()
            people[place](path)
            taken.append((time.perf_counter() - began, path))

    threads = [Thread(target=look, args=(place,)) for place in range(PEOPLE)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    slowest, path = max(taken)
    says = f"{PEOPLE} people at once, nothing worked out before: slowest {slowest:.1f} s, {path} (goal {CROWD:g} s)"
    return Figure(says, slowest <= CROWD)


@contextmanager
def _served() -> Iterator[None]:
    """One worker of the server the demonstration uses."""
    with tempfile.TemporaryDirectory() as folder:
        environment = {
            **os.environ, "WRY_FALCON_VAR": folder, "DJANGO_SETTINGS_MODULE": "wryfalcon.settings.demo",
            "PYTHONPATH": f"{ROOT}:{ROOT / 'src'}",
        }  # fmt: skip
        prepare = [sys.executable, "-m", "wryfalcon", "load_demonstration"]
        subprocess.run(prepare, env=environment, check=True, stdout=subprocess.DEVNULL)
        serve = [sys.executable, "-m", "gunicorn", "wryfalcon.wsgi", "--bind", f"127.0.0.1:{PORT}", "--threads", "4"]
        server = subprocess.Popen(serve, env=environment, stderr=subprocess.DEVNULL)
        try:
            yield
        finally:
            server.terminate()
            server.wait()


def _logged_in() -> Callable[[str], bytes]:
    """Log the owner in and answer a function that asks for a page over one kept connection."""
    line = http.client.HTTPConnection("127.0.0.1", PORT)
    cookies: dict[str, str] = {}

    def ask(path: str, body: str | None = None) -> bytes:
        headers = {"Cookie": "; ".join(f"{name}={value}" for name, value in cookies.items())}
        if body is not None:
            headers["Content-Type"] = "application/x-www-form-urlencoded"
        method = "GET" if body is None else "POST"
        try:
            line.request(method, path, body, headers)
            answer = line.getresponse()
        except http.client.RemoteDisconnected:  # a kept connection that was closed meanwhile
            line.close()
            line.request(method, path, body, headers)
            answer = line.getresponse()
        for header in answer.headers.get_all("Set-Cookie") or []:
            name, _, value = header.split(";")[0].partition("=")
            cookies[name] = value
        if answer.status >= 400:
            raise RuntimeError(f"{path} answered {answer.status}")
        return answer.read()

    for _ in range(100):
        try:
            page = ask("/accounts/login").decode()
            break
        except OSError:
            line.close()
            time.sleep(0.2)
    found = re.search(r'csrfmiddlewaretoken" value="([^"]+)', page)
    assert found is not None
    who = {"username": "orla", "password": PASSWORD, "csrfmiddlewaretoken": found[1]}
    ask("/accounts/login", urlencode(who))
    return ask


@contextmanager
def demonstration(settings: str = "wryfalcon.settings.demo") -> Iterator[Any]:
    """A demonstration of its own, and a client in which its owner is logged in."""
    with tempfile.TemporaryDirectory() as folder:
        os.environ["WRY_FALCON_VAR"] = folder
        os.environ["DJANGO_SETTINGS_MODULE"] = settings
        import django
        from django.core.management import call_command
        from django.test import Client

        django.setup()
        with Path(folder, "said").open("w") as said:
            call_command("load_demonstration", stdout=said)
        from wryfalcon.accounts.models import User

        client = Client(SERVER_NAME="127.0.0.1")
        client.force_login(User.objects.get(username="orla"))
        yield client
