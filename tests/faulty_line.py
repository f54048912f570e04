"""Lines that lose answers and machines that lie: what lies between the application and metal, as it really is."""

from __future__ import annotations

import json
import socket
import socketserver
import threading
import time
from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any

Twist = Callable[[dict[str, Any]], Any]


class _Server(socketserver.ThreadingTCPServer):
    allow_reuse_address = True
    daemon_threads = True


class Listening:
    """Something that answers on a port of this machine, one line for one line."""

    def __init__(self, port: int = 0) -> None:
        owner = self

        class Talk(socketserver.StreamRequestHandler):
            def handle(self) -> None:
                owner.connections += 1
                line = self.rfile.readline()
                if line and (answer := owner.answer(line)) is not None:
                    for part in owner.parts(answer):
                        self.wfile.write(part)
                        self.wfile.flush()

        self.connections = 0
        self.server = _Server(("127.0.0.1", port), Talk)
        self.port = int(self.server.server_address[1])
        threading.Thread(target=self.server.serve_forever, kwargs={"poll_interval": 0.01}, daemon=True).start()

    def answer(self, line: bytes) -> bytes | None:
        """What is said to a line; None closes the line without an answer."""
        raise NotImplementedError

    def parts(self, answer: bytes) -> list[bytes]:
        """The pieces in which an answer comes."""
        return [answer]

    def stop(self) -> None:
        self.server.shutdown()
        self.server.server_close()


def _renamed(answer: bytes) -> bytes:
    """An answer whose log has another name this once."""
    told = json.loads(answer)
    told["status"]["log"] = f"x{time.monotonic_ns()}"
    return json.dumps(told).encode() + b"\n"


ODD_ANSWERS: dict[str, Callable[[bytes], bytes]] = {
    "mutated": lambda answer: answer[: len(answer) // 2] + b"\xff" + answer[len(answer) // 2 + 1 :],
    "junk": lambda answer: b"\x00\x7f]]}{ \xff\n",
    "deep": lambda answer: b"[" * 100_000 + b"\n",
    "half": lambda answer: answer[: len(answer) // 2],
    "another log": _renamed,
    "never": lambda answer: answer,
}
"""What a line may make of an answer that the machine gave."""


class LosingLine(Listening):
    """A line to a machine that loses answers after the machine has acted, or requests before, or is slow."""

    def __init__(self, machine_port: int, chance: Callable[[], str] = lambda: "") -> None:
        self.machine_port, self.chance = machine_port, chance
        self.loses, self.times = "", 0  # the answers to one sort of request, so many times
        super().__init__()

    def answer(self, line: bytes) -> bytes | None:
        befalls = self.chance()
        if befalls == "request lost":
            return None
        try:
            with socket.create_connection(("127.0.0.1", self.machine_port), 5) as onward, onward.makefile("rwb") as io:
                io.write(line)
                io.flush()
                answer = io.readline()
        except OSError:
            return None
        if self.times and json.loads(line)["do"] == self.loses:
            self.times -= 1
            return None
        if befalls in ("slow", "never"):
            threading.Event().wait(0.4 if befalls == "slow" else 3.0)  # a follower waits two seconds
        return None if befalls == "answer lost" else ODD_ANSWERS.get(befalls, bytes)(answer)


class Liar(Listening):
    """A machine that says whatever a test makes it say; its log is a list, its status a dictionary."""

    def __init__(self) -> None:
        self.log: list[dict[str, Any]] = []
        self.status: dict[str, Any] = {
            "log": "first", "state": "idle", "lid": "closed", "job": None, "client": None, "cut": 0, "of": 0,
            "share": 0.0, "clamping": None, "tool": None, "cuts_made": 0,
        }  # fmt: skip
        self.found: dict[str, Any] = {"where": "unknown", "cut": 0, "of": 0}
        self.clock = 0.0  # seconds ahead of ours
        self.twist: Twist = lambda answer: answer
        self.asked: list[dict[str, Any]] = []
        super().__init__()

    def tell(self, kind: str, job: str | None = None, **data: Any) -> None:
        """Write an entry into its log."""
        entry = {"n": len(self.log) + 1, "at": self.now(), "kind": kind, "job": job, **data}
        self.log.append({**entry, **data})

    def now(self) -> str:
        return datetime.fromtimestamp(datetime.now(UTC).timestamp() + self.clock, UTC).isoformat()

    def answer(self, line: bytes) -> bytes:
        request = json.loads(line)
        self.asked.append(request)
        result: Any = {}
        if request["do"] == "events":
            told = [entry for entry in self.log if entry["n"] > request["after"]]
            result = {"events": told[:500], "more": len(told) > 500}
        elif request["do"] in ("find", "load"):
            result = self.found
        last = max((entry["n"] for entry in self.log if isinstance(entry["n"], int)), default=0)
        answer = {
            "v": 3, "id": request["id"], "ok": True, "error": None, "result": result, "time": self.now(),
            "status": {**self.status, "last": last},
        }  # fmt: skip
        said = self.twist(answer)
        return (said if isinstance(said, bytes) else json.dumps(said).encode()) + b"\n"
