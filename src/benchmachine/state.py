"""What the simulated machine knows, and its numbered log: everything that changes it is an entry of it.

An entry is written into the memory first; switched on again, the machine reads them and is where it was.
"""

from __future__ import annotations

from collections.abc import Callable
from random import Random
from typing import Any

from benchmachine.blade import Blade, Lain, pass_of
from benchmachine.clock import Clock
from benchmachine.faults import Faults
from benchmachine.jobs import JAW, Job, holder_for
from benchmachine.memory import Journal

ANSWERS_KEPT = 5_000
NOTHING = Journal(None)
AFTER_HOMING = {"stalled": "held", "done": "idle"}
AFTER_SWITCHING_ON = {
    "cutting": "stopped", "held": "stopped", "index": "stopped", "tool": "stopped", "stalled": "stopped",
    "done": "idle",
}  # fmt: skip
"""What homing, and switching on and then homing, lead to; every other state is kept."""

What = tuple[str, dict[str, Any], dict[str, Any]]


class MachineState:
    """The state that the log leads to.

    States: unhomed, idle, loaded, cutting, held, turn, index, tool, stalled, stopped, done.
    """

    def __init__(
        self, seed: int, seconds_per_cut: float = 0.5, *,
        memory: Journal = NOTHING, ledger: Journal = NOTHING, clock: Clock | None = None,
    ) -> None:  # fmt: skip
        self.random, self.seed = Random(seed), seed
        self.faults = Faults.drawn(self.random)
        self.memory, self.ledger, self.clock = memory, ledger, clock or Clock()
        self.seconds_per_cut = seconds_per_cut
        self.log_id = ""
        self.state = "unhomed"
        self.then = "idle"  # the state that homing leads back to
        self.lid_open = False
        self.job: Job | None = None
        self.aside: dict[str, Job] = {}
        self.tray: dict[str, Job] = {}
        self.clamped: int | None = None
        self.tool: str | None = None  # as it was last said to be fitted
        self.fitted: dict[str, float] | None = None  # what it truly is, where a hand said so
        self.lying = "empty"  # what a hand put on the clamp's face to touch it off
        self.lying_thick = 0.0  # how much of it there is under the tool, mm
        self.seat = (0.0, 0.0)  # this clamping's own error: all over, and per mm
        self.cuts_made = 0
        self.stall_next = False
        self.events: list[dict[str, Any]] = []
        self.answered: dict[str, str] = {}  # request: why it was refused, "" where it was done
        self._request = ""
        self._remember(seed)

    # --- the log -----------------------------------------------------------------------------

    def _remember(self, seed: int) -> None:
        """Read what was written before the machine was switched off, and write that it is on again."""
        for entry in self.memory.entries():
            if "refused" in entry:
                self.answered[entry["request"]] = entry["refused"]
            for written in entry.get("entries", ()):
                self._take(written["event"], written["private"])
        starts = sum(event["kind"] == "switched-on" for event in self.events)
        if starts:
            self.random = Random(f"{seed}, switched on {starts} times before")
        self.ledger.write({"at": self.clock.stamp(), "what": "switched-on"})
        log = self.log_id or f"{Random().getrandbits(48):012x}"
        then = AFTER_SWITCHING_ON.get(self._now_or_then, self._now_or_then)
        self._happen(("switched-on", {"log": log}, {"then": then}))

    @property
    def _now_or_then(self) -> str:
        return self.then if self.state == "unhomed" else self.state

    def _happen(self, *what: What, job: str | None = None) -> None:
        """Write one or more numbered entries (kind, what only the machine knows, what it tells), all or none.

        Then let them have happened.
        """
        about = job or (self.job.id if self.job else None)
        entries = [
            {
                "event": {
                    "n": number,
                    "at": self.clock.stamp(),
                    "kind": kind,
                    "job": about,
                    "order": self._request,
                    **told,
                },
                "private": private,
            }
            for number, (kind, private, told) in enumerate(what, start=len(self.events) + 1)
        ]
        self.memory.write({"entries": entries})
        for entry in entries:
            self._take(entry["event"], entry["private"])

    def _take(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        """Change the machine by one entry, whether it happens now or is read again."""
        self.events.append(event)
        if event["order"]:
            self._answer_kept(event["order"], "")
        TAKES[event["kind"]](self, event, private)

    def _answer_kept(self, request: str, refused: str) -> None:
        self.answered[request] = refused
        while len(self.answered) > ANSWERS_KEPT:
            self.answered.pop(next(iter(self.answered)))

    # --- what each kind of entry does -----------------------------------------------------------------

    def _take_switched_on(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        self.log_id, self.then, self.state, self.clamped = private["log"], event["then"], "unhomed", None
        if self.job is not None:
            self.job.share = 0.0
            self.job = None if self.job.id in self.tray else self.job

    def _take_homed(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        self.state = AFTER_HOMING.get(self._now_or_then, self._now_or_then)

    def _take_set_aside(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        assert self.job is not None
        self.aside[self.job.id], self.job = self.job, None

    def _take_loaded(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        name, onto = event["job"], private["onto"]
        before = self.tray[onto] if onto is not None else None
        is_old = before.is_old if before is not None else "stop" not in private
        fresh = Job(
            name, private["client"], private["cuts"], onto, holder_for(private.get("axes", list(JAW.axes))),
            face=private.get("face", ""), stop=private.get("stop", "shoulder"),
            is_halved=private.get("halved", False), tools=private.get("tools", {}),
            blade=before.blade.copy() if before else Blade(), lain=Lain() if is_old else None, is_old=is_old,
            made=dict(before.made) if before else {},
        )  # fmt: skip
        self.job = self.aside.pop(name, fresh)
        self.clamped, self.state = None, "loaded"

    def _take_lain(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        assert self.job is not None
        self.job.lain = Lain(**private["lain"])
        if not self.job.blade.passes:
            self.job.blade = Blade(**private["blank"])

    def _take_clamped(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        self.clamped, self.seat = event["clamping"], (private["seat"][0], private["seat"][1])

    def _take_going(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        self.state = "cutting"

    def _take_held(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        self.state = "held"

    def _take_stopped(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        if self.state == "unhomed":
            self.then = "stopped"
        else:
            self.state = "stopped"

    def _take_stalled(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        self.stall_next, self.state = False, "stalled"

    def _take_cut_done(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        assert self.job is not None
        if "pass" in private:
            self.job.blade.passes.append(pass_of(private["pass"]))
        else:
            self.job.made[event["place"]] = (private["made"][0], private["made"][1])
        self.job.at, self.job.share = event["cut"] + 1, 0.0
        self.cuts_made += 1

    def _take_laid(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        self.lying, self.lying_thick = private["lying"], private["thick"]

    def _take_index_wanted(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        self.state = "index"

    def _take_tool_wanted(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        self.state = "tool"

    def _take_tool_fitted(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        self.tool, self.faults.drill_off = event["tool"], 0.0
        self.fitted = private.get("shape")

    def _take_turn_wanted(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        self.state = "turn"

    def _take_finished(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        assert self.job is not None
        self.tray[self.job.id], self.state = self.job, "done"

    def _take_lid(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        self.lid_open = event["kind"] == "lid-opened"

    def _take_touched(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        if private["fault"] == "stall":
            self.stall_next = True
        elif private["fault"] == "new-wheel":
            self.cuts_made = 0
        else:
            self.faults.inject(private["fault"], private["value"])


TAKES: dict[str, Callable[[MachineState, dict[str, Any], dict[str, Any]], None]] = {
    "switched-on": MachineState._take_switched_on,
    "homed": MachineState._take_homed,
    "set-aside": MachineState._take_set_aside,
    "loaded": MachineState._take_loaded,
    "clamped": MachineState._take_clamped,
    "started": MachineState._take_going,
    "resumed": MachineState._take_going,
    "held": MachineState._take_held,
    "stopped": MachineState._take_stopped,
    "stalled": MachineState._take_stalled,
    "cut-done": MachineState._take_cut_done,
    "turn-wanted": MachineState._take_turn_wanted,
    "finished": MachineState._take_finished,
    "lid-opened": MachineState._take_lid,
    "lid-closed": MachineState._take_lid,
    "touched": MachineState._take_touched,
    "index-wanted": MachineState._take_index_wanted,
    "indexed": MachineState._take_going,
    "tool-wanted": MachineState._take_tool_wanted,
    "tool-fitted": MachineState._take_tool_fitted,
    "laid": MachineState._take_laid,
    "lain": MachineState._take_lain,
}
"""What each kind of entry does: the event as it is told, and what the machine keeps to itself."""
