"""Server time of every main page against a bare view of as many bytes, and queries that do not grow."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from benchmarks.figure import Figure, seconds

SLOWEST = 5.0
TAGS = ("read", "settle?again=1", "settle", "set-up", "cut", "prove", "hand-over")
ROOMS = ("/", "/tags/new", "/library/", "/library/theatre-six", "/machines/", "/records/")


def measure() -> Iterator[Figure]:
    """Load the demonstration into a database of its own and time each page."""
    with _demonstration() as client:
        from django.test import override_settings

        with override_settings(ROOT_URLCONF="benchmarks.bare"):
            bare = seconds(lambda: client.get("/bare/20000"), 40)
        stage_tag = {"cut": 435, "prove": 434, "hand-over": 434, "settle": 438, "set-up": 437}
        paths = [*ROOMS, *(f"/tags/{stage_tag.get(stage, 439)}/{stage}" for stage in TAGS)]
        for path in paths:
            yield _page(client, path, bare)
        yield from _queries(client)


def _page(client: Any, path: str, bare_20k: float) -> Figure:
    from django.test import override_settings

    size = len(client.get(path).content)
    with override_settings(ROOT_URLCONF="benchmarks.bare"):
        bare = seconds(lambda: client.get(f"/bare/{size}"), 40)
    taken = seconds(lambda: client.get(path), 25)
    ratio = taken / bare
    return Figure(
        f"{path}: {ratio:.1f} times a bare view of its {size // 1000} kB (goal {SLOWEST:g}), {taken * 1000:.1f} ms",
        ratio <= SLOWEST,
    )


def _queries(client: Any) -> Iterator[Figure]:
    from django.db import connection
    from django.test.utils import CaptureQueriesContext

    from wryfalcon.accounts.models import User
    from wryfalcon.bench.actions.take_in import Job, take_in
    from wryfalcon.demonstration.making import family_record

    def count(path: str) -> int:
        with CaptureQueriesContext(
            connection,
        ) as captured:
            client.get(path)
        return len(captured)

    before = {path: count(path) for path in ROOMS}
    owner = User.objects.get(username="orla")
    for number in range(120):
        take_in(owner, Job(f"Job {number}", f"Customer {number}", "worn-key", family_record("pier-six")))
    after = {path: count(path) for path in ROOMS}
    same = before == after
    yield Figure(f"queries with 40 tags and with 160: {before} and {'the same' if same else after}", same)


@contextmanager
def _demonstration() -> Iterator[Any]:
    with tempfile.TemporaryDirectory() as folder:
        os.environ["WRY_FALCON_VAR"] = folder
        os.environ["DJANGO_SETTINGS_MODULE"] = "wryfalcon.settings.demo"
        import django
        from django.core.management import call_command
        from django.test import Client

        django.setup()
        call_command("load_demonstration", stdout=(Path(folder) / "said").open("w"))
        from wryfalcon.accounts.models import User

        client = Client(SERVER_NAME="127.0.0.1")
        client.force_login(User.objects.get(username="orla"))
        yield client
