"""The machine itself: its states, its numbered log, and the keys it has made.

Time only passes through ``advance``; the server calls it, and tests call it themselves.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from random import Random
from typing import Any

from benchmachine.faults import Faults

MOST_CUTS = 400
DEEPEST_FEED = 0.4  # share of a cut's time spent moving before the plunge


AFTER_HOMING = {"stalled": "held", "held": "held", "turn": "turn", "stopped": "stopped", "loaded": "loaded"}


class Refused(Exception):
    """The machine will not do that now; the text says why."""


@dataclass
class Job:
    """One key being made: cuts as {side, position, value} in millimetres."""

    id: str
    cuts: list[dict[str, Any]]
    blank_height: float
    at: int = 0  # the next cut
    share: float = 0.0  # how much of it is done
    made: dict[str, tuple[float, float]] = field(default_factory=dict)  # place: true (position, value)

    @property
    def side(self) -> str:
        """The side the next cut is on."""
        return str(self.cuts[min(self.at, len(self.cuts) - 1)]["side"])


class Machine:
    """A seeded machine. States: unhomed, idle, loaded, cutting, held, turn, stalled, stopped, done."""

    def __init__(self, seed: int, seconds_per_cut: float = 0.5, boot: str | None = None) -> None:
        self.random = Random(seed)
        self.faults = Faults.drawn(self.random)
        self.boot = boot or f"{Random().getrandbits(48):012x}"
        self.seconds_per_cut = seconds_per_cut
        self.state = "unhomed"
        self.lid_open = False
        self.job: Job | None = None
        self.tray: dict[str, Job] = {}
        self.clamped_side: str | None = None
        self.seat = (0.0, 0.0)  # this clamping's own error: all over, and per mm
        self.cuts_made = 0
        self.stall_next = False
        self.events: list[dict[str, Any]] = []

    # --- the log -----------------------------------------------------------------------------

    def log(self, kind: str, **data: Any) -> None:
        """Write one numbered event."""
        job = self.job.id if self.job else None
        self.events.append({"n": len(self.events) + 1, "kind": kind, "job": job, **data})

    def status(self) -> dict[str, Any]:
        """What a client may see of the machine at this instant."""
        job = self.job
        return {
            "boot": self.boot,
            "state": self.state,
            "lid": "open" if self.lid_open else "closed",
            "job": job.id if job else None,
            "cut": job.at if job else 0,
            "of": len(job.cuts) if job else 0,
            "share": round(job.share, 3) if job else 0.0,
            "side": job.side if job else None,
            "cuts_made": self.cuts_made,
            "last": len(self.events),
        }

    # --- what an operator or client asks for ----------------------------------------------------

    def home(self) -> None:
        """Find the home position; after a stall this also frees the cutter."""
        if self.state == "cutting":
            raise Refused("it is cutting: hold or stop it first")
        freed = self.state == "stalled"
        self.state = AFTER_HOMING.get(self.state, "idle")
        self.log("homed", freed=freed)

    def load(self, job: str, cuts: list[dict[str, Any]], blank_height: float, onto: str | None = None) -> None:
        """Take a job in. Loading the same job again changes nothing, so a client may repeat it."""
        if job in self.tray or (self.job is not None and self.job.id == job):
            return
        if self.state not in ("idle", "done", "stopped", "loaded"):
            raise Refused("it is not homed" if self.state == "unhomed" else f"it is {self.state} with another job")
        checked = _checked(cuts)
        self.job = Job(job, checked, float(blank_height))
        if onto is not None:
            if onto not in self.tray:
                raise Refused(f"there is no key {onto} to touch up")
            self.job.made = dict(self.tray[onto].made)
        self.clamped_side = None
        self.state = "loaded"
        self.log("loaded", cuts=len(checked))

    def clamp(self) -> None:
        """The operator has clamped the key for the side that is next; each clamping sits differently."""
        if self.job is None or self.state not in ("loaded", "turn", "stopped"):
            raise Refused("there is nothing to clamp now")
        self.clamped_side = self.job.side
        self.seat = (-abs(self.random.gauss(0, self.faults.seat_sd)) / 2, self.random.gauss(0, 0.0002))
        self.log("clamped", side=self.clamped_side)

    def start(self) -> None:
        """Start, or go on after a stop or after the key was turned over."""
        if self.state == "cutting":
            return
        if self.job is None or self.state not in ("loaded", "turn", "stopped"):
            raise Refused(f"it is {self.state}")
        if self.clamped_side != self.job.side:
            raise Refused("the key is not clamped for this side")
        self._go("started")

    def hold(self) -> None:
        """Pause where it is, spindle lifted."""
        self._must_be_cutting()
        self.state = "held"
        self.log("held", reason="asked")

    def resume(self) -> None:
        """Go on after a hold; the cut that was under way is finished."""
        if self.state == "cutting":
            return
        if self.state != "held":
            raise Refused("home it first" if self.state == "stalled" else f"it is {self.state}, not held")
        self._go("resumed")

    def stop(self) -> None:
        """End the run; cuts made stay made, and the same job can be started again."""
        if self.job is None or self.state not in ("cutting", "held", "turn", "loaded", "stalled"):
            raise Refused("nothing is running")
        self.state = "stopped"
        self.log("stopped")

    def lid(self, is_open: bool) -> None:
        """The lid is opened or closed by hand; opening it stops the cutter at once."""
        self.lid_open = is_open
        self.log("lid-opened" if is_open else "lid-closed")
        if is_open and self.state == "cutting":
            self.state = "held"
            self.log("held", reason="lid")

    def inject(self, fault: str, value: float = 0.0) -> None:
        """For tests and practice: ``stall`` the next cut, put a ``new-wheel`` on, or set a hidden fault."""
        if fault == "stall":
            self.stall_next = True
        elif fault == "new-wheel":
            self.cuts_made = 0
        else:
            try:
                self.faults.inject(fault, value)
            except ValueError as error:
                raise Refused(str(error)) from None

    def measure(self, job: str, side: str, position: float) -> dict[str, float]:
        """Read one cut of a key with the caliper: value and position, noise included."""
        key = self.tray.get(job) or (self.job if self.job and self.job.id == job else None)
        if key is None or _place(side, position) not in key.made:
            raise Refused("there is no such cut to measure")
        at, value = key.made[_place(side, position)]
        noise = self.faults.caliper_sd
        return {"value": value + self.random.gauss(0, noise), "position": at + self.random.gauss(0, noise)}

    # --- time --------------------------------------------------------------------------------

    def advance(self, seconds: float) -> None:
        """Let time pass."""
        while seconds > 0 and self.state == "cutting" and self.job is not None:
            if self.stall_next and self.job.share >= DEEPEST_FEED:
                self.stall_next = False
                self.state = "stalled"
                self.log("stalled", cut=self.job.at)
                return
            step = min(seconds, self.seconds_per_cut / 10)
            seconds -= step
            self.job.share += step / self.seconds_per_cut
            if self.job.share >= 1.0:
                self._finish_cut(self.job)

    def _finish_cut(self, job: Job) -> None:
        wanted = job.cuts[job.at]
        place = _place(wanted["side"], wanted["position"])
        position, value = self._as_cut(wanted["position"], wanted["value"])
        before = job.made[place][1] if place in job.made else job.blank_height
        job.made[place] = (position, min(value, before))  # metal only ever comes off
        self.cuts_made += 1
        job.at, job.share = job.at + 1, 0.0
        self.log("cut-done", cut=job.at - 1)
        if self._finished():
            self.tray[job.id] = job
            self.state = "done"
            self.log("finished")
        elif job.side != self.clamped_side:
            self.state = "turn"
            self.log("turn-wanted", side=job.side)

    def _as_cut(self, position: float, value: float) -> tuple[float, float]:
        faults = self.faults
        error = (
            faults.depth_offset
            + (faults.jaw_angle + self.seat[1]) * position
            + faults.wheel_wear * self.cuts_made
            + self.seat[0]
            + self.random.gauss(0, faults.noise)
        )
        return position + faults.space_offset + self.random.gauss(0, faults.noise), value + error

    def _finished(self) -> bool:
        return self.job is not None and self.job.at >= len(self.job.cuts)

    def _go(self, kind: str) -> None:
        if self.lid_open:
            raise Refused("the lid is open")
        self.state = "cutting"
        self.log(kind, cut=self.job.at if self.job else 0)

    def _must_be_cutting(self) -> None:
        if self.state != "cutting":
            raise Refused(f"it is {self.state}, not cutting")


def _place(side: str, position: float) -> str:
    return f"{side}@{position:.2f}"


def _checked(cuts: Any) -> list[dict[str, Any]]:
    """A job's cuts: side, position and value of each, or Refused."""
    if not isinstance(cuts, list) or not 0 < len(cuts) <= MOST_CUTS:
        raise Refused(f"a job has 1 to {MOST_CUTS} cuts")
    for cut in cuts:
        if not isinstance(cut, dict) or set(cut) != {"side", "position", "value"}:
            raise Refused("a cut has side, position and value")
        if not all(isinstance(cut[name], (int, float)) for name in ("position", "value")):
            raise Refused("position and value are numbers, in millimetres")
    return [dict(cut) for cut in cuts]


COMMANDS: dict[str, Callable[..., Any]] = {
    "home": Machine.home, "load": Machine.load, "clamp": Machine.clamp, "start": Machine.start,
    "hold": Machine.hold, "resume": Machine.resume, "stop": Machine.stop, "inject": Machine.inject,
    "measure": Machine.measure, "status": Machine.status,
}  # fmt: skip
"""What a client may ask by name; lid and events are answered by the server itself."""
