"""The driver for machines without a line: the cut plan goes out as a file, the smith says when it is done.

Its own small state is a file too, so that it survives the application.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

from wryfalcon.machines.drivers.interface import Command, MachineEvent, MachineRefused, Status
from wryfalcon.machines.formats.gcode import write_gcode

NEXT = {
    "clamp": ({"loaded", "stopped"}, "loaded", "clamped"),
    "start": ({"loaded", "stopped"}, "cutting", "started"),
    "hold": ({"cutting"}, "held", "held"),
    "resume": ({"held"}, "cutting", "resumed"),
    "stop": ({"cutting", "held", "loaded"}, "stopped", "stopped"),
    "home": ({"idle", "loaded", "stopped", "done"}, "idle", "homed"),
}


@dataclass
class _Kept:
    state: str = "idle"
    job: str | None = None
    cuts: list[dict[str, Any]] = field(default_factory=list)
    events: list[dict[str, Any]] = field(default_factory=list)


class PlanFileDriver:
    """Writes ``JOB.nc``; ``operate("finish")`` records that the smith cut it."""

    reports = False

    def __init__(self, folder: Path, machine: int, axes: tuple[str, str] = ("X", "Z")) -> None:
        self.folder = folder
        self.axes = axes
        self.record = folder / f"machine-{machine}.json"

    def status(self) -> Status:
        """How far the smith has said it is."""
        kept = self._kept()
        done = len(kept.cuts) if kept.state == "done" else 0
        return Status("file", kept.state, False, kept.job, done, len(kept.cuts), 0.0, None, len(kept.events))

    def events(self, after: int) -> list[MachineEvent]:
        """The log from a number on."""
        return [MachineEvent(**entry) for entry in self._kept().events[after:]]

    def load(self, job: str, cuts: Sequence[Command], blank_height: float, onto: str | None = None) -> None:
        """Write the plan; the same job again changes nothing."""
        kept = self._kept()
        if kept.job == job:
            return
        if kept.state == "cutting":
            raise MachineRefused("another key is under way")
        self.folder.mkdir(parents=True, exist_ok=True)
        (self.folder / f"{job}.nc").write_text(write_gcode(job, cuts, blank_height, self.axes))
        kept.state, kept.job, kept.cuts = "loaded", job, [dict(cut) for cut in cuts]
        self._keep(kept, "loaded", cuts=len(cuts))

    def operate(self, command: str) -> None:
        """Follow what the smith says was done by hand."""
        kept = self._kept()
        if command == "finish":
            if kept.state != "cutting":
                raise MachineRefused(f"it is {kept.state}, not cutting")
            for place in range(len(kept.cuts)):
                self._keep(kept, "cut-done", cut=place)
            kept.state = "done"
            self._keep(kept, "finished")
            return
        allowed, state, kind = NEXT[command]
        if kept.state not in allowed:
            raise MachineRefused(f"it is {kept.state}")
        kept.state = state
        self._keep(kept, kind)

    def measure(self, job: str, side: str, position: float) -> tuple[float, float]:
        """Refuse: there is no caliper on this line."""
        raise MachineRefused("this machine has no caliper on the line; type the values")

    def _kept(self) -> _Kept:
        try:
            return _Kept(**json.loads(self.record.read_text()))
        except FileNotFoundError:
            return _Kept()

    def _keep(self, kept: _Kept, kind: str, **data: Any) -> None:
        kept.events.append({"number": len(kept.events) + 1, "kind": kind, "job": kept.job, "data": data})
        self.folder.mkdir(parents=True, exist_ok=True)
        fresh = self.record.with_suffix(".new")
        fresh.write_text(json.dumps(asdict(kept)))
        fresh.replace(self.record)
