"""Shops for the tests: furnished once and copied from then on; the demonstration as its own command loads it."""

from __future__ import annotations

import os
import sqlite3
import subprocess
import sys
from contextlib import closing
from pathlib import Path

from django.apps import apps
from django.db import connection, transaction
from django.db.models import Model
from filelock import FileLock

from wryfalcon.accounts.models import User
from wryfalcon.demonstration.shop import furnish as furnish_anew

SOURCE = Path(__file__).parents[1] / "src"
_furnished: list[tuple[type[Model], list[Model]]] = []
"""The rows of a furnished shop, by table, as this process has them from its first."""


def furnish() -> dict[str, User]:
    """A furnished shop without a past, in an empty database, and its people."""
    if _furnished:
        with transaction.atomic():
            for table, rows in _furnished:
                table._base_manager.bulk_create(rows)
    else:
        furnish_anew()
        for table in apps.get_models(include_auto_created=True):
            ours = table.__module__.startswith("wryfalcon.") and table._meta.managed
            if ours and (rows := list(table._base_manager.all())):
                _furnished.append((table, rows))
    return {person.username: person for person in User.objects.all()}


def demonstration_file(folder: Path) -> Path:
    """The demonstration's database, made by whichever process of this run asks first."""
    file = folder / "demonstration.sqlite3"
    with FileLock(folder / "demonstration.lock"):
        if not file.exists():
            making = file.with_suffix(".making")
            environment = {
                **os.environ, "PYTHONPATH": str(SOURCE), "DJANGO_SETTINGS_MODULE": "wryfalcon.settings.test",
                "WRY_FALCON_DB": str(making), "WRY_FALCON_VAR": str(folder / "var"),
            }  # fmt: skip
            load = [sys.executable, "-m", "wryfalcon", "load_demonstration"]
            subprocess.run(load, env=environment, check=True, capture_output=True)
            with closing(sqlite3.connect(making)) as made:  # all of it in one file
                made.execute("PRAGMA journal_mode=DELETE")
            making.rename(file)
    return file


def put_in_place(file: Path) -> None:
    """Make the tests' database, in which nothing is under way, as it is in a file."""
    connection.ensure_connection()
    with closing(sqlite3.connect(file)) as given:
        given.backup(connection.connection)
