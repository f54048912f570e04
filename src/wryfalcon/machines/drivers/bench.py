"""The driver for machines that speak the line protocol of ``docs/machine-protocol.md``."""

from __future__ import annotations

import json
import socket
import time
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from datetime import UTC, datetime
from typing import Any
from uuid import uuid4

from keycore.cutting.commands import AxisMap
from wryfalcon.machines.drivers.interface import (
    Command,
    Delivery,
    Heard,
    MachineNonsense,
    MachineRefused,
    MachineUnreachable,
    Whereabouts,
    move_of,
)
from wryfalcon.machines.drivers.reports import (
    VERSION,
    Answer,
    read_answer,
    read_found,
    read_heard,
    read_reading,
    read_touch,
)

LONGEST_ANSWER = 4_000_000
HANDS = frozenset({"lid", "inject", "put", "pass", "lay"})
"""What no client asks: hands at the simulated machine, mischance, and time where it is stepped."""

TOLD = ("onto", "face", "stop", "halved", "tools")
"""What of a load is told as it stands."""


class BenchDriver:
    """One short connection for each question, and one limit for the whole of its answer."""

    reports = True

    def __init__(self, host: str, port: int, seconds: float, *, client: str = "") -> None:
        self.host, self.port, self.seconds = host, port, seconds
        self.client = client

    def listen(self, after: int) -> Heard:
        """The log from a number on, and how the machine is."""
        answer = self._ask("events", after=after)
        return read_heard(answer, after, self.client, datetime.now(UTC))

    def deliver(self, order: Delivery) -> Mapping[str, Any]:
        """Deliver an order; the machine knows by its id whether it did it before."""
        if order.command == "measure":
            return self._measure(order)
        if order.command in HANDS:
            self._ask(order.command, order.id, **order.data)
            return {}
        if order.command == "touch":
            touched = read_touch(self._ask("touch", order.id, face=order.data["face"], at=order.data["at"]))
            return {**touched, **{name: order.data[name] for name in ("side", "at", "thickness")}}
        about = {"client": self.client}
        if order.job:
            about["job"] = order.job
        if order.command == "load":
            axes = AxisMap(*order.data["axes"])
            cuts = order.data["cuts"]
            further = sorted({axis for cut in cuts for axis in cut.get("also", {})})
            given = {
                "cuts": _told(cuts, axes), "axes": [axes.space, axes.depth, *further],
                **{name: order.data[name] for name in TOLD if name in order.data},
            }  # fmt: skip
            return asdict(read_found(self._ask("load", order.id, **about, **given)))
        if order.command == "home":
            about.pop("job", None)
        if order.command == "clamp":  # the hand that the stand-in lacks lays the key first, as the card says
            self._ask("lay", f"{order.id}.laid", job=order.job, **order.data.get("laid", {}))
        seen = {"log": order.seen[0], "event": order.seen[1]} if order.seen else None
        extra: dict[str, Any] = {} if seen is None or order.command in ("hold", "stop") else {"seen": seen}
        if order.command == "fit":
            extra["tool"] = order.data["tool"]
        self._ask(order.command, order.id, **about, **extra)
        return {}

    def find(self, job: str) -> Whereabouts:
        """Where a key is."""
        return read_found(self._ask("find", job=job, client=self.client))

    def panel(self, **request: Any) -> None:
        """For tests and benchmarks: what a hand at the machine does, mischance, and stepped time."""
        self._ask(request.pop("do"), **request)

    def _measure(self, order: Delivery) -> Mapping[str, Any]:
        """Read every place that is asked for once with the machine's own caliper."""
        read = {}
        for place, look in order.data["places"].items():
            told = self._ask("measure", job=order.job, place=place, look=look, client=self.client)
            read[place] = read_reading(told)
        return read

    def _ask(self, command: str, request_id: str = "", **request: Any) -> Answer:
        said = request_id or uuid4().hex
        line = json.dumps({"v": VERSION, "id": said, "do": command, **request}, allow_nan=False).encode() + b"\n"
        answer = read_answer(self._exchange(line), said)
        if not answer.ok:
            raise MachineRefused(answer.error or "it will not")
        return answer

    def _exchange(self, line: bytes) -> bytes:
        """Send one line and read one, all within the limit, however slowly the bytes come."""
        until = time.monotonic() + self.seconds
        received = bytearray()
        try:
            with socket.create_connection((self.host, self.port), timeout=self.seconds) as connection:
                connection.sendall(line)
                while not received.endswith(b"\n"):
                    left = until - time.monotonic()
                    if left <= 0:
                        raise TimeoutError
                    connection.settimeout(left)
                    part = connection.recv(65_536)
                    if not part:
                        raise OSError("the line closed in the middle of an answer")
                    received += part
                    if len(received) > LONGEST_ANSWER:
                        raise MachineNonsense("Its answer does not end", received[:1_000].decode("utf-8", "replace"))
        except TimeoutError:
            raise MachineUnreachable("no whole answer in time") from None
        except OSError as error:
            raise MachineUnreachable(str(error)) from None
        return bytes(received)


def _told(cuts: Sequence[Command], axes: AxisMap) -> list[dict[str, Any]]:
    """Cuts as the protocol has them: clamping by clamping, axes by their letters."""
    return [
        {
            "clamping": cut["clamping"],
            "place": cut["place"],
            "at": {**move_of(cut).at(axes), **cut.get("also", {})},
            "tool": cut.get("tool"),
            **({"mill": cut["mill"]} if "mill" in cut else {}),
        }
        for cut in cuts
    ]
