"""``back_up FILE``: a copy of the whole database as of now, while everything goes on."""

from __future__ import annotations

import sqlite3
from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError
from django.db import connection


class Command(BaseCommand):
    """Copy the database, its write-ahead log included, into one file for this user alone."""

    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        """Where to."""
        parser.add_argument("file", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        """Copy it page by page, as SQLite's own backup does."""
        to: Path = options["file"]
        if to.exists():
            raise CommandError(f"{to} is there already; a back-up replaces nothing.")
        if not to.parent.is_dir():
            raise CommandError(f"There is no folder {to.parent}: make it first, or name another.")
        connection.ensure_connection()
        made = to.with_name(f"{to.name}.part")
        try:
            made.touch(mode=0o600)
        except OSError as error:
            raise CommandError(f"{made} cannot be written: {error.strerror}.") from None
        made.chmod(0o600)
        copy = sqlite3.connect(made)
        with copy:
            connection.connection.backup(copy)
        found = copy.execute("PRAGMA integrity_check").fetchone()[0]
        copy.close()
        if found != "ok":
            raise CommandError(f"The copy is not whole: {found}.")
        made.rename(to)
        self.stdout.write(f"{to} holds everything as of now.")
