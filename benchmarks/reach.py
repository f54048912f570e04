"""The headless command on documents that ask for much: each answered or refused in one line, within its bounds."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from benchmarks.figure import Figure

SOURCE = Path(__file__).parents[1] / "src"
MOST_SECONDS, MOST_MB = 10.0, 500.0
TURNED_TIMES, TURNED_MB = 3.0, 300.0
COMPARED_TIMES, LIGHT_TIMES = 2.0, 1.5
WEAR = {"mean": -0.0045, "sd": 0.0038, "tip": {"mean": -0.002, "sd": 0.003}}
DEFAULT_SD = 0.0024


@dataclass(frozen=True)
class Ran:
    """What one call of the command took, and what it said."""

    seconds: float  # of the processor
    mb: float
    status: int
    says: str
    answer: dict[str, Any]


def measure() -> Iterator[Figure]:
    """Two sources one of which is turned; what hung; comparisons; what a verb brings in."""
    yield from _turned()
    for name, verb, document in _hard():
        ran = _run(verb, document)
        within = ran.seconds <= MOST_SECONDS and ran.mb <= MOST_MB and ran.status in (0, 2)
        said = "answered" if ran.status == 0 else f"refused: {ran.says}"
        yield Figure(f"{name}: {ran.seconds:.1f} s, {ran.mb:.0f} MB (goal 10 s, 500 MB); {said}", within)
    yield _compared()
    yield from _light()


def _turned() -> Iterator[Figure]:
    for spaces, depths in ((6, 6), (8, 8), (10, 8), (12, 10)):
        family, steps = _family(spaces, depths), _steps(spaces, depths)
        first = _worn(family, steps, 1)
        as_it_stands = _run("decode", _reading(family, first, _worn(family, steps[::-1], 2)))
        turned = _run("decode", _reading(family, first, {**_worn(family, steps[::-1], 2), "from": "tip"}))
        agreeing = _run("decode", _reading(family, first, _worn(family, steps, 3)))
        says = (
            f"{spaces} x {depths}, one of two read from the wrong end: {as_it_stands.seconds:.1f} s, "
            f"{as_it_stands.mb:.0f} MB, named: {as_it_stands.answer.get('reversed')}; turned {turned.seconds:.1f} s "
            f"({turned.seconds / agreeing.seconds:.1f} times two that agree, goal 3), {turned.mb:.0f} MB (goal 300)"
        )
        named = as_it_stands.answer.get("reversed") in (0, 1) and as_it_stands.seconds <= MOST_SECONDS
        fast = turned.seconds <= TURNED_TIMES * agreeing.seconds and turned.mb <= TURNED_MB
        yield Figure(says, named and fast and turned.answer["bittings"] is not None)


def _hard() -> Iterator[tuple[str, str, dict[str, Any]]]:
    five = _family(5, 5)
    yield (
        "20 sources of 5 x 5 that disagree",
        "decode",
        _reading(five, *(_worn(five, _steps(5, 5, seed), seed) for seed in range(20))),
    )
    twelve = _family(12, 10)
    yield (
        "5 sources of 12 x 10 that disagree",
        "decode",
        _reading(twelve, *(_worn(twelve, _steps(12, 10, seed), seed) for seed in range(5))),
    )
    ten = _family(10, 10)
    tiny = {"sd": 5e-6, "offset": {"mean": 0, "sd": 0.01}}
    yield "10 x 10, sd 5e-6 under an offset of 0.01", "decode", _reading(ten, {**_worn(ten, _steps(10, 10), 1), **tiny})
    three = _family(3, 5)
    wide = {"sd": 0.0015, "offset": {"mean": 0, "sd": 0.075}}
    yield "3 spaces, an offset 50 times as wide", "decode", _reading(three, {**_worn(three, [1, 3, 2], 1), **wide})
    sixty = _family(60, 60, 0.003)
    yield "60 x 60 with the tip", "decode", _reading(sixty, _worn(sixty, _steps(60, 60), 1))
    ruled = {**_family(12, 10), "rules": {"most_alike": 3, "fewest_depths": 4}}
    ruled["tracks"] = [{**ruled["tracks"][0], "name": f"T{n}", "macs": 6} for n in range(20)]
    yield "20 tracks of 12 x 10 under rules", "family", ruled
    random = np.random.default_rng(3)
    for count in (400, 1_200):
        cuts = [
            {"space": 1 + n % 60, "from_gauge": 0.2 + 0.0005 * n, "value": 0.33 - 0.015 * (n % 5),
             "measured": 0.33 - 0.015 * (n % 5) + float(random.normal(0, 0.002))}
            for n in range(count)
        ]  # fmt: skip
        proof = {"format": "wry-falcon.proof/1", "unit": "in", "sd": 0.0003, "cuts": cuts}
        yield f"a proof of {count:,} cuts", "verify", {**proof, "tolerance": {"value": 0.002, "space": 0.003}}
    keys = [
        {"cuts": [{"space": 0.2, "value": 0.3, "measured_value": 0.301 + float(random.normal(0, 0.001)),
                   "measured_space": None}]}
        for _ in range(40_000)
    ]  # fmt: skip
    yield "40,000 keys of one cut", "calibrate", {
        "format": "wry-falcon.calibration/1", "unit": "in", "keys": keys, "noise": {"sd": 0.0006, "seat_sd": 0.0005},
        "tolerance": {"value": 0.002, "space": 0.003}, "adjust": {"depth_step": 0.001, "space_step": 0.001},
    }  # fmt: skip


def _compared() -> Figure:
    """Eight pairs compared by eye beside a caliper, at 8 x 8, against the caliper alone."""
    family, steps = _family(8, 8), _steps(8, 8)
    random, words = np.random.default_rng(4), {0: "level", 1: "deeper", -1: "shallower"}
    pairs = []
    for _ in range(8):
        a, b = (int(n) for n in random.choice(8, 2, replace=False))
        pairs.append([a + 1, b + 1, words[int(np.sign(steps[a] - steps[b]))]])
    alone = _run("decode", _reading(family, _worn(family, steps, 1)))
    both = _run("decode", _reading(family, _worn(family, steps, 1), {"kind": "compare", "pairs": pairs}))
    times = both.seconds / alone.seconds
    says = f"8 pairs compared at 8 x 8: {times:.2f} times the command without (goal 2), {both.mb:.0f} MB"
    return Figure(says, times <= COMPARED_TIMES and both.answer["bittings"] is not None)


def _light() -> Iterator[Figure]:
    """What the two light verbs cost beside an interpreter that brings in numpy and pydantic."""
    bare = min(_python("-c", "import numpy, pydantic").seconds for _ in range(3))
    family = {**_family(6, 8), "blank": {"code": "B", "height": 0.34, "thickness": 0.08, "length": 1.2},
              "tolerance": {"value": 0.002, "space": 0.003}}  # fmt: skip
    family["tracks"] = [{**family["tracks"][0], "cut": {"flat": 0.03, "angle": 100}}]
    plan = {"format": "wry-falcon.plan/1", "family": family, "style": "ramped",
            "bitting": {"A": ["1", "2", "3", "2", "1", "0"]}}  # fmt: skip
    for verb, document in (("family", family), ("plan", plan)):
        times = min(_run(verb, document).seconds for _ in range(3)) / bare
        yield Figure(f"{verb}: {times:.2f} times numpy and pydantic alone (goal 1.5)", times <= LIGHT_TIMES)


def _run(verb: str, document: dict[str, Any]) -> Ran:
    with tempfile.NamedTemporaryFile("w", suffix=".json") as file:
        json.dump(document, file)
        file.flush()
        return _python("-m", "keycore", verb, file.name)


def _python(*arguments: str) -> Ran:
    with tempfile.TemporaryFile() as out, tempfile.TemporaryFile() as err:
        begun = subprocess.Popen([sys.executable, *arguments], cwd=SOURCE, stdout=out, stderr=err)
        _, status, used = os.wait4(begun.pid, 0)
        begun.returncode = os.waitstatus_to_exitcode(status)
        out.seek(0), err.seek(0)
        said, answer = err.read().decode().strip(), out.read()
    seconds = used.ru_utime + used.ru_stime
    return Ran(seconds, used.ru_maxrss / 1024, begun.returncode, said, json.loads(answer) if answer else {})


def _family(spaces: int, depths: int, step: float = 0.015) -> dict[str, Any]:
    track = {
        "name": "A", "spaces": [round(0.2 + 0.1 * i, 4) for i in range(spaces)],
        "depths": [{"label": str(k), "value": round(0.33 - step * k, 6)} for k in range(depths)],
    }  # fmt: skip
    return {
        "format": "wry-falcon.family/1", "id": "f", "name": "F", "kind": "edge", "unit": "in", "gauge": "shoulder",
        "numbered_from": "bow", "tracks": [track],
    }  # fmt: skip


def _steps(spaces: int, depths: int, seed: int = 5) -> list[int]:
    return [int(step) for step in np.random.default_rng(seed).integers(0, depths, spaces)]


def _worn(family: dict[str, Any], steps: list[int], seed: int) -> dict[str, Any]:
    noise, depths = np.random.default_rng(100 + seed), family["tracks"][0]["depths"]
    values = [round(depths[step]["value"] - 0.004 + float(noise.normal(0, 0.0015)), 6) for step in steps]
    return {"kind": "measured", "values": values, "sd": DEFAULT_SD, "offset": WEAR}


def _reading(family: dict[str, Any], *evidence: dict[str, Any]) -> dict[str, Any]:
    return {"format": "wry-falcon.reading/1", "family": family, "evidence": list(evidence)}
