"""What all tests share: a machine on a real socket, a furnished shop, people who log in."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import settings

settings.register_profile("falcon", deadline=None)  # how quick a machine is, is no property of the code
settings.load_profile("falcon")

os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")  # the browser driver runs an event loop of its own

LONGEST = ("test_two_presses", "test_kills", "test_views", "test_mishaps", "test_odd_posts")
SOURCE = Path(__file__).parents[1] / "src"


@pytest.hookimpl(trylast=True)
def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """What takes longest begins first, so that nothing waits for it at the end."""
    items.sort(key=lambda item: item.path.stem not in LONGEST)


class BenchMachine:
    """A simulated machine in a process of its own; its time only passes when a test says so."""

    def __init__(
        self, seconds_per_cut: float = 0.05, seed: int = 5, port: int = 0, *, clock: str = "stepped",
        folder: Path | None = None,
    ) -> None:  # fmt: skip
        command = [sys.executable, "-m", "benchmachine", "--seed", str(seed), "--port", str(port), "--clock", clock]
        if folder is not None:
            command += ["--memory", str(folder / "memory.jsonl"), "--ledger", str(folder / "ledger.jsonl")]
        self.process = subprocess.Popen(
            [*command, "--seconds-per-cut", str(seconds_per_cut)],
            stdout=subprocess.PIPE,
            env={**os.environ, "PYTHONPATH": str(SOURCE)},
            text=True,
        )
        assert self.process.stdout is not None
        self.port = int(self.process.stdout.readline().rsplit(":", 1)[1])

    def stop(self) -> None:
        """Switched off without a word, as a power cut does it."""
        self.process.kill()
        self.process.wait()
        assert self.process.stdout is not None
        self.process.stdout.close()


@pytest.fixture
def bench_machine() -> Iterator[BenchMachine]:
    machine = BenchMachine()
    yield machine
    machine.stop()


@pytest.fixture(scope="session")
def demonstration_database(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demonstration's database in a file, to be copied."""
    from shops import demonstration_file

    base = tmp_path_factory.getbasetemp()
    return demonstration_file(base.parent if "PYTEST_XDIST_WORKER" in os.environ else base)
