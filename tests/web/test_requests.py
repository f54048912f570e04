"""What every request has, and what a person is told when something goes wrong."""

from __future__ import annotations

import json
import logging
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from django.conf import settings as all_settings
from django.test import Client, RequestFactory

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

    monkeypatch.setattr("wryfalcon.bench.views.tags.on_the_bench", broken)
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

    monkeypatch.setattr("wryfalcon.bench.views.tags.on_the_bench", broken)
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
