"""After the trial: room left on a cut, a pattern read briefly, limits learned, the corner of a tip; by brute force."""

from __future__ import annotations

from math import acos, degrees

import numpy as np
import pytest
from scipy.stats import linregress

from keycore.documents.family import read_family
from keycore.errors import InputError
from keycore.family import Family, Play
from keycore.kinds.edge.cutting import STEEPEST, tip_may_stand, tumbler_of
from keycore.machines.copies import copies_of_copies
from keycore.machines.trim import Noise
from keycore.proving.brief import (
    BrieflyMeasured,
    LockOfPattern,
    MadeEither,
    Way,
    WearKnown,
    along_of,
    best_look,
    blade_says,
    chances_of,
    reads_right,
    wear_after,
    wear_before,
)
from keycore.proving.limits import FEWEST, learned_limits
from keycore.proving.lock import NEW_LOCK, Feel, LockShift, Making, lock_prior, play_of
from keycore.proving.room import MARK_MISTAKEN, Felt, Room, Stand, room_left
from keycore.reading.evidence import Spread
from keycore.reading.wear import WearGrade
from worn_locks import taken_in_worn_locks

PLAY = Play(high=0.003, low=0.004)
EACH, ALIKE, CALIPER = 0.00024, 0.00031, 0.0004
WORN = Spread(-0.0012, 0.0020)
MADE = MadeEither(Making(0.0004, 0.0006), Making(0.00024, 0.0003))


@pytest.fixture(scope="module")
def harbour() -> Family:
    return read_family("harbour-five")


class TestRoom:
    def by_sampling(self, stands: list[Stand], common_sd: float, lock: Spread, felt: Felt | None) -> list[float]:
        """The same quantile from draws of the model, the mark seen on whichever cut that rubs is highest."""
        rng = np.random.default_rng(20261126)
        draws, cuts = 400_000, len(stands)
        shift = rng.normal(0, common_sd, draws) - rng.normal(lock.mean, lock.sd, draws)
        z = np.array([s.mean for s in stands]) + rng.normal(0, 1, (draws, cuts)) * [s.sd for s in stands]
        z += shift[:, None]
        keep = np.ones(draws, dtype=bool)
        if felt is not None:
            assert felt.at is not None
            rubs = (z.max(axis=1) > PLAY.high) & (z.min(axis=1) >= -PLAY.low) & (z.argmax(axis=1) == felt.at)
            mistaken = rng.random(draws) < MARK_MISTAKEN
            named = (rng.integers(0, 4, draws) == 0) & (rng.integers(0, cuts, draws) == felt.at)
            keep = np.where(mistaken, named, rubs)
        return [max(0.0, float(np.quantile(z[keep, cut], 0.03)) + PLAY.low) for cut in range(cuts)]

    @pytest.mark.parametrize("felt", [None, Felt(Feel.RUBS, 2)])
    @pytest.mark.parametrize(("sd", "common"), [(EACH, ALIKE), (CALIPER, 0.0)])
    def test_agrees_with_draws_of_the_model(self, felt: Felt | None, sd: float, common: float) -> None:
        stands = [Stand(mean, sd) for mean in (0.0, -0.0006, 0.0009, 0.0002)]
        found = room_left(stands, common, PLAY, lock_prior(WORN), felt)
        wanted = self.by_sampling(stands, common, WORN, felt)
        assert [room.safe for room in found] == pytest.approx(wanted, abs=0.00012)

    def test_in_worn_locks_five_in_a_hundred_snag_and_half_the_room_is_allowed(self, harbour: Family) -> None:
        taken = taken_in_worn_locks(harbour, 160, seed=14)  # some of the thousand that the bench runs
        assert np.mean([one.snags for one in taken]) <= 0.05 + 2 * (0.05 * 0.95 / 160) ** 0.5
        assert np.mean([one.is_half for one in taken]) >= 0.5

    def test_a_key_that_turns_freely_has_less_room_than_one_that_rubs_and_one_that_snags_has_least(self) -> None:
        stands, lock = [Stand(0.0, EACH)] * 4, lock_prior(WORN)
        rubs, free, snags = (
            room_left(stands, ALIKE, PLAY, lock, Felt(feel, 1))[1].middle for feel in (Feel.RUBS, Feel.FREE, Feel.SNAGS)
        )
        assert rubs > free > snags

    @pytest.mark.parametrize("feel", list(Feel))
    @pytest.mark.parametrize("at", [None, 0, 3])
    def test_it_is_a_number_whatever_was_felt(self, feel: Feel, at: int | None) -> None:
        for room in room_left([Stand(0.0, EACH)] * 4, ALIKE, PLAY, lock_prior(WORN), Felt(feel, at)):
            assert 0 <= room.safe <= room.middle < 0.02

    def test_in_a_lock_that_is_known_it_is_the_plays_low_side(self) -> None:
        sure = room_left([Stand(0.001, 1e-7), Stand(-0.005, 1e-7)], 0.0, PLAY, NEW_LOCK)
        assert sure[0] == Room(pytest.approx(0.005, abs=1e-5), pytest.approx(0.005, abs=1e-5))
        assert sure[1] == Room(0.0, 0.0)

    def test_a_lock_is_given_as_nodes_of_its_prior(self) -> None:
        lock = lock_prior(WORN)
        var = float((lock.nodes - lock.mean) ** 2 @ lock.weights)
        assert (lock.mean, var**0.5) == pytest.approx((WORN.mean, WORN.sd), rel=1e-6)
        assert isinstance(lock, LockShift)


class TestABriefLook:
    def test_wear_is_a_regression_where_nothing_was_thought_before(self) -> None:
        vague = WearKnown(0.0, 0.0, ((1.0, 0.0), (0.0, 1.0)), 0.0)
        along, gone = [0.0, 0.25, 0.5, 1.0], [0.0031, 0.0042, 0.0040, 0.0058]
        line = linregress(along, gone)
        found = wear_after(vague, along, gone, 0.0005, None)
        assert (found.everywhere, found.at_tip) == pytest.approx((line.intercept, line.slope), rel=1e-5)
        design = np.array([[1.0, x] for x in along])
        assert np.array(found.cov) == pytest.approx(np.linalg.inv(design.T @ design) * 0.0005**2, rel=1e-5)

    @pytest.mark.parametrize("generation", [0, 1, 4])
    def test_the_chance_of_a_copy_agrees_with_draws_of_the_model(self, harbour: Family, generation: int) -> None:
        """Each copy before the pattern is drawn by itself: what one duplicator adds, then what the next adds."""
        track, play, rng = harbour.tracks[0], play_of(harbour), np.random.default_rng(3)
        wear, draws = wear_before(harbour, WearGrade.SOME), 200_000
        lock = LockOfPattern(WORN, Feel.FREE)
        along = np.array(along_of(track))
        smooth = rng.normal(wear.everywhere, wear.cov[0][0] ** 0.5, (draws, 1))
        smooth = smooth + rng.normal(wear.at_tip, wear.cov[1][1] ** 0.5, (draws, 1)) * along
        pattern = -(smooth + rng.normal(0, wear.uneven, (draws, 5))) - rng.normal(WORN.mean, WORN.sd, (draws, 1))
        for _ in range(generation):
            pattern = pattern + rng.normal(0, 0.0006, (draws, 1)) + rng.normal(0, 0.0004, (draws, 5))
        wear = wear_before(harbour, WearGrade.SOME, MADE.traced, generation)
        inside = lambda z: ((z <= play.high) & (z >= -play.low)).all(axis=1)  # noqa: E731
        weights = 0.7 * inside(pattern) + 0.3 / 4
        made = pattern + rng.normal(0, 0.0006, (draws, 1)) + rng.normal(0, 0.0004, (draws, 5))
        wanted = float(inside(made) @ weights / weights.sum())
        found = chances_of(harbour, harbour.tracks, wear, MADE, lock, CALIPER).chances[Way.COPY]
        assert found == pytest.approx(wanted, abs=0.03)

    def test_a_key_of_two_tracks_must_turn_by_both_of_them(self) -> None:
        """Drawn by brute force: every cut of both within the play."""
        office, rng, draws = read_family("harbour-office-six"), np.random.default_rng(5), 200_000
        wear, lock, play = wear_before(office, WearGrade.SOME), LockOfPattern(WORN), play_of(office)
        along = np.array([*along_of(office.tracks[0]), *along_of(office.tracks[1])])
        smooth = rng.normal(wear.everywhere, wear.cov[0][0] ** 0.5, (draws, 1))
        smooth = smooth + rng.normal(wear.at_tip, wear.cov[1][1] ** 0.5, (draws, 1)) * along
        made = -(smooth + rng.normal(0, wear.uneven, (draws, 12))) - rng.normal(WORN.mean, WORN.sd, (draws, 1))
        made = made + rng.normal(0, 0.0006, (draws, 1)) + rng.normal(0, 0.0004, (draws, 12))
        wanted = ((made <= play.high) & (made >= -play.low)).all(axis=1).mean()
        both = chances_of(office, office.tracks, wear, MADE, lock, CALIPER).chances[Way.COPY]
        one = chances_of(office, office.tracks[:1], wear, MADE, lock, CALIPER).chances[Way.COPY]
        assert both == pytest.approx(float(wanted), abs=0.02)
        assert both < one

    def test_a_copy_of_a_new_key_in_a_new_lock_agrees_with_the_first_generation(self, harbour: Family) -> None:
        """The sum for copies of copies, written for another purpose, by integration."""
        none = WearKnown(0.0, 0.0, ((0.0, 0.0), (0.0, 0.0)), 0.0)
        lock = LockOfPattern(Spread(0.0, 0.0))
        found = chances_of(harbour, harbour.tracks, none, MADE, lock, CALIPER).chances[Way.COPY]
        first = copies_of_copies(0.0, Noise(0.0004, 0.0006), 5, play_of(harbour), 1)[0]
        assert found == pytest.approx(first.chance, abs=0.01)

    def test_what_is_measured_decides(self, harbour: Family) -> None:
        lock = LockOfPattern(WORN, Feel.FREE)
        before = wear_before(harbour, WearGrade.SOME)
        places = (0.0, 0.5, 1.0)
        said = {}
        for name, gone in {"as its lock": (0.003, 0.003, 0.0035), "much": (0.0095, 0.01, 0.011)}.items():
            wear = wear_after(before, places, gone, CALIPER, None)
            seen = BrieflyMeasured((0, 2, 4), gone, CALIPER)
            said[name] = chances_of(harbour, harbour.tracks, wear, MADE, lock, CALIPER, seen=seen)
        assert said["as its lock"].best == Way.COPY  # it turns freely: its lock wore with it
        assert said["as its lock"].chances[Way.RESTORE] < said["as its lock"].chance
        assert said["much"].best == Way.RESTORE  # no lock wears so far
        assert said["much"].chances[Way.COPY] < 0.05

    @pytest.mark.parametrize("grade", list(WearGrade))
    def test_the_look_asks_for_three_cuts_and_never_promises_less_than_not_looking(
        self, harbour: Family, grade: WearGrade
    ) -> None:
        before, lock = wear_before(harbour, grade), LockOfPattern(WORN, Feel.FREE)
        look = best_look(harbour, harbour.tracks, before, MADE, CALIPER, lock)
        assert len(set(look.cuts)) == 3
        assert set(look.cuts) <= {1, 2, 3, 4, 5}
        assert look.gain >= 0

    def test_measuring_in_earnest_gains_what_was_promised(self, harbour: Family) -> None:
        """Made-up patterns, measured at the cuts that were asked for: the way chosen then against the way without."""
        track, lock, rng = harbour.tracks[0], LockOfPattern(Spread(0.0, 0.0)), np.random.default_rng(8)
        before, along = wear_before(harbour, WearGrade.SOME), np.array(along_of(track))
        look = best_look(harbour, harbour.tracks, before, MADE, CALIPER, lock)
        at = [cut - 1 for cut in look.cuts]
        won = []
        for _ in range(120):
            smooth = rng.normal(before.everywhere, before.cov[0][0] ** 0.5)
            smooth = smooth + rng.normal(before.at_tip, before.cov[1][1] ** 0.5) * along
            gone = (smooth + rng.normal(0, before.uneven, 5))[at] + rng.normal(0, CALIPER, 3)
            places = tuple(along[at])
            says, sd = blade_says(harbour, 0.5 * float(smooth[0]) + rng.normal(0, 0.002), CALIPER)
            wear = wear_after(before, places, gone, CALIPER, (look.blade_at, says, sd))
            seen = BrieflyMeasured(tuple(at), tuple(gone), CALIPER)
            won.append(chances_of(harbour, harbour.tracks, wear, MADE, lock, CALIPER, seen=seen).chance)
        assert np.mean(won) == pytest.approx(look.expected, abs=0.06)
        assert np.mean(won) >= look.without - 0.02

    def test_reading_every_cut_is_surer_the_better_the_caliper(self, harbour: Family) -> None:
        wear = wear_before(harbour, WearGrade.WELL_WORN)
        fine, coarse = (reads_right(harbour.tracks, wear, sd) for sd in (0.0004, 0.004))
        assert 1 >= fine > coarse > 0

    def test_a_track_of_two_spaces_is_read_whole_instead(self, harbour: Family) -> None:
        from dataclasses import replace

        short = replace(harbour.tracks[0], spaces=harbour.tracks[0].spaces[:2])
        with pytest.raises(InputError, match="fewer than 3 spaces"):
            best_look(harbour, [short], wear_before(harbour, WearGrade.NEW), MADE, CALIPER, LockOfPattern(WORN))


def test_limits_learned_hold_for_the_next_key_as_often_as_they_say() -> None:
    rng = np.random.default_rng(1)
    assert learned_limits([0.0] * (FEWEST - 1)) is None
    for draw in (rng.normal, rng.standard_cauchy):  # no shape is assumed
        beyond = []
        for _ in range(4000):
            *known, one_more = draw(size=13)
            found = learned_limits(known)
            assert found is not None
            beyond.append(not found.holds(one_more))
        assert np.mean(beyond) == pytest.approx(found.beyond, abs=0.015)
        assert found.beyond == pytest.approx(2 / 13)


class TestTheTip:
    def test_a_corner_at_that_height_meets_the_round_end_just_below_the_steepest_slope(self, harbour: Family) -> None:
        """By pushing the corner into a circle step by step, and reading the slope off two points of it."""
        values = {"A": [0.25, 0.25, 0.25, 0.25, 0.3]}
        may = tip_may_stand(harbour, values)
        assert may is not None
        radius = tumbler_of(harbour, harbour.tracks[0]).size
        above = may[0] - min(harbour.tracks[0].values)
        x = np.linspace(0, radius * (1 - 1e-9), 200_001)
        height = radius - np.sqrt(radius**2 - x**2)
        at = int(np.searchsorted(height, above))
        slope = (height[at + 1] - height[at]) / (x[at + 1] - x[at])
        assert degrees(np.arctan(slope)) == pytest.approx(degrees(STEEPEST), abs=0.2)
        assert acos(1 - above / radius) == pytest.approx(STEEPEST)

    def test_a_key_whose_own_last_cut_reaches_the_tip_clears_as_it_is(self, harbour: Family) -> None:
        from dataclasses import replace

        assert harbour.blank is not None
        cropped = replace(harbour, blank=replace(harbour.blank, length=max(harbour.tracks[0].spaces) + 0.001))
        deepest = min(harbour.tracks[0].values)
        assert tip_may_stand(cropped, {"A": [deepest] * 5}) is None
