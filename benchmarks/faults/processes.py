"""The shop's processes in a folder of their own: started, killed without a word, started again."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
import time
from dataclasses import dataclass, field
from pathlib import Path

ROOT = Path(__file__).parents[2]


def free_port() -> int:
    """A port that nothing listens on."""
    with socket.socket() as found:
        found.bind(("127.0.0.1", 0))
        return int(found.getsockname()[1])


@dataclass
class Shop:
    """The application, the follower of the machines and one machine, on ports of their own."""

    folder: Path
    seconds_per_cut: float = 0.03
    port: int = field(default_factory=free_port)
    machine_port: int = field(default_factory=free_port)
    line_port: int = 0  # what the application believes to be the machine's
    running: dict[str, subprocess.Popen[bytes]] = field(default_factory=dict)

    @property
    def environment(self) -> dict[str, str]:
        """What every process of the shop is started with."""
        return {
            **os.environ,
            "WRY_FALCON_VAR": str(self.folder),
            "WRY_FALCON_MACHINE_PORT": str(self.line_port or self.machine_port),
            "DJANGO_SETTINGS_MODULE": "wryfalcon.settings.demo",
            "PYTHONPATH": os.pathsep.join(str(ROOT / part) for part in ("src", "tests", ".")),
        }

    def commands(self) -> dict[str, list[str]]:
        """How each process is started."""
        memory, ledger = str(self.folder / "machine-memory.jsonl"), str(self.folder / "machine-ledger.jsonl")
        bind = f"127.0.0.1:{self.port}"
        return {
            "machine": [
                "benchmachine", "--port", str(self.machine_port), "--seed", "7", "--memory", memory, "--ledger", ledger,
                "--seconds-per-cut", str(self.seconds_per_cut),
            ],
            "follower": ["wryfalcon", "follow_machines"],
            "application": ["gunicorn", "wryfalcon.wsgi", "--bind", bind, "--workers", "1", "--threads", "4"],
        }  # fmt: skip

    def furnish(self) -> None:
        """Make the database, with tags that are ready to be cut."""
        command = [sys.executable, "-m", "benchmarks.faults.shop"]
        subprocess.run(command, env=self.environment, check=True, cwd=ROOT, stdout=subprocess.DEVNULL)

    def start(self, *names: str) -> None:
        """Start processes and wait until each is there."""
        for name in names:
            with (self.folder / f"{name}.log").open("ab") as log:
                self.running[name] = subprocess.Popen(
                    [sys.executable, "-m", *self.commands()[name]],
                    env=self.environment, cwd=ROOT, stdout=log, stderr=log, start_new_session=True,
                )  # fmt: skip
        for name in names:
            if name != "follower":
                self._wait(self.port if name == "application" else self.machine_port)

    def kill(self, *names: str) -> None:
        """Kill processes as a power cut would, those they started too."""
        for name in names:
            os.killpg(self.running[name].pid, signal.SIGKILL)
            self.running[name].wait()

    def stop(self) -> None:
        """End everything."""
        for process in self.running.values():
            if process.poll() is None:
                os.killpg(process.pid, signal.SIGKILL)
                process.wait()

    def _wait(self, port: int) -> None:
        for _ in range(300):
            with socket.socket() as line:
                if line.connect_ex(("127.0.0.1", port)) == 0:
                    return
            time.sleep(0.05)
        raise RuntimeError(f"nothing answers on port {port}; see {self.folder}")
