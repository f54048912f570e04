"""What every request has, and what a person is told when something goes wrong."""

from __future__ import annotations

import json
import logging
import re
import sqlite3
import time
from collections.abc import Callable, Iterator
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from django.conf import settings as all_settings
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test import Client, RequestFactory

from shops import furnish
from web.jobs import hang, settled
from wryfalcon.requests import address_of

pytestmark = pytest.mark.django_db


@pytest.fixture
def log(tmp_path: Path) -> Iterator[Path]:
    """The log as it is written in production, in a file."""
    kept = dict(all_settings.LOGGING)
    handler = {**kept["handlers"]["log"], "class": "logging.FileHandler", "filename": str(tmp_path / "x.log")}
    logging.config.dictConfig({**kept, "handlers": {"log": handler}})
    yield tmp_path / "x.log"
    logging.config.dictConfig(kept)


@pytest.mark.parametrize("by_htmx", [False, True])
def test_an_error_has_a_number_that_is_on_the_page_and_in_the_log(
    smith: Client, log: Path, monkeypatch: Any, by_htmx: bool
) -> None:
    def broken(*_: object) -> None:
        raise RuntimeError("a screw loose")

    monkeypatch.setattr("wryfalcon.bench.tags.views.on_the_bench", broken)
    smith.raise_request_exception = False
    answer = smith.get("/", headers={"HX-Request": "true"} if by_htmx else {})
    assert answer.status_code == 500
    number = re.search(r"<strong[^>]*>([2-9a-z]{8})</strong>", answer.content.decode())[1]  # type: ignore[index]
    assert answer["X-Request-ID"] == number
    said = answer.content.decode()
    assert "If a machine is running, mind the machine first" in said
    lines = [json.loads(line) for line in log.read_text().splitlines()]
    (line,) = [each for each in lines if each["request_id"] == number]
    assert (line["level"], line["path"], line["method"]) == ("ERROR", "/", "GET")
    assert "a screw loose" in line["exc_info"]
    assert "test_requests.py" in line["exc_info"]


def test_a_refusal_is_logged_with_the_number_of_its_answer(smith: Client, log: Path) -> None:
    answer = smith.get("/tags/999999/read")
    (line,) = [json.loads(line) for line in log.read_text().splitlines()]
    assert (line["status_code"], line["request_id"]) == (404, answer["X-Request-ID"])
    assert line["path"] == "/tags/999999/read"


def test_an_error_page_that_fails_itself_still_says_the_number(smith: Client, monkeypatch: Any) -> None:
    def broken(*_: object, **__: object) -> None:
        raise RuntimeError("a screw loose")

    monkeypatch.setattr("wryfalcon.bench.tags.views.on_the_bench", broken)
    monkeypatch.setattr("wryfalcon.requests.render", broken)
    smith.raise_request_exception = False
    answer = smith.get("/")
    assert answer.status_code == 500
    assert answer["X-Request-ID"] in answer.content.decode()


@pytest.mark.parametrize("path", ["/", "/library/", "/records/", "/machines/"])
def test_what_a_person_sees_is_kept_by_nobody(smith: Client, path: str) -> None:
    assert smith.get(path)["Cache-Control"] == "no-store, private"


def test_the_log_in_is_found_with_a_slash_too(client: Client) -> None:
    answer = client.get("/accounts/login/?next=/library/")
    assert answer["Location"] == "/accounts/login?next=/library/"
    assert client.get("/accounts/login/", follow=True).status_code == 200


@pytest.mark.parametrize(
    ("remote", "forwarded", "proxies", "found"),
    [
        ("10.0.0.9", "1.2.3.4", [], "10.0.0.9"),
        ("10.0.0.9", "1.2.3.4", ["10.0.0.9"], "1.2.3.4"),
        ("10.0.0.9", "6.6.6.6, 1.2.3.4", ["10.0.0.9"], "1.2.3.4"),
        ("10.0.0.9", "6.6.6.6, 1.2.3.4, 10.0.0.8", ["10.0.0.0/24"], "1.2.3.4"),
        ("10.0.0.9", "", ["10.0.0.9"], "10.0.0.9"),
        ("10.0.0.9", "rubbish", ["10.0.0.9"], "rubbish"),
        ("1.2.3.4", "10.0.0.9", ["10.0.0.9"], "1.2.3.4"),
    ],
)
def test_only_a_proxy_of_ours_says_where_a_request_comes_from(
    settings: Any, remote: str, forwarded: str, proxies: list[str], found: str
) -> None:
    settings.TRUSTED_PROXIES = proxies
    request = RequestFactory().get("/", REMOTE_ADDR=remote, HTTP_X_FORWARDED_FOR=forwarded)
    assert address_of(request) == found


@pytest.fixture
def read_only(transactional_db: None) -> Iterator[Callable[[], None]]:
    """A database that takes no more: it may only be read."""

    def fill() -> None:
        with connection.cursor() as cursor:
            cursor.execute("PRAGMA query_only=ON")

    yield fill
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA query_only=OFF")


def test_a_page_that_cannot_keep_who_looks_says_so_and_shows_no_bitting(
    read_only: Callable[[], None], client: Client
) -> None:
    people = furnish()
    tag = hang(people)
    settled(people, tag)
    client.force_login(people["tam"])
    read_only()
    for stage in ("cut", "settle", "prove"):
        answer = client.get(f"/tags/{tag}/{stage}")
        said = answer.content.decode()
        assert (answer.status_code, "Nothing can be written now" in said) == (503, True)
        assert "none is shown" in said
        assert "3 5 2 4 1" not in said
    assert client.get("/").status_code == 200
    client.cookies.clear()
    answer = client.post("/accounts/login", {"username": "tam", "password": "dunmere-harbour"})
    assert (answer.status_code, "the database may only be read" in answer.content.decode().lower()) == (503, True)


def test_a_database_that_is_held_is_waited_for_briefly(transactional_db: None, client: Client) -> None:
    people = furnish()
    tag = hang(people)
    client.force_login(people["tam"])
    with closing(sqlite3.connect(connection.settings_dict["NAME"], isolation_level=None)) as other:
        other.execute("BEGIN IMMEDIATE")
        began = time.monotonic()
        answer = client.get(f"/tags/{tag}/read")
        assert (answer.status_code, time.monotonic() - began < 10) == (503, True)
        assert "something else has held the database" in answer.content.decode().lower()
        other.execute("ROLLBACK")
    assert client.get(f"/tags/{tag}/read").status_code == 200
    with connection.cursor() as cursor:
        assert cursor.execute("PRAGMA busy_timeout").fetchone()[0] == 20_000


def test_a_page_answers_head_as_it_answers_get(smith: Client) -> None:
    for path in ("/", "/library/", "/machines/", "/records/", "/codes/"):
        assert (smith.head(path).status_code, smith.head(path).content) == (smith.get(path).status_code, b""), path


UPLOADS = {
    "/library/bring-in": "file", "/library/guide/bring-in": "file", "/records/bring-back": "file",
    "/codes/bring-in": "file", "/library/editions/bring-in": "files",
}  # fmt: skip


@pytest.mark.parametrize("path", UPLOADS)
def test_an_upload_is_read_before_anything_is_locked(
    transactional_db: None, client: Client, monkeypatch: pytest.MonkeyPatch, path: str
) -> None:
    client.force_login(furnish()["orla"])
    locked: list[bool] = []
    loads = json.loads

    def read(*given: Any, **how: Any) -> Any:
        locked.append(connection.in_atomic_block)
        return loads(*given, **how)

    monkeypatch.setattr("keycore.documents.text.json.loads", read)
    for kind in ("family", "record", "series", "guide"):
        raw = json.dumps({"format": f"wry-falcon.{kind}/1", "id": "x"}).encode()
        client.post(path, {UPLOADS[path]: SimpleUploadedFile("x.json", raw)})
    assert locked
    assert not any(locked)
