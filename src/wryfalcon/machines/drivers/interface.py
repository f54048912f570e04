"""What any machine must offer. Lengths are millimetres, angles degrees; nothing here knows what a tag is."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, NotRequired, Protocol, TypedDict

from keycore.cutting.commands import Move
from keycore.family import Place


class MachineUnreachable(Exception):
    """No answer from the machine; it may well be going on by itself."""


class MachineRefused(Exception):
    """The machine answered that it will not do that now; the text says why."""


class MachineNonsense(Exception):
    """The machine answered what it may not; ``says`` names it, ``raw`` is the beginning of what came."""

    def __init__(self, says: str, raw: str = "") -> None:
        super().__init__(says)
        self.says, self.raw = says, raw


class Milling(TypedDict):
    """The stretch of a wall that is milled for one cut: the way of the mill's middle, mm."""

    way: list[list[float]]
    diameter: float


class Command(TypedDict):
    """One cut as the machine is told it, offsets put in; millimetres, degrees of an angle."""

    clamping: int  # from 1
    track: str
    space: int
    place: str  # the name by which the machine knows where it is
    position: float
    value: float
    tool: NotRequired[str]  # by its name; without one whatever is fitted will do
    also: NotRequired[dict[str, float]]  # where a further axis stands meanwhile, by its letter
    mill: NotRequired[Milling]


def move_of(cut: Command) -> Move:
    """The move that a command stands for."""
    return Move(cut["clamping"], Place(cut["track"], cut["space"]), cut["position"], cut["value"])


@dataclass(frozen=True)
class Status:
    """A machine at one instant."""

    log: str  # another one when the machine has forgotten everything, or is another machine
    state: str
    lid_open: bool
    job: str | None
    is_ours: bool  # whether that job was loaded from here
    cut: int  # cuts done of the job
    of: int
    share: float  # how much of the next cut is done, 0 to 1
    last_event: int


@dataclass(frozen=True)
class MachineEvent:
    """One numbered entry of a machine's log."""

    number: int
    kind: str
    job: str | None
    at: datetime  # by the machine's own clock
    data: Mapping[str, Any] = field(default_factory=dict)
    order: str = ""  # the id of the order that it comes of


@dataclass(frozen=True)
class Odd:
    """Something that cannot be so, and the beginning of what came."""

    says: str
    raw: str


@dataclass(frozen=True)
class Heard:
    """A part of the log and how the machine was at the same instant."""

    events: Sequence[MachineEvent]
    more: bool  # the log goes on beyond these
    status: Status
    clock_off: float = 0.0  # seconds that its clock is ahead of ours
    odd: Sequence[Odd] = ()


@dataclass(frozen=True)
class Delivery:
    """An order on its way to a machine."""

    id: str  # said twice, it is done once
    command: str
    job: str = ""
    data: Mapping[str, Any] = field(default_factory=dict)
    seen: tuple[str, int] | None = None  # the log and its newest entry that the order rests on


@dataclass(frozen=True)
class Whereabouts:
    """Where a machine has a key, and how far it is."""

    where: str  # clamp, aside, tray or unknown
    cut: int
    of: int


class Driver(Protocol):
    """A machine the application can use. Every call may raise the three errors above."""

    @property
    def reports(self) -> bool:
        """Whether the machine says by itself how far it is."""

    def listen(self, after: int) -> Heard:
        """The log from a number on, and how the machine is."""

    def deliver(self, order: Delivery) -> Mapping[str, Any]:
        """Deliver an order and return what came of it; the same order again is not done again."""

    def find(self, job: str) -> Whereabouts:
        """Where a key is, for one that the log no longer tells of."""
