"""What the room of codes sees to by itself, beside the follower of the machines, which always runs."""

from __future__ import annotations

import logging
from threading import Event, Thread

from django.db import close_old_connections, connection

from wryfalcon.codes.actions.offer import take_up_dead

EVERY = 20.0  # seconds
log = logging.getLogger(__name__)


def keep_house(stop: Event) -> Thread:
    """Take up readings whose process has died, until told to stop. Returns the thread that does."""
    thread = Thread(target=_keep, args=(stop,), name="keeps house", daemon=True)
    thread.start()
    return thread


def _keep(stop: Event) -> None:
    while not stop.wait(EVERY):
        close_old_connections()
        try:
            take_up_dead()
        except Exception:
            log.exception("Readings that died could not be taken up")
            connection.close()
    connection.close()
