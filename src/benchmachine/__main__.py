"""Run one simulated machine: ``python -m benchmachine --port 8765 --seed 7``."""

from __future__ import annotations

import argparse
import asyncio
import contextlib

from benchmachine.machine import Machine
from benchmachine.server import serve


def main() -> None:
    """Run one simulated machine until interrupted."""
    parser = argparse.ArgumentParser(prog="benchmachine", description=__doc__)
    parser.add_argument("--port", type=int, required=True, help="0 takes any free port")
    parser.add_argument("--seed", type=int, default=1, help="decides the hidden faults")
    parser.add_argument("--seconds-per-cut", type=float, default=0.8)
    options = parser.parse_args()
    with contextlib.suppress(KeyboardInterrupt):
        asyncio.run(serve(Machine(options.seed, options.seconds_per_cut), options.port))


if __name__ == "__main__":
    main()
