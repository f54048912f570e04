"""``follow_machines``: speak to the machines, alone, until stopped; one for each database, always started anew."""

from __future__ import annotations

import signal
from threading import Event
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand

from wryfalcon.bench.follower import alone, follow_until
from wryfalcon.codes.housekeeping import keep_house


class Command(BaseCommand):
    """The follower as a process."""

    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        """Follow until told to stop by a signal."""
        stop = Event()
        for number in (signal.SIGINT, signal.SIGTERM):
            signal.signal(number, lambda *_: stop.set())
        with alone(settings.VAR):
            self.stdout.write("Following the machines.")
            keep_house(stop)
            follow_until(stop, settings.VAR)
