"""What any machine must offer. Lengths are millimetres; nothing here knows what a tag is."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Protocol, TypedDict


class MachineUnreachable(Exception):
    """No answer from the machine; it may well be going on by itself."""


class MachineRefused(Exception):
    """The machine answered that it will not do that now; the text says why."""


class Command(TypedDict):
    """One cut as the machine is told it, offsets put in."""

    side: str
    position: float
    value: float


@dataclass(frozen=True)
class Status:
    """A machine at one instant."""

    boot: str  # changes when the machine is switched off and on: its log starts anew
    state: str
    lid_open: bool
    job: str | None
    cut: int  # cuts done of the job
    of: int
    share: float  # how much of the next cut is done, 0 to 1
    side: str | None
    last_event: int


@dataclass(frozen=True)
class MachineEvent:
    """One numbered entry of a machine's log."""

    number: int
    kind: str
    job: str | None
    data: dict[str, Any]


class Driver(Protocol):
    """A machine the application can use. Every call may raise the two errors above."""

    @property
    def reports(self) -> bool:
        """Whether the machine says by itself how far it is."""

    def status(self) -> Status:
        """How the machine is now."""

    def events(self, after: int) -> list[MachineEvent]:
        """The log from a number on, so that nothing is missed or counted twice."""

    def load(self, job: str, cuts: Sequence[Command], blank_height: float, onto: str | None = None) -> None:
        """Send a key's cuts; sending the same job again changes nothing."""

    def operate(self, command: str) -> None:
        """Do one of home, clamp, start, hold, resume, stop."""

    def measure(self, job: str, side: str, position: float) -> tuple[float, float]:
        """Read one cut of a key made here: depth value and position."""
