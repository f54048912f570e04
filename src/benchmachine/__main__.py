"""Run one simulated machine: ``python -m benchmachine --port 8765 --seed 7``."""

from __future__ import annotations

import argparse
import asyncio
import contextlib
from pathlib import Path

from benchmachine.clock import Clock
from benchmachine.machine import Machine
from benchmachine.memory import Journal
from benchmachine.server import serve


def main() -> None:
    """Run one simulated machine until interrupted."""
    parser = argparse.ArgumentParser(prog="benchmachine", description=__doc__)
    parser.add_argument("--port", type=int, required=True, help="0 takes any free port")
    parser.add_argument("--seed", type=int, default=1, help="decides the hidden faults")
    parser.add_argument("--seconds-per-cut", type=float, default=0.8)
    parser.add_argument("--memory", type=Path, help="the file that it remembers its log and its keys by")
    parser.add_argument("--ledger", type=Path, help="the file in which it writes down each touch of metal")
    parser.add_argument("--clock", choices=("wall", "stepped"), default="wall", help="stepped: time passes when told")
    options = parser.parse_args()
    machine = Machine(
        options.seed, options.seconds_per_cut, memory=Journal(options.memory), ledger=Journal(options.ledger),
        clock=Clock(is_stepped=options.clock == "stepped"),
    )  # fmt: skip
    with contextlib.suppress(KeyboardInterrupt):
        asyncio.run(serve(machine, options.port))


if __name__ == "__main__":
    main()
