"""Proofs, causes and the lock simulation."""

from __future__ import annotations

from itertools import combinations, pairwise

import numpy as np
import pytest

from keycore.documents import VERBS
from keycore.family import Play, Tolerance, Tumbler
from keycore.geometry.profile import Profile, tumbler_heights
from keycore.machines.copies import copies_of_copies
from keycore.machines.trim import Noise
from keycore.proving.causes import Cause, likely_causes
from keycore.proving.lock import Feel, LockShift, Making, chance_of_turning, feel_of, lock_shift
from keycore.proving.prospect import prospect
from keycore.proving.suspects import CHECKS, Suspect, next_check, weigh_suspects
from keycore.proving.verdict import ProofCut, Verdict, judge, repeats_needed
from keycore.reading.evidence import Spread
from specimens import harbour_five, proof

TOLERANCE = Tolerance(0.002, 0.003)


@pytest.mark.parametrize(
    ("error", "verdict"),
    [
        (0.0, Verdict.INSIDE),
        (0.0012, Verdict.INSIDE),  # |e| + U just on the limit
        (-0.0013, Verdict.DOUBTFUL),
        (0.0028, Verdict.DOUBTFUL),  # |e| - U just on the limit
        (-0.0029, Verdict.OUTSIDE),
    ],
)
def test_the_measuring_takes_its_share_of_the_tolerance(error: float, verdict: Verdict) -> None:
    """The decision rule of ISO 14253-1 at both limits, U for a coverage factor of 2 (from memory)."""
    assert judge(error, 0.0004, 0.002) == verdict


def test_a_key_is_as_good_as_its_worst_cut() -> None:
    answer = VERBS["verify"](proof([0.0, 0.0001, 0.0, 0.0019, 0.004]))
    assert [cut["verdict"] for cut in answer["cuts"]] == ["inside", "inside", "inside", "doubtful", "outside"]
    assert answer["verdict"] == "outside"


NAMED_ERRORS = {
    "none": ([0.0002, -0.0003, 0.0001, 0.0, -0.0002], None),
    "seat": ([-0.004, -0.0042, -0.0039, -0.0041, -0.004], None),
    "depth": ([0.004, 0.0042, 0.0039, 0.0041, 0.004], None),
    "angle": ([-0.004, -0.002, 0.0, 0.002, 0.004], None),
    "single": ([0.0001, 0.0, 0.009, -0.0001, 0.0], None),
    "gauge": ([0.0001, 0.0, 0.0001, -0.0001, 0.0], [0.006, 0.0062, 0.0059, 0.006, 0.0061]),
}
"""What each fault does to a key (common practice, no source)."""


@pytest.mark.parametrize("cause", NAMED_ERRORS)
def test_the_pattern_of_errors_names_the_cause(cause: str) -> None:
    errors, spaces = NAMED_ERRORS[cause]
    causes = VERBS["verify"](proof(errors, spaces=spaces))["causes"]
    assert causes[0]["cause"] == cause
    assert sum(found["weight"] for found in causes) == pytest.approx(1)


def test_all_cuts_deep_is_first_a_blank_not_bottomed() -> None:
    """Clamp again and cut again before any adjustment (common practice, no source)."""
    cuts = [ProofCut(i, 0.2 + 0.14 * i, 0.3, 0.296) for i in range(1, 6)]
    first, second = likely_causes(cuts, 0.0003, TOLERANCE, "in")[:2]
    assert (first.cause, second.cause) == ("seat", "depth")
    assert "Clamp again" in first.says


@pytest.mark.parametrize(("sd", "cuts", "zero"), [(0.0005, 5, 0.0), (0.001, 6, 0.0002), (0.0008, 1, 0.0003)])
def test_with_the_repeats_asked_for_a_perfect_key_passes_nine_times_in_ten(sd: float, cuts: int, zero: float) -> None:
    """By simulation: so many readings do, one fewer does not."""
    wanted = repeats_needed(sd, 0.002, cuts, zero=zero)
    assert wanted is not None
    random = np.random.default_rng(3)
    shares = []
    for readings in (wanted, max(1, wanted - 1)):
        s = np.hypot(sd / np.sqrt(readings), zero)
        errors = np.abs(random.normal(0, s, (20_000, cuts)))
        shares.append(float((errors + 2 * s <= 0.002).all(axis=1).mean()))
    assert shares[0] >= 0.89
    assert wanted == 1 or shares[1] <= 0.91


def test_a_round_tumbler_rests_where_a_fine_search_finds_it() -> None:
    profile = Profile(np.array([0.0, 0.3, 0.36, 0.44, 0.5, 0.9]), np.array([0.33, 0.33, 0.25, 0.25, 0.33, 0.33]))
    radius = 0.05
    d = np.linspace(-radius, radius, 400_001)
    for x in (0.3, 0.38, 0.4, 0.46):
        sampled = (profile.at(x + d) - (radius - np.sqrt(radius**2 - d**2))).max()
        assert tumbler_heights(profile, [x], Tumbler("round", radius))[0] == pytest.approx(sampled, abs=1e-8)


def test_a_wide_flat_tumbler_is_lifted_by_its_neighbours_ramp() -> None:
    profile = Profile(np.array([0.0, 0.4, 0.5, 0.9]), np.array([0.33, 0.25, 0.33, 0.33]))
    narrow, wide = (tumbler_heights(profile, [0.4], Tumbler("flat", width))[0] for width in (0.001, 0.06))
    assert wide > narrow + 0.01


def test_the_chance_of_turning_agrees_with_drawing_keys_at_random() -> None:
    making, play, away = Making(0.0015, 0.001), Play(0.003, 0.004), np.array([0.001, -0.002, 0.0, 0.0015])
    random = np.random.default_rng(7)
    made = away + random.normal(0, 0.0015, (200_000, 4)) + random.normal(0, 0.001, (200_000, 1))
    drawn = np.mean(np.all((made <= 0.003) & (made >= -0.004), axis=1))
    assert chance_of_turning(away, making, play) == pytest.approx(drawn, abs=0.004)


def test_too_high_rubs_and_too_low_snags() -> None:
    play = Play(high=0.003, low=0.002)
    assert [feel_of(d, play) for d in (0.0031, 0.0, -0.0021)] == [Feel.RUBS, Feel.FREE, Feel.SNAGS]


def test_an_old_key_that_turns_freely_says_its_lock_wore_with_it() -> None:
    play, prior, known = Play(0.003, 0.004), Spread(0.0, 0.004), Making(0.0015, 0.0)
    worn_key = [-0.008] * 5
    free, snags = (lock_shift(worn_key, known, play, felt, prior) for felt in (Feel.FREE, Feel.SNAGS))
    assert isinstance(free, LockShift)
    assert free.mean < -0.002 < snags.mean


def test_restoring_beats_copying_in_a_true_lock() -> None:
    family, track = harbour_five(), harbour_five().tracks[0]
    steps = track.steps(["3", "5", "2", "4", "1"])
    factory = [track.values[step] for step in steps]
    making = Making(0.0005, 0.0005)
    restored = prospect(family, track, steps, factory, making)
    copied = prospect(family, track, steps, [value - 0.009 for value in factory], making)
    assert restored.chance > 0.99
    assert copied.chance < 0.01
    assert set(copied.feels) == {Feel.SNAGS}


def causes_of(**weights: float) -> list[Cause]:
    return [Cause(name, weight, name) for name, weight in weights.items()]


def test_the_machines_history_tells_seat_from_setting() -> None:
    alike = causes_of(seat=0.45, depth=0.45, none=0.1)
    true = weigh_suspects(alike, -0.004, 0.0005, Spread(0.0, 0.0002), 0.002, [])
    off = weigh_suspects(alike, -0.004, 0.0005, Spread(-0.004, 0.0002), 0.002, [])
    unknown = weigh_suspects(alike, -0.004, 0.0005, None, 0.002, [])
    assert true[0].cause == "seat"
    assert off[0].cause == "depth"
    assert off[0].evidence == ("the machine's keys before were deep too",)
    assert unknown[0].chance == pytest.approx(unknown[1].chance)
    for found in (true, off, unknown):
        assert sum(suspect.chance for suspect in found) == pytest.approx(1)
        assert {"burr", "steep", "crooked"} <= {suspect.cause for suspect in found}


@pytest.mark.parametrize(("clue", "cause"), [("tight", "burr"), ("held", "steep"), ("one-way", "crooked")])
def test_what_depths_cannot_show_the_lock_can(clue: str, cause: str) -> None:
    plain = causes_of(none=0.9, seat=0.05, depth=0.05)
    before = {s.cause: s.chance for s in weigh_suspects(plain, 0.0, 0.0005, None, 0.002, [])}
    after = weigh_suspects(plain, 0.0, 0.0005, None, 0.002, [clue])
    found = {s.cause: s for s in after}
    assert found[cause].chance > 4 * before[cause]
    assert found[cause].evidence
    with pytest.raises(KeyError):
        weigh_suspects(plain, 0.0, 0.0005, None, 0.002, ["hums"])


def test_the_next_check_tells_the_first_two_apart_and_is_the_cheapest() -> None:
    for first, second in combinations(["seat", "depth", "single", "gauge", "burr", "cutter", "crooked", "steep"], 2):
        two = [Suspect(first, 0.5, "", ()), Suspect(second, 0.4, "", ())]
        check = next_check(two)
        if check is not None:
            assert (first in check.shows) != (second in check.shows)
            assert all((first in c.shows) == (second in c.shows) for c in CHECKS[: CHECKS.index(check)])
        else:
            assert {first, second} == {"cutter", "steep"}
    assert next_check([]) is None


def test_copies_of_copies_drift_by_the_machines_own_error() -> None:
    found = copies_of_copies(0.0008, Noise(0.0003, 0.0002), 5, Play(0.003, 0.004))
    assert [each.mean for each in found] == pytest.approx([0.0008 * n for n in range(1, 6)])
    assert [each.sd for each in found] == pytest.approx([0.0002 * n**0.5 for n in range(1, 6)])
    assert all(b.chance < a.chance for a, b in pairwise(found))
    random = np.random.default_rng(3)
    third = 3 * 0.0008 + random.normal(0, 0.0002 * 3**0.5, (20_000, 1)) + random.normal(0, 0.0003 * 3**0.5, (20_000, 5))
    turned = ((third <= 0.003) & (third >= -0.004)).all(axis=1).mean()
    assert found[2].chance == pytest.approx(turned, abs=0.015)  # four sd of 20,000 tries
