"""The machines as the pages show them: what the follower last heard, never asked by a page."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import TypeVar

from django.db.models import Count, Exists, OuterRef, Q, QuerySet
from django.utils import timezone

from wryfalcon.machines.drivers import Status
from wryfalcon.machines.line.orders import LATE_AFTER, OPEN
from wryfalcon.machines.models import (
    CUTTING,
    STATE_WORDS,
    DriverKind,
    JawSide,
    Line,
    Machine,
    MachineOffset,
    Misreport,
    Order,
    OrderState,
)  # fmt: skip

MADE = "finished"
"""The state of a key that is made; the bench has the table of states."""
FAILED_HERE = "What it said could not be taken in"
"""How a line's problem begins where it is not the machine's."""
SILENT_AFTER, UNFOLLOWED_AFTER = timedelta(seconds=4), timedelta(seconds=8)
AT_REST = timedelta(seconds=26)  # so much longer while it cuts nothing, since it is then asked every fifteen seconds
SHOWN_FOR = timedelta(minutes=2)
NEEDS_HAND = ("unhomed", "held", "turn", "index", "tool", "stalled")


@dataclass(frozen=True)
class OrderNow:
    """What was last asked of a machine, and how far that came."""

    order: Order
    is_late: bool

    @property
    def is_open(self) -> bool:
        """Whether it has not been answered."""
        return self.order.state in OPEN

    @property
    def is_wrong(self) -> bool:
        """Whether somebody must know that it was not done."""
        return self.is_late or self.order.state in (OrderState.REFUSED, OrderState.EXPIRED)


@dataclass(frozen=True)
class OnMachine:
    """What belongs to a machine, as the list of machines shows it."""

    cutters: int
    offsets: tuple[MachineOffset, ...]
    sides: tuple[JawSide, ...]


@dataclass(frozen=True)
class LineNow:
    """A machine's line as it is known now."""

    machine: Machine
    status: Status | None  # as last told
    heard_at: datetime | None
    is_followed: bool  # whether anything speaks to machines at all
    is_silent: bool
    problem: str
    misreports: Sequence[Misreport]
    order: OrderNow | None = None  # the last one for the machine itself, where a list shows it
    own: OnMachine | None = None  # where a list shows it

    @property
    def job(self) -> str:
        """The key it holds, "" for none."""
        return (self.status.job or "") if self.status else ""

    @property
    def is_failing_here(self) -> bool:
        """Whether it is this side that cannot take in what the machine says."""
        return self.problem.startswith(FAILED_HERE)

    @property
    def is_unhomed(self) -> bool:
        """Whether it must be homed before anything else."""
        return self.status is not None and self.status.state == "unhomed" and not self.is_silent

    @property
    def words(self) -> str:
        """How it is, in a few words."""
        if not self.machine.has_line:
            return "hand-worked"
        if not self.is_followed:
            return "not followed"
        if self.is_failing_here:
            return "not taken in"
        if self.is_silent or self.status is None:
            return "no answer"
        words = STATE_WORDS[self.status.state]
        if self.status.state == "cutting":
            words = f"cutting {self.status.cut + 1} of {self.status.of}"
        return words + (", lid open" if self.status.lid_open else "")

    @property
    def needs_hand(self) -> bool:
        """Whether somebody should look at it."""
        if not self.machine.has_line:
            return False
        if not self.is_followed or self.is_silent or self.status is None or self.misreports:
            return True
        return self.status.state in NEEDS_HAND or self.status.lid_open


def line_of(machine: Machine) -> LineNow:
    """One machine's line."""
    line = _line(machine).first()
    odd = line is not None and getattr(line, "is_odd", False)
    return _line_now(machine, line, list(machine.misreports.filter(noted_by=None)) if odd else [])


def _line(machine: Machine) -> QuerySet[Line]:
    not_noted = Misreport.objects.filter(machine=OuterRef("machine"), noted_by=None)
    return Line.objects.filter(machine=machine).annotate(is_odd=Exists(not_noted))


def lines_of_machines() -> list[LineNow]:
    """Every machine and how it is."""
    return _lines(_machines())


def lines_in_full() -> list[LineNow]:
    """The same with what is fitted, how many keys each made, and what was last asked of the machine itself."""
    lines = _lines(_machines_in_full())
    newest = {order.machine_id: order for order in _asked_since(timezone.now() - SHOWN_FOR)}
    cutters, offsets, sides = Counter(_cutters()), _by_machine(_offsets()), _by_machine(_sides())
    return [
        replace(
            line,
            order=_order_now(newest.get(pk)),
            own=OnMachine(cutters[pk], tuple(offsets[pk]), tuple(sides[pk])),
        )
        for line in lines
        for pk in [line.machine.pk]
    ]


RowT = TypeVar("RowT", MachineOffset, JawSide, Misreport)


def _by_machine(rows: Sequence[RowT]) -> defaultdict[int, list[RowT]]:
    found: defaultdict[int, list[RowT]] = defaultdict(list)
    for row in rows:
        found[row.machine_id].append(row)
    return found


def _machines() -> list[Machine]:
    return list(Machine.objects.select_related("fitted", "line"))


def _machines_in_full() -> list[Machine]:
    counted = Machine.objects.annotate(keys=Count("pieces", filter=Q(pieces__state=MADE)))
    return list(counted.select_related("fitted", "line"))


def _cutters() -> list[int]:
    """The machine of each cutter that goes on it."""
    return list(Machine.cutters.through.objects.values_list("machine_id", flat=True))


def _offsets() -> list[MachineOffset]:
    return list(MachineOffset.objects.all())


def _sides() -> list[JawSide]:
    return list(JawSide.objects.all())


def _asked_since(moment: datetime) -> list[Order]:
    return list(Order.objects.filter(job="", asked_at__gt=moment).exclude(command="inject").order_by("pk"))


def _not_noted() -> list[Misreport]:
    return list(Misreport.objects.filter(noted_by=None))


def _lines(machines: Sequence[Machine]) -> list[LineNow]:
    odd = _by_machine(_not_noted())
    return [_line_now(machine, getattr(machine, "line", None), odd[machine.pk]) for machine in machines]


def last_order(machine: int, job: str = "") -> OrderNow | None:
    """The order for this key, or for the machine itself, that the page should speak of; the machine by its id."""
    return _order_now(_orders(machine, job).first())


def _orders(machine: int, job: str) -> QuerySet[Order]:
    its_own = Order.objects.filter(Q(job=job) | Q(job=""), machine_id=machine)
    return its_own.exclude(command="inject").order_by("-pk")


def _order_now(order: Order | None) -> OrderNow | None:
    now = timezone.now()
    if order is None or (order.state not in OPEN and now - (order.answered_at or order.asked_at) > SHOWN_FOR):
        return None
    return OrderNow(order, order.state in OPEN and now - order.asked_at > LATE_AFTER)


def _line_now(machine: Machine, line: Line | None, misreports: Sequence[Misreport]) -> LineNow:
    if line is None:
        return LineNow(machine, None, None, False, True, "", misreports)
    now = timezone.now()
    more = timedelta() if (line.status or {}).get("state") == CUTTING else AT_REST
    is_followed = line.asked_at is not None and now - line.asked_at < UNFOLLOWED_AFTER + more
    is_silent = bool(line.problem) or line.heard_at is None or now - line.heard_at > SILENT_AFTER + more
    if machine.driver == DriverKind.FILE:
        is_silent = bool(line.problem) or line.heard_at is None
    status = Status(**line.status) if line.status else None
    return LineNow(machine, status, line.heard_at, is_followed, is_silent, line.problem, misreports)
