"""The driver for machines without a line: the cut plan goes out as a file, the smith says when it is done.

Its log is a file of its own that is only added to, an entry a line, so that it survives the
application and nothing is ever written again.
"""

from __future__ import annotations

import json
import os
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Any
from uuid import uuid4

from wryfalcon.machines.drivers.interface import (
    Delivery,
    Heard,
    MachineEvent,
    MachineRefused,
    Status,
    Whereabouts,
)  # fmt: skip
from wryfalcon.machines.formats.gcode import program_told, write_gcode

AT_ONCE = 500
NEXT = {
    "clamp": ({"loaded", "stopped"}, "loaded", "clamped"),
    "start": ({"loaded", "stopped"}, "cutting", "started"),
    "hold": ({"cutting", "held"}, "held", "held"),
    "resume": ({"held"}, "cutting", "resumed"),
    "stop": ({"cutting", "held", "loaded", "stopped"}, "stopped", "stopped"),
    "home": ({"idle", "loaded", "stopped", "done"}, "idle", "homed"),
}


@dataclass
class _Kept:
    """What the log says when it is read through."""

    log: str = ""
    events: list[MachineEvent] = field(default_factory=list)
    done: set[str] = field(default_factory=set)  # the orders it carried out
    state: str = "idle"
    job: str | None = None
    cuts: dict[str, int] = field(default_factory=dict)  # of each key that was ever written
    made: set[str] = field(default_factory=set)


class PlanFileDriver:
    """Writes ``JOB.nc``; the order ``finish`` records that the smith cut it."""

    reports = False

    def __init__(self, folder: Path, machine: int) -> None:
        self.folder = folder
        self.record = folder / f"machine-{machine}.jsonl"

    def listen(self, after: int) -> Heard:
        """The log from a number on, and how far the smith has said it is."""
        kept = self._kept()
        of = kept.cuts.get(kept.job or "", 0)
        cut = of if kept.state == "done" else 0
        told = kept.events[after : after + AT_ONCE]
        last = len(kept.events)
        log = kept.log or self._begin()
        status = Status(log, kept.state, False, kept.job, True, cut, of if kept.job else 0, 0.0, last)
        return Heard(told, after + len(told) < last, status)

    def deliver(self, order: Delivery) -> Mapping[str, Any]:
        """Write the plan, or follow what the smith says was done by hand; the same order again changes nothing."""
        kept = self._kept()
        if order.id in kept.done:
            return {}
        if order.command == "load":
            self._load(kept, order)
        elif order.command == "measure":
            raise MachineRefused("this machine has no caliper on the line; type the values")
        else:
            self._operate(kept, order)
        return {}

    def find(self, job: str) -> Whereabouts:
        """Where a key is."""
        kept = self._kept()
        of = kept.cuts.get(job, 0)
        if job in kept.made:
            return Whereabouts("tray", of, of)
        if kept.job == job:
            return Whereabouts("clamp", 0, of)
        return Whereabouts("aside" if of else "unknown", 0, of)

    def _load(self, kept: _Kept, order: Delivery) -> None:
        if order.job in kept.made or kept.job == order.job:
            return
        if kept.state in ("cutting", "held"):
            raise MachineRefused("another key is under way")
        cuts = order.data["cuts"]
        self.folder.mkdir(parents=True, exist_ok=True)
        plan = self.folder / f"{order.job}.nc"
        plan.write_text(write_gcode(program_told(order.data["program"]), cuts))
        entries: list[tuple[str, dict[str, Any]]] = [("loaded", {"of": len(cuts)})]
        if kept.job is not None and kept.state != "done":
            self._write(kept, order, [("set-aside", {})], kept.job)
        self._write(kept, order, entries, order.job)

    def _operate(self, kept: _Kept, order: Delivery) -> None:
        if order.command != "home" and order.job != kept.job:
            if order.command in ("hold", "stop") and order.job in kept.made:
                return
            raise MachineRefused("it holds another key now" if kept.job else "it holds no key now")
        if order.command == "finish":
            if kept.state != "cutting":
                raise MachineRefused(f"it is {kept.state}, not cutting")
            cuts: list[tuple[str, dict[str, Any]]] = [("cut-done", {"cut": n}) for n in range(kept.cuts[order.job])]
            self._write(kept, order, [*cuts, ("finished", {})], order.job)
            return
        if order.command not in NEXT:
            raise MachineRefused("it cannot do that")
        allowed, _, kind = NEXT[order.command]
        if kept.state not in allowed:
            raise MachineRefused(f"it is {kept.state}")
        if order.command == "start" and kept.events[-1].kind not in ("clamped", "stopped", "started"):
            raise MachineRefused("say that it is clamped first")
        self._write(kept, order, [(kind, {})], kept.job)

    def _begin(self) -> str:
        """A log has a name, so that one begun anew is told from one that went on."""
        log = uuid4().hex[:12]
        self._append([{"log": log}])
        return log

    def _write(self, kept: _Kept, order: Delivery, entries: list[tuple[str, dict[str, Any]]], job: str | None) -> None:
        if not kept.log:
            kept.log = self._begin()
        now = datetime.now(UTC).isoformat()
        lines = []
        for number, (kind, data) in enumerate(entries, start=len(kept.events) + 1):
            lines.append({"number": number, "at": now, "kind": kind, "job": job, "data": data, "order": order.id})
        self._append(lines)
        for line in lines:
            _take(kept, line)

    def _append(self, lines: list[dict[str, Any]]) -> None:
        """Add lines in one write that is on the disk before anything else happens."""
        self.folder.mkdir(parents=True, exist_ok=True)
        with self.record.open("ab", buffering=0) as file:
            if self.record.stat().st_size > (whole := len(self._whole())):
                file.truncate(whole)  # the beginning of a line that the power cut short
            file.write(b"".join(json.dumps(line).encode() + b"\n" for line in lines))
            os.fsync(file.fileno())

    def _kept(self) -> _Kept:
        kept = _Kept()
        for line in self._whole().splitlines():
            _take(kept, json.loads(line))
        return kept

    def _whole(self) -> bytes:
        """The log's whole lines; a last one cut short was never answered."""
        try:
            written = self.record.read_bytes()
        except FileNotFoundError:
            return b""
        return written[: written.rfind(b"\n") + 1]


def _take(kept: _Kept, line: dict[str, Any]) -> None:
    """Go on by one line of the log."""
    if "log" in line:
        kept.log = line["log"]
        return
    job, kind, data = line["job"], line["kind"], line["data"]
    at = datetime.fromisoformat(line["at"])
    kept.events.append(MachineEvent(line["number"], kind, job, at, data, line["order"]))
    kept.done.add(line["order"])
    if kind == "loaded":
        kept.state, kept.job, kept.cuts[job] = "loaded", job, data["of"]
    elif kind == "set-aside":
        kept.job, kept.state = None, "idle"
    elif kind == "finished":
        kept.state = "done"
        kept.made.add(job)
    else:
        kept.state = next((state for _, state, told in NEXT.values() if told == kind), kept.state)
