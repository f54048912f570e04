"""Orders to machines: stored by a press, delivered by the follower, who alone speaks to them."""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass
from datetime import timedelta
from typing import Any
from uuid import UUID, uuid4

from django.conf import settings
from django.db import transaction
from django.utils import timezone

from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.machines.models import Line, Machine, Order, OrderState

WAKE = "follower.wake"
"""Touched in the folder of the data whenever something is asked of a machine."""
URGENT = ("hold", "stop")
"""These overtake everything, and are tried until they are answered."""
HANDS = ("lid", "inject", "put", "pass", "lay")
"""What hands do at the simulated machine; they rest on nothing that was seen."""
OPEN = (OrderState.ASKED, OrderState.SENT)
EXPIRES_AFTER = timedelta(seconds=10)
"""An order that was not answered by then is not delivered later, when nobody stands there waiting for it."""
LATE_AFTER = timedelta(seconds=2)


@dataclass(frozen=True)
class Press:
    """Who pressed, by which form, and what they had seen of the machine's log; a form sent twice is one press."""

    by: User | None
    key: UUID | None = None
    seen: tuple[str, int] | None = None


@action
def place_order(
    press: Press, machine: Machine, command: str, *, job: str = "", data: Mapping[str, Any] | None = None
) -> Order:
    """Store what is asked of a machine. The same press again, or the same wish while one is open, is one order.

    Hold and stop overtake what was asked before them of the same key: it is never delivered after them.
    """
    kept = Order.objects.filter(key=press.key).first() if press.key else None
    if kept is not None:
        return kept
    mine = Order.objects.filter(machine=machine, job=job, state__in=OPEN)
    same = mine.filter(command=command).first()
    if same is not None and command not in HANDS:
        return same
    if command in URGENT:
        mine.exclude(command="stop").update(state=OrderState.OVERTAKEN, answered_at=timezone.now(), data={})
    log, number = press.seen or _seen_by_now(machine)
    rests = {} if command in (*URGENT, *HANDS) else {"log": log, "seen": number}
    transaction.on_commit(_wake)
    return Order.objects.create(
        key=press.key or uuid4(), machine=machine, command=command, job=job, data=dict(data or {}), by=press.by, **rests
    )


def _wake() -> None:
    """Have the follower look at once: it watches this file, which costs nothing, and asks the database seldom."""
    with suppress(OSError):  # where nothing can be written it looks all the same, a little later
        (settings.VAR / WAKE).touch()


def is_asked(machine: Machine | None, job: str, command: str) -> bool:
    """Whether that is asked of the machine for this key, and not answered yet."""
    return Order.objects.filter(machine=machine, job=job, command=command, state__in=OPEN).exists()


def give_up_orders(machine: Machine | None, job: str) -> None:
    """Take back what was asked for a key that is ended, except that it be stopped."""
    open_orders = Order.objects.filter(machine=machine, job=job, state__in=OPEN).exclude(command__in=URGENT)
    open_orders.update(state=OrderState.OVERTAKEN, answered_at=timezone.now(), data={})


def _seen_by_now(machine: Machine) -> tuple[str, int]:
    line = Line.objects.filter(machine=machine).first()
    return (line.log, line.last_event) if line else ("", 0)
