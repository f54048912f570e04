"""A cylinder taken apart: sets of depths, and the other key, beside enumeration written another way."""

from __future__ import annotations

from itertools import pairwise, permutations, product

import numpy as np
import pytest
from scipy.stats import norm

from keycore.documents.family import read_family
from keycore.errors import InputError
from keycore.family import Track
from keycore.reading.chambers import Chamber, DepthSet, depths_of, joined, spell

PLUG, SD = 0.5, 0.0015


@pytest.fixture(scope="module")
def track() -> Track:
    return read_family("harbour-five").tracks[0]


def pinned(track: Track, steps: tuple[int, ...], noise: tuple[float, ...] = ()) -> Chamber:
    values = [track.values[step] for step in steps]
    lengths = [PLUG - values[0], *(a - b for a, b in pairwise(values))]
    lengths = [each + off for each, off in zip(lengths, noise or (0.0,) * len(lengths), strict=True)]
    return Chamber(lengths[0], tuple(lengths[1:]))


@pytest.mark.parametrize("wafers", [0, 1, 2])
def test_sets_of_depths_agree_with_every_ordering_tried(track: Track, wafers: int) -> None:
    """Over all ordered choices of depths, kept where they deepen, by the normal density of each length."""
    rng = np.random.default_rng(wafers)
    for _ in range(12):
        steps = tuple(sorted(rng.choice(len(track.depths), 1 + wafers, replace=False).tolist()))
        chamber = pinned(track, steps, tuple(rng.normal(0, 3 * SD, 1 + wafers)))
        weights = {}
        for order in permutations(range(len(track.depths)), 1 + wafers):
            if list(order) == sorted(order):
                stack = np.cumsum([chamber.bottom, *chamber.wafers])
                at = np.array([PLUG - track.values[step] for step in order])
                gaps = np.diff(np.concatenate([[0.0], stack])) - np.diff(np.concatenate([[0.0], at]))
                weights[order] = float(norm.pdf(gaps, 0, SD).prod())
        whole = sum(weights.values())
        found = dict(depths_of(track, chamber, PLUG, SD).sets)
        assert found == pytest.approx({o: w / whole for o, w in weights.items() if w / whole >= 1e-3}, abs=1e-9)


def test_the_other_key_agrees_with_every_lock_and_key_enumerated() -> None:
    sets = DepthSet((((0, 2), 0.6), ((1, 2), 0.3), ((1, 3), 0.1)))
    key = [0.05, 0.75, 0.2, 0.0]
    worlds = {
        (steps, mine, its): chance * key[mine] / len([s for s in steps if s != mine])
        for steps, chance in sets.sets
        for mine, its in product(steps, steps)
        if its != mine
    }
    whole = sum(worlds.values())
    found = joined(sets, key)
    for step in range(4):
        wanted = sum(weight for (_, _, its), weight in worlds.items() if its == step) / whole
        assert found.other.get(step, 0.0) == pytest.approx(wanted)
    assert found.used_chance == pytest.approx(
        sum(w for (_, mine, _), w in worlds.items() if mine == found.used) / whole
    )


def test_one_shear_line_is_both_keys_and_two_wafers_leave_the_other_undecided(track: Track) -> None:
    sure = [1.0 if step == 2 else 0.0 for step in range(len(track.depths))]
    plain = joined(depths_of(track, pinned(track, (2,)), PLUG, SD / 3), sure)
    assert (plain.used, dict(plain.other), plain.is_undecided) == (2, {2: 1.0}, False)
    three = joined(depths_of(track, pinned(track, (0, 2, 4)), PLUG, SD / 3), sure)
    assert (three.used, dict(three.other)) == (2, {0: pytest.approx(0.5), 4: pytest.approx(0.5)})
    assert three.is_undecided
    elsewhere = joined(depths_of(track, pinned(track, (0, 4)), PLUG, SD / 3), sure)
    assert (elsewhere.used, elsewhere.is_undecided) == (None, True)


def test_bottom_pins_spell_neither_key_of_a_mastered_cylinder(track: Track) -> None:
    change, master = (2, 3, 1, 4, 0), (4, 1, 1, 2, 3)
    sets = [
        depths_of(track, pinned(track, tuple(sorted({a, b}))), PLUG, SD / 3)
        for a, b in zip(change, master, strict=True)
    ]
    assert spell(sets) == (2, 1, 1, 2, 0)
    assert spell(sets) not in (change, master)
    assert spell([*sets[:4], None]) is None
    found = [
        joined(each, [1.0 if step == cut else 0.0 for step in range(len(track.depths))])
        for each, cut in zip(sets, change, strict=True)
    ]
    assert [max(each.other, key=lambda step: each.other[step]) for each in found] == list(master)


def test_pins_of_another_table_are_refused(track: Track) -> None:
    with pytest.raises(InputError, match="no set of this table"):
        depths_of(track, Chamber(0.05), PLUG, SD)
    with pytest.raises(InputError, match="more than there are depths"):
        depths_of(track, Chamber(0.2, (0.01,) * 9), PLUG, SD)
