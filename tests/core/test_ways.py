"""The ways to a bitting beside calipers: staged cutting, half a lock, several keys, an unknown keyway."""

from __future__ import annotations

from itertools import product

import numpy as np
import pytest

from keycore.documents.family import read_family
from keycore.errors import InputError, NothingAllowed
from keycore.family import Gauge, Track
from keycore.reading.decode import Reading, decode
from keycore.reading.evidence import Flush, Stated, TumblerLooks
from keycore.reading.filling import fill_shallowest, locks_worked
from keycore.reading.influence import influences
from keycore.reading.instruments import measured_by_caliper, measured_from_pins, rounded_by_machine
from keycore.reading.keyway import UnknownKey, rank_families
from keycore.reading.staged import Stage, as_evidence, cut_so_far, next_cut
from keycore.reading.staged import TumblerSeen as Look
from keycore.reading.unknown_family import MeasuredKey, fit_family
from keycore.reading.wear import WearGrade
from keycore.rules import breaks
from specimens import STAGE_DOOR_KEY, harbour_five, shipped, tiny_track

HARBOUR = harbour_five()
TRACK = HARBOUR.tracks[0]
TRUTH = TRACK.steps(["3", "5", "2", "4", "1"])


def each_once(values: list[float]) -> list[list[float]]:
    return [[value] for value in values]


def weigh_stages(track: Track, stages: list[Stage]) -> np.ndarray:
    return decode(Reading(HARBOUR, track, (as_evidence(track, stages),))).marginals


@pytest.mark.parametrize("truth", [TRUTH, (0, 0, 0, 0, 0), (5, 3, 1, 4, 5), (5, 1, 5, 1, 5)])
def test_a_blank_cut_by_stages_reaches_every_bitting_never_back_and_never_too_steep(truth: tuple[int, ...]) -> None:
    """A lock that shows the truth is followed down to it, whatever the order of the cuts."""
    stages: list[Stage] = []
    for _ in range(60):
        advice = next_cut(TRACK, stages, weigh_stages(TRACK, stages))
        if advice.space is None:
            break
        assert advice.step is not None
        now = cut_so_far(5, stages)
        assert advice.step > now[advice.space - 1]
        after = [max(step, 0) for step in (*now[: advice.space - 1], advice.step, *now[advice.space :])]
        assert not breaks(TRACK, HARBOUR.rules, after)
        seen = Look.FLUSH if advice.step == truth[advice.space - 1] else Look.MARKS
        stages.append(Stage(advice.space, advice.step, seen))
    assert advice.why == "done"
    assert cut_so_far(5, stages) == truth


def test_depths_that_other_sources_rule_out_are_leapt_over() -> None:
    chances = np.full((5, 6), 1e-9)
    chances[:, 3] = 1.0
    assert next_cut(TRACK, [], chances) == next_cut(TRACK, [], chances).__class__(1, 3, "down")


def test_a_neighbour_that_sits_flush_stops_a_cut_that_would_be_too_steep() -> None:
    stages = [Stage(space, 0, Look.FLUSH) for space in (1, 3, 4, 5)]
    stages += [Stage(2, step, Look.MARKS) for step in range(5)]
    advice = next_cut(TRACK, stages, np.full((5, 6), 1 / 6))
    assert (advice.why, advice.space, advice.step, advice.beside) == ("steep", 2, None, 1)


def test_a_tumbler_that_still_marks_says_deeper_and_one_unsure_says_nothing() -> None:
    marginals = weigh_stages(TRACK, [Stage(1, 2, Look.MARKS), Stage(2, 1, Look.UNSURE)])
    assert marginals[0, :3].sum() == pytest.approx(0.01, abs=0.002)
    assert marginals[1].max() < 0.25


def test_the_rounds_of_a_set_of_depth_keys_turn_together() -> None:
    rounds = TumblerLooks(tuple(Flush(step, tuple(t == step for t in TRUTH)) for step in range(6)))
    calipers = measured_by_caliper(HARBOUR, TRACK, each_once(STAGE_DOOR_KEY))
    assert decode(Reading(HARBOUR, TRACK, (calipers, rounds))).best == TRUTH
    assert decode(Reading(HARBOUR, TRACK, (calipers, rounds.turned()))).turn_round in (0, 1)


def test_a_machine_that_rounds_a_worn_key_is_read_through_its_wear() -> None:
    """The labels are one deep wherever the wear carried them over the half-way point, and calipers say so."""
    labels = ["3", "6", "3", "4", "1"]
    machine = rounded_by_machine(HARBOUR, TRACK, labels, WearGrade.WELL_WORN)
    calipers = measured_by_caliper(HARBOUR, TRACK, each_once(STAGE_DOOR_KEY), WearGrade.WELL_WORN)
    together = decode(Reading(HARBOUR, TRACK, (machine, calipers)))
    assert together.best == TRUTH
    assert decode(Reading(HARBOUR, TRACK, (machine,))).bittings[0][1] < together.bittings[0][1]


def test_two_keys_of_one_lock_wear_separately_and_agree_on_one_bitting() -> None:
    values = np.array(TRACK.values)[list(TRUTH)]
    worn, copy = (measured_by_caliper(HARBOUR, TRACK, each_once(list(values - w))) for w in (0.0075, 0.001))
    alone = decode(Reading(HARBOUR, TRACK, (worn,)))
    together = decode(Reading(HARBOUR, TRACK, (worn, copy)))
    assert together.best == TRUTH
    assert together.bittings[0][1] > alone.bittings[0][1]
    assert together.offset is not None
    assert together.offset.mean == pytest.approx(-0.0075, abs=0.001)


def test_bottom_pins_give_the_key_that_lifts_them() -> None:
    values = np.array(TRACK.values)[list(TRUTH)]
    pins = measured_from_pins(HARBOUR, TRACK, each_once(list(0.5 - values)), 0.5)
    assert decode(Reading(HARBOUR, TRACK, (pins,))).best == TRUTH


def test_what_a_source_did_is_what_would_be_said_without_it() -> None:
    calipers = measured_by_caliper(HARBOUR, TRACK, each_once(STAGE_DOOR_KEY), WearGrade.NEW)
    stamped = Stated(tuple(frozenset({step}) for step in TRUTH))
    reading = Reading(HARBOUR, TRACK, (calipers, stamped))
    first, second = influences(reading, TRUTH)
    assert first is not None
    assert second is not None
    assert first.without == TRUTH  # stamped wafers alone say the same
    assert second.without == decode(Reading(HARBOUR, TRACK, (calipers,))).best
    assert second.chance_of_best < 0.9
    assert influences(Reading(HARBOUR, TRACK, (calipers,)), TRUTH) == (None,)


def test_cuts_the_lock_does_not_have_are_filled_with_the_least_metal_gone() -> None:
    """Against enumeration: the least sum of steps, the shallower first on a tie."""
    track = read_family(tiny_track(spaces=[0.1, 0.2, 0.3, 0.4], macs=1)).tracks[0]
    for known in ({2: 2}, {1: 0, 4: 2}, {}, {3: 1}):
        fitting = [
            b
            for b in product(range(3), repeat=4)
            if all(b[space - 1] == step for space, step in known.items()) and np.abs(np.diff(b)).max() <= 1
        ]
        assert fill_shallowest(track, known) == min(fitting, key=lambda b: (sum(b), b))
    with pytest.raises(NothingAllowed, match="no bitting with those cuts keeps MACS"):
        fill_shallowest(track, {1: 0, 2: 2})


def test_a_key_works_the_locks_all_of_whose_cuts_are_known() -> None:
    family = read_family({**tiny_track(), "positions": {"door": [2, 3], "ignition": [1, 2, 3]}})
    assert locks_worked(family, "A", [2, 3]) == {"door": True, "ignition": False}


LIBRARY = shipped(blades_only=True)


@pytest.mark.parametrize("family", LIBRARY, ids=lambda family: family.id)
def test_every_family_that_ships_is_known_again_by_its_spaces_and_blade(family: object) -> None:
    """From positions half a caliper's sd out, all moved by 3 thou, in the family's own gauge or the other."""
    own = next(f for f in LIBRARY if f is family)
    assert own.blank is not None
    inch = 1 / 25.4 if own.unit == "mm" else 1.0
    scatter = np.resize([0.002, -0.002, 0.001], len(own.tracks[0].spaces))
    positions = np.array(own.tracks[0].spaces) * inch + 0.003 + scatter
    other = Gauge.TIP if own.gauge == Gauge.SHOULDER else Gauge.SHOULDER
    thickness = None if own.blank.thickness is None else own.blank.thickness * inch
    for at, gauge in ((positions, own.gauge), (own.blank.length * inch - positions, other), (positions, None)):
        ranked = rank_families(UnknownKey(tuple(at), gauge, own.blank.height * inch, thickness), LIBRARY)
        assert ranked[0].family.id == own.id
        assert ranked[0].fits
        assert sum(fit.probability for fit in ranked) == pytest.approx(1)


def test_a_cut_too_shallow_to_see_does_not_hide_the_family() -> None:
    spaces = TRACK.spaces[:2] + TRACK.spaces[3:]
    best = rank_families(UnknownKey(spaces, Gauge.SHOULDER, HARBOUR.blank and HARBOUR.blank.height), LIBRARY)[0]
    assert (best.family.id, best.overlooked) == ("harbour-five", 1)


def test_a_keyway_that_is_in_no_family_is_said_not_to_fit() -> None:
    assert not any(fit.fits for fit in rank_families(UnknownKey((0.11, 0.19, 0.60), Gauge.SHOULDER), LIBRARY))
    with pytest.raises(InputError, match="measure the position of one cut at least"):
        UnknownKey((), Gauge.SHOULDER)


def unknown_keys(seed: int, count: int) -> list[MeasuredKey]:
    """Keys of a family of 0.018 in steps from 0.330, cuts from 0.210 every 0.140, read by caliper."""
    random = np.random.default_rng(seed)
    places = np.arange(6)
    return [
        MeasuredKey(
            tuple(0.210 + 0.140 * places + random.normal(0, 0.002, 6)),
            tuple(0.330 - 0.018 * random.integers(0, 6, 6) + random.normal(0, 0.0014, 6)),
        )
        for _ in range(count)
    ]


def test_a_family_is_fitted_from_its_keys_and_its_intervals_hold() -> None:
    """Over fifty sets of four keys the 95 % intervals hold about as often as they say (seeded)."""
    held = {"pitch": 0, "step": 0, "first": 0}
    for seed in range(50):
        fitted = fit_family(unknown_keys(seed, 4), sd=0.0015)
        assert len(fitted.depths) in (5, 6)  # a depth that no key has cannot be seen
        assert sum(fitted.seen) == 24
        held["pitch"] += fitted.pitch.low <= 0.140 <= fitted.pitch.high
        held["step"] += fitted.step.low <= 0.018 <= fitted.step.high
        held["first"] += fitted.first_cut.low <= 0.210 <= fitted.first_cut.high
    assert all(times >= 44 for times in held.values())


def test_too_little_to_fit_a_family_is_said_and_not_guessed() -> None:
    keys = unknown_keys(1, 2)
    with pytest.raises(InputError, match="measure two keys at least"):
        fit_family(keys[:1], 0.0015)
    alike = [MeasuredKey(key.positions, (0.3,) * 6) for key in keys]
    with pytest.raises(InputError, match="too much alike"):
        fit_family(alike, 0.0015)
    short = [keys[0], MeasuredKey(keys[1].positions[:4], keys[1].values[:4])]
    with pytest.raises(InputError, match=r"keys\[1\]: 6 positions and 6 depths are wanted"):
        fit_family(short, 0.0015)
