"""What the first page makes a browser fetch."""

from __future__ import annotations

import gzip
import re
from collections.abc import Iterator
from pathlib import Path

from benchmarks.figure import Figure

STATIC = Path(__file__).parents[1] / "src/wryfalcon/static"
BASE = Path(__file__).parents[1] / "src/wryfalcon/templates/base.html"
MOST = 120_000


def measure() -> Iterator[Figure]:
    """Scripts and styles named by the base template, gzipped as they are served."""
    names = re.findall(r"static '([^']+\.(?:js|css))'", BASE.read_text())
    sizes = {name: len(gzip.compress((STATIC / name).read_bytes(), 9)) for name in names}
    total = sum(sizes.values())
    each = ", ".join(f"{name} {size / 1000:.1f}" for name, size in sizes.items())
    yield Figure(
        f"scripts and styles of the first page: {total / 1000:.1f} kB gzipped (goal 120): {each}", total < MOST
    )
