"""``python -m wryfalcon read_series N``: read and check a table that was offered; the application starts it."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from wryfalcon.codes.actions.intake import read_in


class Command(BaseCommand):
    """Read a table in."""

    help = "Reads and checks a table of codes that was offered in the application."

    def add_arguments(self, parser: CommandParser) -> None:
        """Which one."""
        parser.add_argument("intake", type=int)

    def handle(self, *args: Any, **options: Any) -> None:
        """Read it."""
        read_in(options["intake"])
