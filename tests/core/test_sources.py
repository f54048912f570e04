"""Every kind of evidence and every kind of rule, against probabilities multiplied out by hand."""

from __future__ import annotations

from itertools import product
from typing import Any

import numpy as np
import pytest
from scipy.stats import norm

from keycore.documents import VERBS
from keycore.documents.family import read_family
from keycore.documents.reading import read_reading
from keycore.family import Track
from keycore.reading.decode import decode
from keycore.rules import breaks
from specimens import stage_door_reading, tiny_track

FLAT = {"mean": 0.0, "sd": 0.0}


def reading(*evidence: dict[str, Any], **changes: Any) -> dict[str, Any]:
    return {"format": "wry-falcon.reading/1", "family": tiny_track(macs=None), "evidence": list(evidence), **changes}


def chances(document: dict[str, Any], space: int) -> list[float]:
    depths = VERBS["decode"](document)["spaces"][space - 1]["depths"]
    return [depths[label] for label in ("1", "2", "3")]


def normalised(weights: list[float]) -> list[float]:
    return [weight / sum(weights) for weight in weights]


def test_a_flush_round_counts_what_sat_flush_and_what_did_not() -> None:
    """0.97 for the depth itself, 0.04 one step away, 0.003 further; complements where it was not flush."""
    document = reading({"kind": "flush", "depth": "1", "at": [1], "unsure": [3]})
    assert chances(document, 1) == pytest.approx(normalised([0.97, 0.04, 0.003]))
    assert chances(document, 2) == pytest.approx(normalised([0.03, 0.96, 0.997]))
    assert chances(document, 3) == pytest.approx([1 / 3] * 3)


def test_rounds_multiply_and_turn_with_the_end_they_were_counted_from() -> None:
    first = {"kind": "flush", "depth": "1", "at": [1]}
    turned = {"kind": "flush", "depth": "2", "at": [3], "from": "tip"}
    document = reading(first, turned)
    assert chances(document, 1) == pytest.approx(normalised([0.97 * 0.04, 0.04 * 0.97, 0.003 * 0.04]))


def test_a_stated_set_shares_its_trust_and_misreadings_fall_off_by_four_a_step() -> None:
    document = reading({"kind": "label", "labels": ["1", ["1", "2"], ["1", "2", "3"]], "trust": 0.9})
    assert chances(document, 1) == pytest.approx([0.9, 0.1 * 4 / 5, 0.1 * 1 / 5])
    assert chances(document, 2) == pytest.approx([0.45, 0.45, 0.1])
    assert chances(document, 3) == pytest.approx([1 / 3] * 3)  # a set that holds every depth says nothing


def test_rounded_labels_are_the_mass_that_rounds_to_them() -> None:
    document = reading({"kind": "rounded", "labels": ["2", None, None], "sd": 0.008, "offset": FLAT})
    values = np.array([0.32, 0.30, 0.28])
    mass = norm.cdf((0.31 - values) / 0.008) - norm.cdf((0.29 - values) / 0.008)
    assert chances(document, 1) == pytest.approx(normalised(list(0.99 * mass + 0.01 / 3)))


def test_a_closed_list_leaves_only_its_own_and_is_still_held_to_the_rules() -> None:
    measured = {"kind": "measured", "values": [0.32, 0.30, 0.28], "sd": 0.004, "offset": FLAT}
    document = reading(measured, among=[["1", "2", "3"], ["2", "2", "2"], ["1", "3", "1"]], family=tiny_track(macs=1))
    answer = VERBS["decode"](document)
    assert [bitting["labels"] for bitting in answer["bittings"]] == [["1", "2", "3"], ["2", "2", "2"]]
    assert sum(bitting["probability"] for bitting in answer["bittings"]) == pytest.approx(1)


def test_a_source_read_from_the_wrong_end_is_named() -> None:
    stated = {"kind": "label", "labels": ["1", "4", "2", "5", "3"]}
    document = stage_door_reading()
    document["evidence"] += [stated, {"kind": "flush", "depth": "3", "at": [1]}]
    assert VERBS["decode"](document)["reversed"] == 1
    document["evidence"][1] |= {"from": "tip"}
    assert VERBS["decode"](document)["reversed"] is None


def test_sources_that_cannot_both_be_right_are_named_with_the_space_where_they_part() -> None:
    document = reading(
        {"kind": "label", "labels": ["1", "2", "3"], "trust": 0.999},
        {"kind": "label", "labels": ["1", "2", "1"], "trust": 0.999},
    )
    answer = VERBS["decode"](document)
    assert answer["conflict"] == [{"sources": [0, 1], "space": 3}]


def test_ties_go_to_the_shallower_at_the_first_space_where_they_differ() -> None:
    answer = VERBS["decode"](reading(family=tiny_track(macs=0)))
    assert [bitting["labels"] for bitting in answer["bittings"]] == [["1"] * 3, ["2"] * 3, ["3"] * 3]
    assert answer["measure_again"] == 1
    assert (answer["offset"], answer["nearest"]) == (None, None)


def by_hand(track: Track, document: dict[str, Any], rules: Any) -> dict[tuple[int, ...], float]:
    """Every allowed bitting of a track by one measured source, one offset after another."""
    source, values = document["evidence"][0], np.array(track.values)
    span = values.max() - values.min() + 2 * np.abs(np.diff(values)).max()
    shifts = np.linspace(-7, 7, 401)
    offsets = source["offset"]["mean"] + shifts * source["offset"]["sd"]
    seen = [
        0.99 * norm.pdf(m, values[:, None] + offsets[None, :], source["sd"]) + 0.01 / span for m in source["values"]
    ]
    allowed = [b for b in product(range(len(values)), repeat=len(track.spaces)) if not breaks(track, rules, b)]
    each = np.ones((len(allowed), len(offsets)))
    for place in range(len(track.spaces)):
        each *= seen[place][[b[place] for b in allowed]]
    weights = each @ np.exp(-0.5 * shifts**2)
    return dict(zip(allowed, weights / weights.sum(), strict=True))


@pytest.mark.parametrize("off", [0.0, -0.010])
def test_rules_that_are_no_chain_equal_enumeration_however_much_is_left_out(off: float) -> None:
    """More bittings than are all weighed, once plainly and once where the whole key may be a step off."""
    depths = [{"label": str(k), "value": 0.33 - 0.02 * k} for k in range(6)]
    family = {
        **tiny_track(spaces=[0.1, 0.2, 0.3, 0.4, 0.5, 0.6], depths=depths, macs=4),
        "rules": {"most_alike": 3, "fewest_depths": 4},
    }
    values = [0.31 + off, 0.271 + off, 0.309 + off, 0.25 + off, 0.292 + off, 0.33 + off]
    source = {"kind": "measured", "values": values, "sd": 0.003, "offset": {"mean": -0.004, "sd": 0.006}}
    document = reading(source, family=family, obey=["macs", "rules"])
    read = read_family(family)
    wanted = by_hand(read.tracks[0], document, read.rules)
    assert len(wanted) > 4_000
    found = decode(read_reading(document))
    for bitting, chance in found.bittings:
        assert chance == pytest.approx(wanted[bitting], abs=1e-5)
    assert [chance for _, chance in found.bittings] == pytest.approx(sorted(wanted.values())[:-6:-1], abs=1e-5)
    for place, row in enumerate(found.marginals):
        for step, chance in enumerate(row):
            assert chance == pytest.approx(sum(p for b, p in wanted.items() if b[place] == step), abs=1e-5)
