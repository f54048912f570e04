"""Following machines: the one place that speaks to them, by one process, a turn at a time.

A turn delivers hold and stop, reads what the log has gained, records it once, and delivers what else
was asked. What a machine's entries mean for a key is not known here: a listener is told of them, in
the transaction that records them.
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field
from datetime import datetime, timedelta
from typing import Any, Protocol
from uuid import UUID

from django.db import transaction
from django.db.models import Max, Q, QuerySet
from django.utils import timezone

from wryfalcon.machines.drivers import Delivery, Driver, MachineNonsense, MachineRefused, MachineUnreachable, driver_of
from wryfalcon.machines.drivers.interface import Heard, MachineEvent, Status, Whereabouts
from wryfalcon.machines.faces.actions import TOUCH_OFF, keep_touch_told
from wryfalcon.machines.line.misreports import note_misreport
from wryfalcon.machines.line.orders import EXPIRES_AFTER, OPEN, URGENT
from wryfalcon.machines.line.queries import FAILED_HERE
from wryfalcon.machines.models import CUTTING, DriverKind, Line, LineEvent, Machine, Order, OrderState

CLOCK_SLACK = 60.0  # seconds: a clock further off is named, and its times are put right by as much
HEARD_AGAIN = timedelta(seconds=1)  # a quiet line is written down as often as this
PAGES_A_TURN = 40


@dataclass(frozen=True)
class LogEntry:
    """One entry of a machine's log as it is recorded, its time put right where the clock is far off."""

    event: MachineEvent
    at: datetime


class Listener(Protocol):
    """Who is told what the machines say. Everything is told inside the transaction that records it."""

    def entries(self, machine: Machine, entries: Sequence[LogEntry]) -> None:
        """New entries of a machine's log, each told once."""

    def at_rest(self, machine: Machine, status: Status) -> None:
        """The machine has told everything, and something is new: it is so now."""

    def missing(self, machine: Machine, status: Status) -> Sequence[str]:
        """The keys to ask after: it should have them and does not say so, or has one that it should not."""

    def found(self, machine: Machine, job: str, whereabouts: Whereabouts, status: Status) -> None:
        """Where a key is that was asked after, and how the machine is."""

    def answered(self, order: Order) -> None:
        """An order was acknowledged."""


def followed_machines() -> QuerySet[Machine]:
    """Every machine that has a line or takes plans as files."""
    return Machine.objects.exclude(driver=DriverKind.NONE).order_by("pk")


def has_orders(machine: Machine) -> bool:
    """Whether something waits to be delivered."""
    return Order.objects.filter(machine=machine, state__in=OPEN).exists()


def is_cutting(machine: Machine) -> bool:
    """Whether its wheel is in metal as it last told, whoever asked for that."""
    return Line.objects.filter(machine=machine, status__state=CUTTING).exists()


def machines_asked() -> set[int]:
    """The machines for which something waits to be delivered."""
    return set(Order.objects.filter(state__in=OPEN).values_list("machine_id", flat=True))


def follow(machine: Machine, listener: Listener) -> None:
    """One turn with one machine."""
    line, _ = Line.objects.get_or_create(machine=machine)
    line.machine = machine  # in hand already
    turn, asked = _Turn(driver_of(machine), line, listener), has_orders(machine)
    if asked:  # what is asked from here on is another turn's
        _expire(machine)
        turn.deliver(urgent=True)
    has_heard = turn.listen()
    if asked and has_heard and turn.deliver(urgent=False):
        has_heard = turn.listen()
    if has_heard:
        turn.acknowledge()


def _expire(machine: Machine) -> None:
    old = Order.objects.filter(machine=machine, state__in=OPEN, asked_at__lt=timezone.now() - EXPIRES_AFTER)
    old.exclude(command__in=URGENT).update(state=OrderState.EXPIRED, answered_at=timezone.now(), data={})


@dataclass
class _Turn:
    """One turn with one machine: what was delivered in it is acknowledged when the log has been read as well.

    A page therefore never shows an order done and its machine as it was before. Where the log could not be read, what
    was delivered is delivered again in the next turn, which changes nothing at the machine.
    """

    driver: Driver
    line: Line
    listener: Listener
    done: dict[int, Mapping[str, Any]] = field(default_factory=dict)  # orders and what came of them

    def deliver(self, *, urgent: bool) -> bool:
        """Deliver what is open, the oldest first; hold and stop between any two others. Returns whether any was.

        The first that gets no answer ends it: what comes after must not overtake it.
        """
        delivered = False
        mine = Order.objects.filter(machine=self.line.machine, state__in=OPEN).exclude(pk__in=self.done)
        orders = mine.filter(command__in=URGENT) if urgent else mine.exclude(command__in=URGENT)
        for order in orders.order_by("pk"):
            if not urgent:
                self.deliver(urgent=True)
            try:
                delivered |= self._deliver(order)
            except MachineUnreachable:
                break
            except MachineNonsense as nonsense:
                note_misreport(self.line.machine, nonsense.says, nonsense.raw, order.job)
                break
        return delivered

    def listen(self) -> bool:
        """Read the log to its end and record it. Returns whether the machine answered sense."""
        try:
            for _ in range(PAGES_A_TURN):
                heard = self.driver.listen(self.line.last_event)
                if not _is_the_same_log(self.line, heard):
                    continue
                _record(self.line, heard, self.listener)
                if not heard.more:
                    _find_missing(self.driver, self.line.machine, heard.status, self.listener)
                    return True
                self.deliver(urgent=True)
        except MachineUnreachable as error:
            _note_silence(self.line, str(error))
            return False
        except MachineNonsense as nonsense:
            note_misreport(self.line.machine, nonsense.says, nonsense.raw)
            _note_silence(self.line, "what it answers makes no sense")
            return False
        return True

    def acknowledge(self) -> None:
        """Write down what was done, the listener told of each."""
        for pk, result in self.done.items():
            with transaction.atomic():
                order = Order.objects.get(pk=pk)
                _answer(order, OrderState.ACKNOWLEDGED, result=dict(result))
                order.refresh_from_db()
                if order.command == TOUCH_OFF:
                    keep_touch_told(order)
                self.listener.answered(order)

    def _deliver(self, order: Order) -> bool:
        """Deliver one order unless it was overtaken meanwhile; one without an answer is delivered again."""
        still = Order.objects.filter(pk=order.pk, state__in=OPEN)
        if not still.update(state=OrderState.SENT, sent_at=timezone.now()):
            return False
        seen = (order.log, order.seen) if order.seen is not None and order.log else None
        try:
            self.done[order.pk] = self.driver.deliver(
                Delivery(order.key.hex, order.command, order.job, order.data, seen)
            )
        except MachineRefused as refusal:
            _answer(order, OrderState.REFUSED, answer=str(refusal)[:300])
        return True


def _answer(order: Order, state: OrderState, **said: object) -> None:
    Order.objects.filter(pk=order.pk).update(state=state, answered_at=timezone.now(), data={}, **said)


def _is_the_same_log(line: Line, heard: Heard) -> bool:
    """Whether the log is the one that was followed so far; another is followed from its beginning."""
    told = heard.status.log
    is_shorter = heard.status.last_event < line.last_event
    if told == line.log and not is_shorter:
        return True
    with transaction.atomic():
        if line.log and is_shorter and told == line.log:
            says = f"Its log went to {line.last_event} and now ends at {heard.status.last_event}"
            note_misreport(line.machine, says, json.dumps(asdict(heard.status)))
            line.begun_again, last = line.begun_again + 1, 0
        else:
            if line.log:
                note_misreport(line.machine, "Its log is another one: it was exchanged, or has forgotten everything")
            line.begun_again, last = _followed_to(line.machine, told)
        line.log, line.last_event = told, last
        line.save()
    return False


def _followed_to(machine: Machine, log: str) -> tuple[int, int]:
    """How often a log of this name went back, and the newest entry kept of it: one that comes back goes on there."""
    mine = LineEvent.objects.filter(Q(log=log) | Q(log__startswith=f"{log}/"), machine=machine)
    kept = mine.order_by("log").values_list("log").annotate(last=Max("number"))
    times = ((name[len(log) + 1 :] or "0", last) for name, last in kept)
    return max(((int(again), last) for again, last in times if again.isdecimal()), default=(0, 0))


def _record(line: Line, heard: Heard, listener: Listener) -> None:
    """Record what is new, tell the listener, and move on: all of it or nothing."""
    machine, now = line.machine, timezone.now()
    with transaction.atomic():
        for odd in heard.odd:
            note_misreport(machine, odd.says, odd.raw)
        fresh = _in_turn(line, heard)
        LineEvent.objects.bulk_create(
            LineEvent(
                machine=machine, log=_log_name(line), number=entry.event.number, kind=entry.event.kind,
                job=entry.event.job or "", data=dict(entry.event.data), at=entry.at,
            )
            for entry in fresh
        )  # fmt: skip
        if fresh:
            _acknowledge(machine, fresh)
            listener.entries(machine, fresh)
            line.last_event = fresh[-1].event.number
        changed = asdict(heard.status) != line.status
        stale = line.heard_at is None or now - line.heard_at > HEARD_AGAIN or bool(line.problem)
        if heard.more or not (fresh or changed or stale):
            if fresh:
                line.save()
            return
        line.status, line.problem = asdict(heard.status), ""
        line.asked_at = line.heard_at = now
        line.clock_off = heard.clock_off
        line.save()
        if fresh or changed:
            listener.at_rest(machine, heard.status)


def _acknowledge(machine: Machine, entries: Sequence[LogEntry]) -> None:
    """An order whose entry is in the log was done, whether its answer came or not."""
    ids = [UUID(entry.event.order) for entry in entries if _is_id(entry.event.order)]
    told = Order.objects.filter(machine=machine, key__in=ids, state__in=OPEN)
    told.update(state=OrderState.ACKNOWLEDGED, answered_at=timezone.now(), data={})


def _is_id(text: str) -> bool:
    return len(text) == 32 and all(character in "0123456789abcdef" for character in text)


def _find_missing(driver: Driver, machine: Machine, status: Status, listener: Listener) -> None:
    for job in listener.missing(machine, status):
        whereabouts = driver.find(job)
        with transaction.atomic():
            listener.found(machine, job, whereabouts, status)


def _in_turn(line: Line, heard: Heard) -> list[LogEntry]:
    """The entries that come next, each once; what is missing or told twice is named."""
    machine, last, taken = line.machine, line.last_event, []
    off = heard.clock_off if abs(heard.clock_off) > CLOCK_SLACK else 0.0
    if off and line.clock_off != heard.clock_off and abs(line.clock_off) <= CLOCK_SLACK:
        note_misreport(machine, f"Its clock is {_span(off)} {'ahead of' if off > 0 else 'behind'} ours")
    latest = timezone.now() + timedelta(seconds=CLOCK_SLACK)
    for event in sorted(heard.events, key=lambda event: event.number):
        raw = json.dumps({"n": event.number, "kind": event.kind, "job": event.job, **event.data})
        if event.number <= last:
            note_misreport(machine, f"It told entry {event.number} of its log twice", raw, event.job or "")
            continue
        if event.number > last + 1:
            missing = f"entry {last + 1}" if event.number == last + 2 else f"entries {last + 1} to {event.number - 1}"
            note_misreport(machine, f"It did not tell {missing} of its log", raw, event.job or "")
        at = event.at - timedelta(seconds=off)
        if at > latest:
            note_misreport(machine, f"It dates entry {event.number} of its log after now", raw, event.job or "")
            at = timezone.now()
        taken.append(LogEntry(event, at))
        last = event.number
    return taken


def _log_name(line: Line) -> str:
    return f"{line.log}/{line.begun_again}" if line.begun_again else line.log


def note_failed_turn(machine: Machine, error: Exception) -> None:
    """Say on the machine's page that following it failed here, and at what: it may well be answering."""
    line, _ = Line.objects.get_or_create(machine=machine)
    _note_silence(line, f"{FAILED_HERE}: {type(error).__name__}: {error}")


def _note_silence(line: Line, problem: str) -> None:
    line.asked_at, line.problem = timezone.now(), problem[:200]
    line.save(update_fields=["asked_at", "problem"])


def _span(seconds: float) -> str:
    minutes = abs(seconds) / 60
    return f"{minutes:.0f} min" if minutes < 120 else f"{minutes / 60:.0f} h"
