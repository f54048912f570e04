"""A database of the landed state comes over with every row that is in it, and each of its pages answers."""

from __future__ import annotations

import lzma
import sqlite3
from collections.abc import Iterator
from hashlib import sha256
from pathlib import Path
from typing import Any

import pytest
from django.core.checks import run_checks
from django.core.management import CommandError, call_command
from django.db import connection
from django.test import Client
from pytest_django import DjangoDbBlocker

from web.odd_posts import Walk

LANDED = Path(__file__).parents[1] / "reference/upgrade/landed-9cfd86f.sqlite3.xz"
OF_DJANGO = {"django_migrations", "django_content_type", "auth_permission", "sqlite_sequence"}  # grow with the tables


@pytest.fixture
def landed(tmp_path: Path, settings: Any, django_db_blocker: DjangoDbBlocker) -> Iterator[Path]:
    """The demonstration as commit 9cfd86f made it, in the place of the tests' own database (that has no migrations)."""
    before, file = connection.settings_dict["NAME"], tmp_path / "landed.sqlite3"
    file.write_bytes(lzma.decompress(LANDED.read_bytes()))
    settings.MIGRATION_MODULES = {}
    with django_db_blocker.unblock():
        connection.close()
        connection.settings_dict["NAME"] = str(file)
        yield file
        connection.close()
        connection.settings_dict["NAME"] = before


def tables(file: Path) -> dict[str, tuple[int, str]]:
    """How many rows each table has, and a digest of all of them."""
    with sqlite3.connect(file) as kept:
        names = [name for (name,) in kept.execute("SELECT name FROM sqlite_master WHERE type = 'table'")]
        rows = {name: sorted(map(repr, kept.execute(f'SELECT * FROM "{name}"'))) for name in names}
    kept.close()
    return {name: (len(each), sha256("\n".join(each).encode()).hexdigest()) for name, each in rows.items()}


def test_no_row_is_lost_or_changed_and_every_page_answers(landed: Path) -> None:
    before = {name: said for name, said in tables(landed).items() if name not in OF_DJANGO}
    assert before["bench_piece"][0] > 30
    call_command("migrate", verbosity=0)
    after = tables(landed)
    assert {name: after[name] for name in before} == before

    from wryfalcon.accounts.models import User

    for who in ("orla", "tam", "wren"):
        client = Client(raise_request_exception=True)
        client.force_login(User.objects.get(username=who))
        walked = Walk(client, each=1).go(most=150)
        assert not walked.faults, walked.faults
        assert len(walked.addresses) > 40


@pytest.mark.parametrize("room", ["bench", "codes", "library", "machines", "records"])
def test_a_database_between_two_versions_is_refused_in_a_sentence(landed: Path, room: str) -> None:
    with sqlite3.connect(landed) as kept:
        kept.execute("DELETE FROM django_migrations WHERE app = ? AND name NOT LIKE '0001%'", [room])
    kept.close()
    before = tables(landed)
    with pytest.raises(CommandError, match=rf"stands between two versions \({room}\)"):
        call_command("migrate", verbosity=0, skip_checks=False)
    assert tables(landed) == before


def test_a_database_of_today_stands_at_a_version(landed: Path) -> None:
    call_command("migrate", verbosity=0)
    assert "wryfalcon.E001" not in {each.id for each in run_checks(databases=["default"])}
