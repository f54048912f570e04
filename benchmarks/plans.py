"""Plans of keys with faces against the plan of an edge key of as many spaces."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from typing import Any

from benchmarks.figure import Figure, in_turn
from keycore.cutting.plan import plan_cuts
from keycore.documents.family import read_family
from keycore.family import Family

SPACES = 10
MOST = 20.0


def measure() -> Iterator[Figure]:
    """A four-track plan with its mill's corners, and three rows of holes on each face."""
    edge = _edge()
    for name, family in (("four milled tracks", _milled()), ("six rows of holes", _drilled())):
        plain, taken = in_turn(partial(_plan, edge), partial(_plan, family))
        says = f"{name} of {SPACES} spaces: {taken * 1000:.1f} ms, {taken / plain:.1f} times an edge plan of {SPACES}"
        yield Figure(f"{says} (goal {MOST:g})", taken / plain <= MOST)


def _plan(family: Family) -> object:
    bitting = {t.name: [t.labels[n % len(t.labels)] for n in range(len(t.spaces))] for t in family.tracks}
    return plan_cuts(family, bitting)


def _family(kind: str, tracks: list[dict[str, Any]], unit: str = "mm") -> Family:
    return read_family({
        "format": "wry-falcon.family/1", "id": "bench", "name": "Bench", "kind": kind, "unit": unit,
        "gauge": "shoulder", "numbered_from": "bow", "tracks": tracks, "entry": "one",
        "blank": {"code": "B", "height": 9.0, "thickness": 3.0, "length": 32.0},
        "tolerance": {"value": 0.05, "space": 0.08},
    })  # fmt: skip


def _table(*values: float) -> list[dict[str, object]]:
    return [{"label": str(n), "value": value} for n, value in enumerate(values, start=1)]


def _spaces(first: float = 4.0) -> list[float]:
    return [round(first + 2.6 * n, 3) for n in range(SPACES)]


def _edge() -> Family:
    cut = {"flat": 0.8, "angle": 90}
    return _family("edge", [{"name": "A", "spaces": _spaces(), "depths": _table(8.5, 8.1, 7.7), "cut": cut}])


def _milled() -> Family:
    mill = {"diameter": 2.5, "depth": 0.9, "land": 1.2, "ramp": 45}
    return _family(
        "side-milled",
        [
            {"name": name, "face": face, "spaces": _spaces(), "depths": _table(*values),
             "mill": {**mill, "metal": metal}, "tumbler": {"shape": "flat", "size": 0.4}}
            for name, face, values, metal in (
                ("A", "front", (1.6, 2.0, 2.4), "above"), ("B", "front", (7.0, 6.6, 6.2), "below"),
                ("C", "back", (1.6, 2.0, 2.4), "above"), ("D", "back", (7.0, 6.6, 6.2), "below"),
            )
        ],
    )  # fmt: skip


def _drilled() -> Family:
    return _family(
        "dimple",
        [
            {"name": f"{face[0]}{row:g}", "face": face, "row": row, "spaces": _spaces(4.0 + shift),
             "depths": _table(2.8, 2.5, 2.2), "drill": {"tip": 0.8, "angle": 90}}
            for face, shift in (("front", 0.0), ("back", 0.9))
            for row in (2.0, 4.5, 7.0)
        ],
    )  # fmt: skip
