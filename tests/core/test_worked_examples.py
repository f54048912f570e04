"""Worked documents whose answers came from brute force in independent code; see ``reference/``."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from keycore.documents import VERBS

WORKED = Path(__file__).parents[1] / "reference" / "worked"
PROBABILITY, LENGTH = 1e-4, 1e-6


def cases(verb: str) -> list[Path]:
    found = sorted(WORKED.glob(f"{verb}-*.json"))
    assert found, f"no worked examples for {verb}"
    return found


def answer_and_wanted(verb: str, path: Path) -> tuple[dict[str, Any], dict[str, Any]]:
    case = json.loads(path.read_text())
    answer = VERBS[verb](case["request"])
    json.dumps(answer, allow_nan=False)
    return answer, case["answer"]


def agrees(found: Any, wanted: Any, tolerance: float, path: str = "") -> None:
    """Every field of the wanted answer is in the one found, numbers within the tolerance."""
    if isinstance(wanted, dict):
        for name, value in wanted.items():
            assert name in found, f"{path}.{name} is missing"
            agrees(found[name], value, tolerance, f"{path}.{name}")
    elif isinstance(wanted, list):
        assert len(found) == len(wanted), path
        for place, value in enumerate(wanted):
            agrees(found[place], value, tolerance, f"{path}[{place}]")
    elif isinstance(wanted, float):
        assert found == pytest.approx(wanted, abs=tolerance), path
    else:
        assert found == wanted, path


@pytest.mark.parametrize("path", cases("family"), ids=lambda path: path.stem)
def test_family_counts_are_exact(path: Path) -> None:
    agrees(*answer_and_wanted("family", path), tolerance=0)


@pytest.mark.parametrize("path", cases("decode"), ids=lambda path: path.stem)
def test_reading_agrees_with_enumeration(path: Path) -> None:
    answer, wanted = answer_and_wanted("decode", path)
    bittings = wanted.pop("bittings")
    assert len(answer["bittings"]) == len(bittings)
    chances = [bitting["probability"] for bitting in bittings]
    for place, (found, bitting) in enumerate(zip(answer["bittings"], bittings, strict=True)):
        assert found["probability"] == pytest.approx(bitting["probability"], abs=PROBABILITY)
        # The references leave near-ties in no set order; ours go shallower first.
        others = [*chances[:place], *chances[place + 1 :], 0.0 if len(chances) < 5 else chances[-1]]
        if min(abs(bitting["probability"] - other) for other in others) > 1e-9:
            assert found["labels"] == bitting["labels"]
    agrees(answer, wanted, tolerance=PROBABILITY)


OF_BLADES = [path for path in cases("plan") if path.stem.removeprefix("plan-").isdecimal()]
TOLD = {"macs", "no-floor", "wall"}
"""The problems that worked plans of the other kinds list."""
FLOOR_MM = 2e-4


@pytest.mark.parametrize(
    "path",
    sorted(path for path in cases("plan") if path.stem.startswith(("plan-tubular", "plan-rotary"))),
    ids=lambda path: path.stem,
)
def test_a_plan_of_another_kind_agrees(path: Path) -> None:
    answer, wanted = answer_and_wanted("plan", path)
    per_mm = 1.0 if json.loads(path.read_text())["request"]["family"]["unit"] == "mm" else 1 / 25.4
    (track,), (told,) = answer["tracks"], wanted.pop("tracks")
    for cut, expected in zip(track["cuts"], told["cuts"], strict=True):
        if "floor_left" in expected:
            assert cut["floor_left"] == pytest.approx(expected.pop("floor_left"), abs=FLOOR_MM * per_mm)
    agrees(track, told, tolerance=LENGTH)
    named = [(each["code"], each["track"], each["spaces"]) for each in answer["problems"] if each["code"] in TOLD]
    assert named == [(each["code"], each["track"], each["spaces"]) for each in wanted["problems"]]
    assert [clamping["n"] for clamping in answer["clampings"]] == [1]


@pytest.mark.parametrize("path", OF_BLADES, ids=lambda path: path.stem)
def test_plan_agrees(path: Path) -> None:
    answer, wanted = answer_and_wanted("plan", path)
    (track,) = answer["tracks"]
    blank = json.loads(path.read_text())["request"]["family"]["blank"]
    x, h = np.array(track["profile"]).T
    assert np.trapezoid(blank["height"] - h, x) == pytest.approx(wanted.pop("area_removed"), abs=LENGTH)
    agrees({**answer, **track}, wanted, tolerance=LENGTH)


@pytest.mark.parametrize("path", cases("verify"), ids=lambda path: path.stem)
def test_proof_agrees(path: Path) -> None:
    agrees(*answer_and_wanted("verify", path), tolerance=LENGTH)


@pytest.mark.parametrize("path", cases("progress"), ids=lambda path: path.stem)
def test_progression_takes_the_fewest_blanks(path: Path) -> None:
    agrees(*answer_and_wanted("progress", path), tolerance=0)


@pytest.mark.parametrize("path", cases("calibrate"), ids=lambda path: path.stem)
def test_calibration_agrees(path: Path) -> None:
    agrees(*answer_and_wanted("calibrate", path), tolerance=LENGTH)
