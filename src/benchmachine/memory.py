"""What a machine writes down: its memory, which it reads again when switched on, and a ledger of metal.

Both are files of JSON, an object a line, that are only ever added to and are on the disk before the
next thing happens. A last line that was cut short by a power cut is left out when read.
"""

from __future__ import annotations

import json
import os
from collections.abc import Iterator
from pathlib import Path
from typing import Any


class Journal:
    """A file of lines that is only added to; ``None`` for a path keeps nothing."""

    def __init__(self, path: Path | None) -> None:
        self.path = path
        if path is None:
            return
        path.parent.mkdir(parents=True, exist_ok=True)
        _mend_end(path)
        self._file = path.open("ab", buffering=0)

    def write(self, entry: dict[str, Any]) -> None:
        """Add one line; it is on the disk when this returns."""
        if self.path is not None:
            self._file.write(json.dumps(entry, allow_nan=False).encode() + b"\n")
            os.fsync(self._file.fileno())

    def entries(self) -> Iterator[dict[str, Any]]:
        """Every whole line there is, oldest first."""
        if self.path is not None and self.path.exists():
            yield from (json.loads(line) for line in self.path.read_bytes().splitlines())


def _mend_end(path: Path) -> None:
    """Take off a last line that was being written when the power went."""
    if path.exists():
        written = path.read_bytes()
        whole = written[: written.rfind(b"\n") + 1]
        if len(whole) < len(written):
            with path.open("r+b") as file:
                file.truncate(len(whole))
