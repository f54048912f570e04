"""The fewest blanks: against the figures of the trade's own small cases, and an independent matching."""

from __future__ import annotations

from itertools import pairwise, product

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.sparse import csr_array
from scipy.sparse.csgraph import maximum_bipartite_matching

from keycore.codes.candidates import candidates_of
from keycore.codes.progression import Progression, fewest_blanks
from keycore.documents import VERBS
from keycore.errors import BeyondReach, InputError
from keycore.family import Depth, Rules, Track
from specimens import tiny_track


def track_of(spaces: int, depths: int, macs: int | None = None) -> Track:
    table = tuple(Depth(str(k), 0.33 - 0.01 * k) for k in range(depths))
    return Track("A", tuple(0.1 * (i + 1) for i in range(spaces)), table, macs=macs)


def everything(track: Track) -> np.ndarray:
    return candidates_of(track, [frozenset()] * len(track.spaces))


def by_matching(candidates: np.ndarray) -> int:
    """All comparable pairs, matched by scipy: the count without any of the covering relation's cleverness."""
    follows = (candidates[:, None, :] <= candidates[None, :, :]).all(axis=2) & ~np.eye(len(candidates), dtype=bool)
    return len(candidates) - int((maximum_bipartite_matching(csr_array(follows), perm_type="column") >= 0).sum())


def check_chains(found: Progression, candidates: np.ndarray) -> None:
    """Every candidate once, each blank only ever deeper."""
    tried = [steps for chain in found.chains for steps in chain]
    assert sorted(tried) == [tuple(row) for row in candidates.tolist()]
    for chain in found.chains:
        for before, after in pairwise(chain):
            assert all(a <= b for a, b in zip(before, after, strict=True))


@pytest.mark.parametrize(
    ("spaces", "depths", "macs", "bittings", "blanks"),
    [(1, 5, None, 5, 1), (2, 4, None, 16, 4), (5, 4, None, 1024, 155), (5, 5, 3, 2309, 255)],
)
def test_known_cases(spaces: int, depths: int, macs: int | None, bittings: int, blanks: int) -> None:
    """The counts of docs/computation.md, which were counted with scipy."""
    candidates = everything(track_of(spaces, depths, macs))
    found = fewest_blanks(candidates)
    assert (found.candidates, found.blanks) == (bittings, blanks)
    check_chains(found, candidates)


@settings(max_examples=60)
@given(st.sets(st.tuples(*[st.integers(0, 3)] * 3), min_size=1, max_size=40))
def test_any_list_takes_as_few_blanks_as_a_matching_on_all_pairs(bittings: set[tuple[int, ...]]) -> None:
    candidates = np.array(sorted(bittings), dtype=np.int8)
    found = fewest_blanks(candidates)
    assert found.blanks == by_matching(candidates)
    check_chains(found, candidates)


def test_what_is_known_macs_rules_and_a_closed_list_leave_what_enumeration_leaves() -> None:
    track = track_of(4, 4, macs=2)
    known = [frozenset({1, 3}), frozenset(), frozenset(), frozenset({0})]
    wanted = [
        b
        for b in product(range(4), repeat=4)
        if b[0] in (1, 3) and b[3] == 0 and np.abs(np.diff(b)).max() <= 2 and len(set(b)) >= 3
    ]
    rules = Rules(fewest_depths=3)
    assert [tuple(row) for row in candidates_of(track, known, rules=rules).tolist()] == wanted
    assert [tuple(row) for row in candidates_of(track, known, rules=rules, among=wanted[::-2]).tolist()] == sorted(
        wanted[::-2]
    )


def test_more_than_can_be_listed_is_refused_with_the_count() -> None:
    with pytest.raises(BeyondReach, match="1,000,000 bittings are still possible, more than 20,000"):
        everything(track_of(6, 10))
    with pytest.raises(InputError, match="known: 2 entries for 3 spaces"):
        candidates_of(track_of(3, 3), [frozenset()] * 2)


def test_the_work_grows_little_faster_than_the_list() -> None:
    """Edges of the covering relation, which the flow runs along, for each bitting: a handful whatever the list."""
    from keycore.codes.progression import _covers

    each = []
    for depths in (4, 5, 6):
        candidates = everything(track_of(5, depths, 3))
        ordered = candidates[np.lexsort((*candidates.T[::-1], candidates.sum(axis=1)))]
        each.append(len(_covers(ordered, np.ones(len(ordered), dtype=bool))[0]) / len(candidates))
    assert max(each) <= 5  # one for each space at most, where neighbours differ by steps


def test_nothing_possible_is_an_answer_and_a_wrong_label_is_named() -> None:
    document = {"format": "wry-falcon.progression/1", "family": tiny_track(macs=0), "known": ["1", "2", None]}
    assert VERBS["progress"](document) == {"candidates": 0, "blanks": 0, "chains": []}
    with pytest.raises(InputError, match=r"known\[1\]: "):
        VERBS["progress"]({**document, "known": ["1", "9", None]})
