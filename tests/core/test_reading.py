"""The exact reading against enumeration written independently, and what it says beyond the chances."""

from __future__ import annotations

from itertools import product
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.stats import norm

from keycore.documents import VERBS
from keycore.documents.family import read_family
from keycore.documents.reading import read_reading
from keycore.family import Track
from keycore.reading.decode import decode
from keycore.reading.instruments import measured_by_caliper
from keycore.reading.wear import WearGrade
from specimens import STAGE_DOOR_KEY, harbour_five, stage_door_reading, tiny_track

STRAY = 0.01
SHIFTS, TILTS = np.linspace(-10, 10, 601), np.linspace(-8, 8, 97)  # far values reach far into the prior


def by_enumeration(track: Track, document: dict[str, Any], u: np.ndarray) -> dict[tuple[int, ...], float]:
    """Every bitting, every offset on a fine grid: the model as it is written, without any recursion."""
    values = np.array(track.values)
    span = values.max() - values.min() + 2 * np.abs(np.diff(values)).max()
    bittings = [
        b
        for b in product(range(len(values)), repeat=len(track.spaces))
        if track.macs is None or np.abs(np.diff(b)).max() <= track.macs
    ]
    weights = np.ones(len(bittings))
    for source in document["evidence"]:
        weights *= [_weight(source, values[list(b)], values, span, u) for b in bittings]
    return dict(zip(bittings, weights / weights.sum(), strict=True))


def _weight(source: dict[str, Any], cut: np.ndarray, values: np.ndarray, span: float, u: np.ndarray) -> float:
    offset = source["offset"]
    d = offset["mean"] + SHIFTS * offset["sd"]
    tip = offset.get("tip", {"mean": 0.0, "sd": 0.0})
    t = tip["mean"] + TILTS * tip["sd"] if tip["sd"] else np.array([tip["mean"]])
    prior = np.exp(-0.5 * SHIFTS**2)[:, None] * (np.exp(-0.5 * TILTS**2) if tip["sd"] else np.ones(1))
    seen = np.ones_like(prior)
    for place, depth in enumerate(cut):
        centre = depth + d[:, None] + t[None, :] * u[place]
        if source["kind"] == "measured" and source["values"][place] is not None:
            density = norm.pdf(source["values"][place], centre, source["sd"])
            seen *= (1 - STRAY) * density + STRAY / span
        if source["kind"] == "rounded":
            seen *= (1 - STRAY) * _mass(source, place, values, centre) + STRAY / len(values)
    return float((prior / prior.sum() * seen).sum())


def _mass(source: dict[str, Any], place: int, values: np.ndarray, centre: np.ndarray) -> np.ndarray:
    step = int(source["labels"][place]) - 1  # labels of the tiny family are 1, 2, 3
    low = -np.inf if step == len(values) - 1 else (values[step] + values[step + 1]) / 2
    high = np.inf if step == 0 else (values[step] + values[step - 1]) / 2
    return np.asarray(norm.cdf(high, centre, source["sd"]) - norm.cdf(low, centre, source["sd"]))


readings = st.fixed_dictionaries(
    {
        "values": st.lists(st.one_of(st.none(), st.floats(0.27, 0.33)), min_size=3, max_size=3),
        "sd": st.floats(0.0012, 0.004),
        "offset": st.fixed_dictionaries(
            {
                "mean": st.floats(-0.008, 0.002),
                "sd": st.floats(0.001, 0.006),
                "tip": st.fixed_dictionaries({"mean": st.floats(-0.003, 0.001), "sd": st.floats(0.001, 0.003)}),
            }
        ),
    }
)


@settings(max_examples=30)
@given(st.lists(readings, min_size=1, max_size=3), st.sampled_from([None, 1, 2]), st.booleans())
def test_the_posterior_equals_enumeration(keys: list[dict[str, Any]], macs: int | None, rounded_too: bool) -> None:
    """One key alone, or several with wear of their own, or a machine's decode beside them."""
    evidence = [{"kind": "measured", **reading} for reading in keys]
    if rounded_too:
        offset = {"mean": -0.002, "sd": 0.003}
        evidence.append({"kind": "rounded", "labels": ["2", "1", "2"], "sd": 0.002, "offset": offset})
    document = {"format": "wry-falcon.reading/1", "family": tiny_track(macs=macs), "evidence": evidence}
    track = read_family(document["family"]).tracks[0]
    wanted = by_enumeration(track, document, np.array([-0.5, 0.0, 0.5]))
    found = decode(read_reading(document))
    for bitting, chance in found.bittings:
        assert chance == pytest.approx(wanted[bitting], abs=1e-5)
    assert found.bittings[0][1] == pytest.approx(max(wanted.values()), abs=1e-5)
    for place, row in enumerate(found.marginals):
        for step, chance in enumerate(row):
            assert chance == pytest.approx(sum(p for b, p in wanted.items() if b[place] == step), abs=1e-5)


def test_wear_turns_a_wrong_plain_reading_into_the_right_bitting() -> None:
    answer = VERBS["decode"](stage_door_reading())
    assert answer["nearest"] == ["3", "6", "3", "4", "1"]
    assert answer["bittings"][0]["labels"] == ["3", "5", "2", "4", "1"]
    assert answer["bittings"][0]["probability"] > 0.95
    assert answer["offset"]["mean"] == pytest.approx(-0.009, abs=0.001)


def test_counting_from_the_other_end_turns_the_values_and_nothing_else() -> None:
    straight = VERBS["decode"](stage_door_reading())
    turned = stage_door_reading()
    turned["evidence"][0] |= {"values": STAGE_DOOR_KEY[::-1], "from": "tip"}
    assert VERBS["decode"](turned) == straight


def test_an_impossible_truth_is_not_hidden_by_a_confident_wrong_answer() -> None:
    """A key made on site may break the family's rules; MACS is 4 and this one jumps by 5."""
    reading = stage_door_reading()
    reading["evidence"][0] |= {"values": [0.326, 0.226, 0.306, 0.266, 0.326], "offset": {"mean": 0.0, "sd": 0.0005}}
    beyond = VERBS["decode"](reading)["beyond_rules"]
    assert beyond["labels"] == ["1", "6", "2", "4", "1"]
    assert {"rule": "macs", "spaces": [1, 2]} in beyond["breaks"]
    assert beyond["times"] > 100


def test_repeats_help_only_until_the_cuts_own_unevenness_is_left() -> None:
    track = harbour_five().tracks[0]
    once, often = (
        measured_by_caliper(harbour_five(), track, [[0.3] * n] * 5, WearGrade.SOME).sd[0] for n in (1, 10_000)
    )
    assert once == pytest.approx(0.00206, abs=1e-5)
    assert often == pytest.approx(0.0018, abs=1e-5)


def test_wear_counts_on_both_edges_where_a_table_measures_across() -> None:
    across = read_family("lighthouse-eight")
    worn = measured_by_caliper(across, across.tracks[0], [[7.0]] * 8, WearGrade.SOME)
    assert worn.offset.mean == pytest.approx(-2 * 0.003 * 25.4)
    assert worn.tip is not None
    assert worn.tip.mean < 0


def test_ten_spaces_of_ten_depths_are_decoded() -> None:
    depths = [{"label": str(k), "value": 0.33 - 0.014 * k} for k in range(10)]
    family = tiny_track(spaces=[0.1 + 0.05 * i for i in range(10)], depths=depths, macs=None)
    truth = [3, 1, 4, 1, 5, 9, 2, 6, 5, 3]
    values = [0.33 - 0.014 * k - 0.005 for k in truth]
    offset = {"mean": -0.004, "sd": 0.004}
    document = {
        "format": "wry-falcon.reading/1",
        "family": family,
        "evidence": [{"kind": "measured", "values": values, "sd": 0.0016, "offset": offset}],
    }
    best = VERBS["decode"](document)["bittings"][0]
    assert best["labels"] == [str(k) for k in truth]
    assert best["probability"] > 0.9
