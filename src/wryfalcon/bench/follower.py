"""The follower: one process that speaks to every machine of the shop, each in a thread of its own."""

from __future__ import annotations

import fcntl
import logging
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from threading import Event, Thread

from django.db import close_old_connections, connection

from wryfalcon.bench.following import follow_once, has_a_piece
from wryfalcon.machines.following import followed_machines, has_orders, note_failed_turn
from wryfalcon.machines.models import Machine

BUSY, QUIET = 0.25, 1.0  # seconds between two turns, with a key in the machine's hands and without
LOOKS_FOR_ORDERS = 0.1
LOOKS_FOR_MACHINES = 5.0
log = logging.getLogger(__name__)


@contextmanager
def alone(folder: Path) -> Iterator[None]:
    """Wait until no other follower runs on this data; the lock goes with the process, however it ends."""
    folder.mkdir(parents=True, exist_ok=True)
    with (folder / "follower.lock").open("w") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            log.warning("Another follower runs on this data; waiting for it to end.")
            fcntl.flock(file, fcntl.LOCK_EX)
        yield


def follow_until(stop: Event) -> None:
    """Follow every machine, those that are added later too, until told to stop."""
    threads: dict[int, Thread] = {}
    while not stop.is_set():
        close_old_connections()
        for machine in followed_machines():
            if machine.pk not in threads or not threads[machine.pk].is_alive():
                thread = Thread(target=_follow_one, args=(machine.pk, stop), name=f"follows {machine}", daemon=True)
                threads[machine.pk] = thread
                thread.start()
        stop.wait(LOOKS_FOR_MACHINES)
    for thread in threads.values():
        thread.join()
    connection.close()


def _follow_one(pk: int, stop: Event) -> None:
    """Turn after turn with one machine; what goes wrong in one is logged, and the next is taken."""
    try:
        while not stop.is_set():
            close_old_connections()
            machine = followed_machines().filter(pk=pk).first()
            if machine is None:
                return
            try:
                follow_once(machine)
            except Exception as error:
                log.exception("A turn with %s went wrong", machine)
                connection.close()
                _say_what_failed(machine, error)
                stop.wait(QUIET)
            else:
                _rest(machine, stop)
    finally:
        connection.close()


def _say_what_failed(machine: Machine, error: Exception) -> None:
    """A page must not say that nothing speaks to the machine when what it said cannot be written down."""
    try:
        note_failed_turn(machine, error)
    except Exception:  # nothing can be written at all, it may be; the log above has what failed first
        log.exception("What failed with %s cannot be noted", machine)
        connection.close()


def _rest(machine: Machine, stop: Event) -> None:
    """Wait for the next turn, or until something is asked of the machine."""
    rests = BUSY if has_a_piece(machine) or has_orders(machine) else QUIET
    while rests > 0 and not stop.wait(min(rests, LOOKS_FOR_ORDERS)):
        rests -= LOOKS_FOR_ORDERS
        if rests > 0 and has_orders(machine):
            return
