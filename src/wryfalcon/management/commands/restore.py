"""``restore FILE``: put a back-up in the place of the database; what was there is moved aside, not lost.

A back-up copied over the database by hand is not enough: the write-ahead log of the old one, left
beside it, is replayed into it.
"""

from __future__ import annotations

import sqlite3
from argparse import ArgumentParser
from contextlib import closing
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError
from django.db import connection
from django.utils import timezone

BESIDE = ("", "-wal", "-shm")
"""What one SQLite database is on the disk."""


class Command(BaseCommand):
    """Put a back-up in place. Application and follower must be stopped."""

    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        """Where from."""
        parser.add_argument("file", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        """Check it, move the old one aside with its log, copy, migrate."""
        backup: Path = options["file"]
        _check(backup)
        place = Path(str(settings.DATABASES["default"]["NAME"]))
        connection.close()
        aside = f".before-{timezone.now():%Y%m%d-%H%M%S}"
        if place.exists():
            _check_nobody_uses(place)
            for end in BESIDE:
                part = place.with_name(place.name + end)
                if part.exists():
                    part.rename(place.with_name(f"{place.name}{aside}{end}"))
        read_only = f"{backup.resolve().as_uri()}?mode=ro"
        with closing(sqlite3.connect(read_only, uri=True)) as source, closing(sqlite3.connect(place)) as copy:
            source.backup(copy)
        place.chmod(0o600)
        call_command("migrate", verbosity=0)
        self.stdout.write(f"{backup} is in force. What was there is beside it, called {place.name}{aside}.")


def _check(backup: Path) -> None:
    if not backup.is_file():
        raise CommandError(f"There is no file {backup}.")
    try:
        with closing(sqlite3.connect(f"{backup.resolve().as_uri()}?mode=ro", uri=True)) as found:
            whole = found.execute("PRAGMA integrity_check").fetchone()[0]
            ours = found.execute("SELECT count(*) FROM sqlite_master WHERE name = 'bench_tag'").fetchone()[0]
    except sqlite3.DatabaseError as error:
        raise CommandError(f"{backup} is no database: {error}.") from None
    if whole != "ok" or not ours:
        raise CommandError(f"{backup} is no whole database of a shop; nothing was changed.")


def _check_nobody_uses(place: Path) -> None:
    """Only without readers and writers can the database leave its write-ahead log."""
    with closing(sqlite3.connect(place, timeout=1)) as old:
        try:
            old.execute("PRAGMA journal_mode=DELETE")
        except sqlite3.OperationalError:
            raise CommandError("Something still uses the database: stop application and follower first.") from None
        old.execute("PRAGMA journal_mode=WAL")
