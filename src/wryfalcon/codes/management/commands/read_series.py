"""``python -m wryfalcon read_series N``: read and check a table that was offered; the application starts it."""

from __future__ import annotations

import resource
import signal
from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand

from wryfalcon.codes.actions.intake import read_in
from wryfalcon.codes.models import Intake
from wryfalcon.codes.tables import TooMuchWork

SECONDS, MEMORY = 90, 1_000_000_000
"""Processor time and bytes that reading a spreadsheet may take: a small archive can hold any amount of work."""
LAST_WORDS = 20  # more seconds, to say why


class Command(BaseCommand):
    """Read a table in."""

    help = "Reads and checks a table of codes that was offered in the application."

    def add_arguments(self, parser: ArgumentParser) -> None:
        """Which one."""
        parser.add_argument("intake", type=int)

    def handle(self, *args: Any, **options: Any) -> None:
        """Read it."""
        if Path(Intake.objects.get(pk=options["intake"]).file).suffix == ".xlsx":
            limit_work()
        read_in(options["intake"])


def limit_work() -> None:
    """End this process's reading by TooMuchWork after ``SECONDS`` of work, by a MemoryError after ``MEMORY``."""
    used = int(sum(resource.getrusage(resource.RUSAGE_SELF)[:2]))
    held = int(Path("/proc/self/statm").read_text().split()[0]) * resource.getpagesize()
    signal.signal(signal.SIGXCPU, _give_up)
    resource.setrlimit(resource.RLIMIT_CPU, (used + SECONDS, used + SECONDS + LAST_WORDS))
    resource.setrlimit(resource.RLIMIT_AS, (held + MEMORY, held + MEMORY))


def _give_up(*_: object) -> None:
    hard = resource.getrlimit(resource.RLIMIT_CPU)[1]
    resource.setrlimit(resource.RLIMIT_CPU, (hard, hard))
    raise TooMuchWork(f"it takes longer than {SECONDS} s to read")
