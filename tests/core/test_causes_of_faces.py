"""What the errors of a milled or a drilled key point to: a worn mill, a clamp face that is off, a drill off centre."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from scipy.stats import multivariate_normal

from keycore.family import Depth, Tolerance, Track
from keycore.kinds.causes import DRILLED, MILLED, Errors
from keycore.proving.causes import likely_causes
from keycore.proving.suspects import next_check, weigh_suspects
from keycore.proving.verdict import ProofCut
from keycore.tools import Drill, Mill

LOWER = Track("L", (4.0,), (Depth("1", 3.4), Depth("2", 3.0)), tool=Mill(1.5))  # metal below: deeper is smaller
UPPER = Track("U", (4.0,), (Depth("1", 5.2), Depth("2", 5.6)), tool=Mill(1.5))  # metal above
OUTER, INNER = (Track(name, (4.0,), (Depth("1", 2.6), Depth("2", 2.1)), tool=Drill(tip, 90)) for name, tip in
                (("O", 1.2), ("I", 0.4)))  # fmt: skip
IN_MM = Tolerance(0.05, 0.08)
Moved = Callable[[Track, float], float]


def walls(moved: Moved) -> tuple[list[ProofCut], list[Track]]:
    """Six cuts of each of two walls of a groove, each moved, the larger value further from the reference edge."""
    both = [(track, 4.0 + 2.4 * n) for track in (LOWER, UPPER) for n in range(6)]
    scatter = np.random.default_rng(5).normal(0, 0.004, len(both))
    cuts = [
        ProofCut(n, x, 3.0, 3.0 + moved(track, x) + off)
        for n, ((track, x), off) in enumerate(zip(both, scatter, strict=True), start=1)
    ]
    return cuts, [track for track, _ in both]


@pytest.mark.parametrize(
    ("cause", "moved", "says"),
    [
        # 0.08 worn off a mill's diameter: the wall with metal below stands 0.04 higher, the other 0.04 lower
        ("mill", lambda track, x: 0.04 if track is LOWER else -0.04, "by twice that"),
        ("across", lambda track, x: 0.06, "away from the fixed jaw alike"),
        ("across", lambda track, x: -0.06, "towards the fixed jaw alike"),
        ("angle", lambda track, x: 0.012 * (x - 10), "no offset mends a tilt"),
        ("none", lambda track, x: 0.0, "ordinary scatter"),
    ],
)
def test_a_worn_mill_and_a_face_that_is_off_are_told_apart(cause: str, moved: Moved, says: str) -> None:
    cuts, tracks = walls(moved)
    found = likely_causes(cuts, 0.005, IN_MM, "mm", among=MILLED, tracks=tracks)
    assert found[0].cause == cause
    assert found[0].weight > 0.5
    assert says in found[0].says


def test_a_face_that_is_off_moves_what_is_turned_over_the_other_way() -> None:
    """Measured from the reference edge, which lies away from the jaw then: the same wall on front and back."""
    back = Track("B", (4.0,), (Depth("1", 3.4), Depth("2", 3.0)), tool=Mill(1.5), face="back")
    tracks = [LOWER] * 6 + [back] * 6
    cuts = [ProofCut(n, 4.0 + 2.4 * (n % 6), 3.0, 3.0 + (0.06 if n < 6 else -0.06)) for n in range(12)]
    found = likely_causes(cuts, 0.005, IN_MM, "mm", among=MILLED, tracks=tracks)
    assert (found[0].cause, found[0].weight > 0.5) == ("across", True)
    assert "away from the fixed jaw alike" in found[0].says


def test_one_wall_alone_cannot_tell_a_face_that_is_off_from_a_depth_setting() -> None:
    cuts = [ProofCut(n, 4.0 + 2.4 * n, 3.0, 3.06) for n in range(6)]
    weights = {each.cause: each.weight for each in likely_causes(cuts, 0.005, IN_MM, among=MILLED, tracks=[LOWER] * 6)}
    assert weights["across"] == 0
    assert weights["mill"] + weights["depth"] > 0.8


OFF = np.array([0.0, 0.15] * 4) + np.random.default_rng(2).normal(0, 0.01, 8)


def test_one_drill_off_its_centre_moves_its_holes_alone() -> None:
    cuts = [ProofCut(n, 3.0 * n, 2.6, 2.6, 3.0 * n + OFF[n]) for n in range(8)]
    found = likely_causes(cuts, 0.01, IN_MM, "mm", among=DRILLED, tracks=[OUTER, INNER] * 4)
    assert found[0].cause == "drill"
    assert "by 0.147" in found[0].says
    alike = likely_causes(cuts, 0.01, IN_MM, among=DRILLED, tracks=[OUTER] * 8)
    assert {each.cause: each.weight for each in alike}["drill"] == 0


def test_holes_whose_places_were_not_measured_say_nothing_of_a_drill() -> None:
    cuts = [ProofCut(n, 3.0 * n, 2.6, 2.7) for n in range(8)]
    found = {
        each.cause: each for each in likely_causes(cuts, 0.01, IN_MM, "mm", among=DRILLED, tracks=[OUTER, INNER] * 4)
    }
    assert found["drill"].weight == 0
    assert "not measured" in found["drill"].says


def test_the_weight_of_a_drill_off_centre_against_scipy() -> None:
    """Either drill's holes share an offset, with even chance; the other's have none."""
    tool = np.array([0.0, 1.0] * 4)
    flat = np.zeros(8)
    errors = Errors(flat, OFF, flat, flat, flat, 0.01, 0.02, IN_MM, flat + 1, flat + 1, tool)
    sizes = (2 * IN_MM.space) ** 2
    wanted = [
        multivariate_normal(cov=0.02**2 * np.eye(8) + sizes * np.outer(tool == n, tool == n)).pdf(OFF) for n in (0, 1)
    ]
    places = DRILLED["drill"].places
    assert places is not None
    assert places(errors) == pytest.approx(np.log(np.mean(wanted)))


def test_a_check_tells_a_worn_mill_from_a_face_that_is_off() -> None:
    cuts, tracks = walls(lambda track, x: 0.05 if track is LOWER else 0.0)
    causes = likely_causes(cuts, 0.005, IN_MM, "mm", among=MILLED, tracks=tracks)
    suspects = weigh_suspects(causes, 0.025, 0.005, None, 0.05, ["stuck"])
    assert {suspects[0].cause, suspects[1].cause} == {"mill", "across"}
    check = next_check(suspects)
    assert check is not None
    assert check.does == "Measure the mill across its flutes."
