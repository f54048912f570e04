"""The driver for machines that speak the line protocol of ``docs/machine-protocol.md``."""

from __future__ import annotations

import json
import socket
from collections.abc import Sequence
from typing import Any

from wryfalcon.machines.drivers.interface import (
    Command,
    MachineEvent,
    MachineRefused,
    MachineUnreachable,
    Status,
)  # fmt: skip

LONGEST_ANSWER = 4_000_000


class BenchDriver:
    """One short connection for each question, so that a lost line costs only that question."""

    reports = True

    def __init__(self, host: str, port: int, seconds: float) -> None:
        self.host, self.port, self.seconds = host, port, seconds

    def status(self) -> Status:
        """How the machine is now."""
        said = self._ask(do="status")["status"]
        return Status(
            boot=said["boot"],
            state=said["state"],
            lid_open=said["lid"] == "open",
            job=said["job"],
            cut=said["cut"],
            of=said["of"],
            share=said["share"],
            side=said["side"],
            last_event=said["last"],
        )

    def events(self, after: int) -> list[MachineEvent]:
        """The log from a number on."""
        return [
            MachineEvent(
                number=entry["n"],
                kind=entry["kind"],
                job=entry["job"],
                data={name: value for name, value in entry.items() if name not in ("n", "kind", "job")},
            )
            for entry in self._ask(do="events", after=after)["result"]
        ]

    def load(self, job: str, cuts: Sequence[Command], blank_height: float, onto: str | None = None) -> None:
        """Send a key's cuts."""
        extra = {} if onto is None else {"onto": onto}
        self._ask(do="load", job=job, cuts=list(cuts), blank_height=blank_height, **extra)

    def operate(self, command: str) -> None:
        """Do one of home, clamp, start, hold, resume, stop."""
        self._ask(do=command)

    def measure(self, job: str, side: str, position: float) -> tuple[float, float]:
        """Read one cut of a key made here."""
        read = self._ask(do="measure", job=job, side=side, position=position)["result"]
        return read["value"], read["position"]

    def panel(self, **request: Any) -> None:
        """For the demonstration and tests: what a hand at the machine does, lid and faults."""
        self._ask(**request)

    def _ask(self, **request: Any) -> dict[str, Any]:
        try:
            with socket.create_connection((self.host, self.port), timeout=self.seconds) as line:
                line.sendall(json.dumps(request).encode() + b"\n")
                answer = json.loads(_read_line(line))
        except (OSError, ValueError) as error:
            raise MachineUnreachable(str(error)) from None
        if not answer.get("ok"):
            raise MachineRefused(str(answer.get("error", "refused")))
        return dict(answer)


def _read_line(line: socket.socket) -> bytes:
    received = bytearray()
    while not received.endswith(b"\n"):
        part = line.recv(65_536)
        if not part or len(received) > LONGEST_ANSWER:
            raise OSError("the line closed in the middle of an answer")
        received += part
    return bytes(received)
