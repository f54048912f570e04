"""The follower: one process that speaks to every machine of the shop, each in a thread of its own."""

from __future__ import annotations

import fcntl
import logging
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from threading import Event, Thread
from time import monotonic

from django.db import close_old_connections, connection

from wryfalcon.bench.following import follow_once, has_a_piece
from wryfalcon.machines.line.following import (
    followed_machines,
    has_orders,
    is_cutting,
    machines_asked,
    note_failed_turn,
)
from wryfalcon.machines.line.orders import WAKE
from wryfalcon.machines.models import Machine

BUSY, QUIET = 0.25, 15.0  # seconds between two turns, with a key in the machine's hands and without
AFTER_A_FAULT = 1.0
LOOKS_AT_FILE, LOOKS_FOR_ORDERS, LOOKS_FOR_MACHINES = 0.1, 10.0, 5.0
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


def follow_until(stop: Event, folder: Path) -> None:
    """Follow every machine, those that are added later too, until told to stop.

    Each has a thread, which rests between its turns; what is asked of a machine wakes its thread. ``folder`` is that
    of the data, where a file is touched whenever something is asked.
    """
    threads: dict[int, tuple[Thread, Event]] = {}
    next_machines = next_orders = 0.0
    touched = _touched(folder)
    while not stop.is_set():
        now, before = monotonic(), touched
        touched = _touched(folder)
        if now >= next_machines:
            close_old_connections()
            next_machines = now + LOOKS_FOR_MACHINES
            for machine in followed_machines():
                if machine.pk not in threads or not threads[machine.pk][0].is_alive():
                    woken = Event()
                    given, name = (machine.pk, stop, woken), f"follows {machine}"
                    follows = Thread(target=_follow_one, args=given, name=name, daemon=True)
                    threads[machine.pk] = follows, woken
                    follows.start()
        if touched != before or now >= next_orders:
            next_orders = now + LOOKS_FOR_ORDERS
            for pk in machines_asked():
                if pk in threads:
                    threads[pk][1].set()
        stop.wait(LOOKS_AT_FILE)
    for follows, woken in threads.values():
        woken.set()
        follows.join()
    connection.close()


def _touched(folder: Path) -> int:
    """When something was last asked of a machine, as the file says."""
    try:
        return (folder / WAKE).stat().st_mtime_ns
    except OSError:
        return 0


def _follow_one(pk: int, stop: Event, woken: Event) -> None:
    """Turn after turn with one machine; what goes wrong in one is logged, and the next is taken."""
    try:
        while not stop.is_set():
            close_old_connections()
            machine = followed_machines().filter(pk=pk).first()
            if machine is None:
                return
            woken.clear()  # before the turn: what is asked during it is another's
            try:
                follow_once(machine)
            except Exception as error:
                log.exception("A turn with %s went wrong", machine)
                connection.close()
                _say_what_failed(machine, error)
                stop.wait(AFTER_A_FAULT)
            else:
                woken.wait(BUSY if has_a_piece(machine) or has_orders(machine) or is_cutting(machine) else QUIET)
    finally:
        connection.close()


def _say_what_failed(machine: Machine, error: Exception) -> None:
    """A page must not say that nothing speaks to the machine when what it said cannot be written down."""
    try:
        note_failed_turn(machine, error)
    except Exception:  # nothing can be written at all, it may be; the log above has what failed first
        log.exception("What failed with %s cannot be noted", machine)
        connection.close()
