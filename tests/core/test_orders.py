"""Orders of trying and half steps: against every order there is on small cases, and counted facts."""

from __future__ import annotations

from itertools import permutations, product
from math import comb

import networkx as nx
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from keycore.codes.half_steps import half_step_value, halve, whole_steps
from keycore.codes.orders import Order, blank_after_blank, likeliest_first, likeliest_within
from keycore.codes.progression import fewest_blanks
from keycore.family import Depth, Play, Track

Steps = tuple[int, ...]
SOME = st.sets(st.tuples(*[st.integers(0, 2)] * 3), min_size=1, max_size=6)
CHANCES = st.lists(st.integers(1, 9), min_size=6, max_size=6)


def table_of(bittings: set[Steps], weights: list[int]) -> tuple[np.ndarray, dict[Steps, float]]:
    ordered = sorted(bittings)
    chances = {steps: weight / sum(weights[: len(ordered)]) for steps, weight in zip(ordered, weights, strict=False)}
    return np.array(ordered, dtype=np.int8), chances


def can_be_cut(order: Order, begun: tuple[Steps, ...] = ()) -> bool:
    """Whether each blank is only ever cut deeper."""
    at = dict(enumerate(begun))
    for each in order.tries:
        if any(now < before for now, before in zip(each.steps, at.get(each.blank, each.steps), strict=True)):
            return False
        at[each.blank] = each.steps
    return True


def begun_by_hand(order: Order, chances: dict[Steps, float], in_hand: int) -> float:
    """New blanks begun until the key turns: for each key that may be the right one, those taken up to its try."""
    total = 0.0
    for right, chance in chances.items():
        taken = set()
        for each in order.tries:
            taken |= {each.blank} if each.blank >= in_hand else set()
            if each.steps == right:
                break
        total += chance * len(taken)
    return total


@settings(max_examples=80)
@given(SOME, CHANCES, st.lists(st.tuples(*[st.integers(0, 2)] * 3), max_size=2))
def test_as_few_new_blanks_as_an_independent_matching_with_blanks_in_hand(
    bittings: set[Steps], weights: list[int], begun: list[Steps]
) -> None:
    candidates, chances = table_of(bittings, weights)
    graph = nx.Graph()
    left = [("begun", place, steps) for place, steps in enumerate(begun)] + [("try", 0, steps) for steps in bittings]
    graph.add_nodes_from(left)
    for node in left:
        for after in bittings:
            if all(a <= b for a, b in zip(node[2], after, strict=True)) and not (node[0] == "try" and node[2] == after):
                graph.add_edge(node, ("after", after))
    matched = nx.bipartite.maximum_matching(graph, top_nodes=left)
    progression = fewest_blanks(candidates, begun)
    assert progression.blanks == len(bittings) - len(matched) // 2
    for order in (blank_after_blank(progression, chances), likeliest_within(progression, chances)):
        assert can_be_cut(order, tuple(begun))
        assert sorted(each.steps for each in order.tries) == sorted(bittings)
        assert order.begun == pytest.approx(begun_by_hand(order, chances, len(begun)))


@settings(max_examples=60)
@given(SOME, CHANCES)
def test_likeliest_within_takes_the_fewest_tries_that_its_chains_allow(
    bittings: set[Steps], weights: list[int]
) -> None:
    candidates, chances = table_of(bittings, weights)
    progression = fewest_blanks(candidates)
    chain_of = {steps: (c, place) for c, chain in enumerate(progression.chains) for place, steps in enumerate(chain)}
    best = min(
        sum(chances[steps] * number for number, steps in enumerate(order, start=1))
        for order in permutations(sorted(bittings))
        if all(
            order.index(a) < order.index(b)
            for a, b in product(bittings, repeat=2)
            if chain_of[a][0] == chain_of[b][0] and chain_of[a][1] < chain_of[b][1]
        )
    )
    assert likeliest_within(progression, chances).expected == pytest.approx(best)
    assert blank_after_blank(progression, chances).expected >= best - 1e-12


@settings(max_examples=60)
@given(SOME, CHANCES)
def test_likeliest_first_takes_the_fewest_blanks_for_its_order(bittings: set[Steps], weights: list[int]) -> None:
    candidates, chances = table_of(bittings, weights)
    order = likeliest_first(candidates, chances)
    tried = [each.steps for each in order.tries]
    assert tried == sorted(tried, key=lambda steps: (-chances[steps], steps))
    assert can_be_cut(order)

    def fewest(place: int, blanks: tuple[Steps, ...]) -> int:
        """Every way to put each key on a blank in hand or on a new one."""
        if place == len(tried):
            return len(blanks)
        key = tried[place]
        onto = [
            fewest(place + 1, (*blanks[:b], key, *blanks[b + 1 :]))
            for b, cut in enumerate(blanks)
            if all(x <= y for x, y in zip(cut, key, strict=True))
        ]
        return min([*onto, fewest(place + 1, (*blanks, key))])

    assert order.blanks == fewest(0, ())


@pytest.mark.parametrize(("spaces", "depths"), [(3, 4), (4, 4), (6, 2), (4, 5)])
def test_without_rules_the_blanks_are_the_middle_layer_of_the_depths(spaces: int, depths: int) -> None:
    """The largest antichain of a product of chains is its middle layer (de Bruijn, Tengbergen and Kruyswijk 1951)."""
    every = np.indices((depths,) * spaces).reshape(spaces, -1).T.astype(np.int8)
    layer = sum(
        (-1) ** k * comb(spaces, k) * comb(spaces + spaces * (depths - 1) // 2 - k * depths - 1, spaces - 1)
        for k in range(spaces + 1)
        if spaces * (depths - 1) // 2 - k * depths >= 0
    )
    assert fewest_blanks(every).blanks == layer == np.bincount(every.sum(axis=1)).max()


def test_one_more_cut_of_a_known_key_takes_one_blank_and_a_cut_fewer_than_there_are_depths() -> None:
    """Blaze, "Rights Amplification in Master-Keyed Mechanical Locks", IEEE Security & Privacy 2003; from memory."""
    known, depths = (2, 1, 4, 0), 6
    for space in range(4):
        others = [(*known[:space], step, *known[space + 1 :]) for step in range(depths) if step != known[space]]
        found = fewest_blanks(np.array(others, dtype=np.int8))
        assert (found.blanks, found.candidates) == (1, depths - 1)


def track_of(depths: int, gap: float) -> Track:
    return Track("A", (0.2, 0.35, 0.5), tuple(Depth(str(k), 0.33 - gap * k) for k in range(depths)))


@settings(max_examples=60)
@given(st.sets(st.tuples(*[st.integers(0, 4)] * 3), min_size=1, max_size=30))
def test_half_steps_stand_for_every_candidate_once_and_never_take_more_tries(bittings: set[Steps]) -> None:
    candidates = np.array(sorted(bittings), dtype=np.int8)
    halving = halve(track_of(5, 0.008), Play(high=0.004, low=0.004), candidates)
    tries = [tuple(row) for row in halving.tries(candidates).tolist()]
    stood = [tuple(row) for places in tries for row in halving.stands_for(candidates, places).tolist()]
    assert sorted(stood) == sorted(bittings)
    assert len(tries) <= len(bittings)
    for places in tries:
        for place, column in zip(places, halving.stands_for(candidates, places).T, strict=True):
            assert set(column.tolist()) <= {place // 2, (place + 1) // 2}


def test_a_half_step_turns_at_both_depths_and_is_refused_where_play_is_too_small() -> None:
    track, play = track_of(3, 0.008), Play(high=0.0045, low=0.004)
    value = half_step_value(track, play, 1)
    assert value is not None
    assert track.values[1] - value <= play.low
    assert value - track.values[2] <= play.high
    assert half_step_value(track, play, 2) is None
    tight = Play(high=0.003, low=0.003)
    every = np.indices((3, 3, 3)).reshape(3, -1).T.astype(np.int8)
    assert half_step_value(track, tight, 0) is None
    assert (halve(track, tight, every).place_of == whole_steps(track).place_of).all()
