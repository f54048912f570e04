"""Keys to try of a lock of several tracks, against every key written out."""

from __future__ import annotations

from dataclasses import replace
from itertools import product

import numpy as np
import pytest

from keycore.codes.trials import MOST_TOGETHER, Sheet, keys_of_all_tracks, keys_to_try
from keycore.documents.family import read_family
from keycore.errors import InputError
from keycore.reading.decode import Reading, chances_among
from keycore.reading.evidence import Stated

LAMPHOUSE = read_family("lamphouse-six")


def part(name: str, labels: str, unknown: set[int]) -> tuple[Reading, Sheet]:
    """A track that is stated but for some cuts, of which every depth is left."""
    track = LAMPHOUSE.track(name)
    steps = [None if n in unknown else track.step(label) for n, label in enumerate(labels, start=1)]
    stated = Stated(tuple(frozenset() if step is None else frozenset({step}) for step in steps))
    every = frozenset(range(len(track.depths)))
    known = tuple(every if step is None else frozenset({step}) for step in steps)
    return Reading(LAMPHOUSE, track, (stated,), frozenset(), 0.005), Sheet(known=known)


PARTS = [part("A", "123212", {1}), part("B", "212321", {1, 6}), part("S", "xyx", set())]
NOTHING = Sheet(known=())


def written_out() -> list[tuple[int, ...]]:
    """Every key as places, track after track: MACS of 2 forbids no step between three depths."""
    found = []
    for a, b, c in product(range(3), repeat=3):
        steps = [a, 1, 2, 1, 0, 1, b, 0, 1, 2, 1, c, 0, 1, 0]
        found.append(tuple(2 * step for step in steps))
    return found


def test_every_key_of_all_tracks_is_listed_and_its_chance_is_the_product() -> None:
    found = keys_of_all_tracks(PARTS, NOTHING)
    assert sorted(found.chances) == sorted(written_out())
    assert sum(found.chances.values()) == pytest.approx(1.0)
    alone = [keys_to_try(reading, own).chances for reading, own in PARTS]
    for key, chance in found.chances.items():
        apart = (key[:6], key[6:12], key[12:])
        assert chance == pytest.approx(np.prod([of[one] for of, one in zip(alone, apart, strict=True)]))
    reading, own = PARTS[1]
    among = tuple(tuple(place // 2 for place in places) for places in alone[1])
    assert own.known[0] == {0, 1, 2}
    assert alone[1] == pytest.approx(
        {tuple(2 * step for step in steps): chance
         for steps, chance in chances_among(replace(reading, among=among)).items()}
    )  # fmt: skip


def test_the_fewest_blanks_are_the_largest_set_no_two_of_which_share_one() -> None:
    """By Dilworth: of three cuts of three depths each 7 keys of one sum, none deeper than another everywhere."""
    found = keys_of_all_tracks(PARTS, NOTHING)
    assert found.within is not None
    assert found.within.blanks == 7


def test_what_was_tried_falls_and_what_turned_is_left_alone() -> None:
    keys = written_out()
    left = keys_of_all_tracks(PARTS, Sheet(known=(), tried=(keys[0], keys[5])))
    assert sorted(left.chances) == sorted(set(keys) - {keys[0], keys[5]})
    assert sum(left.chances.values()) == pytest.approx(1.0)
    assert list(keys_of_all_tracks(PARTS, Sheet(known=(), turned=(keys[7],))).chances) == [keys[7]]
    assert not keys_of_all_tracks(PARTS, Sheet(known=(), tried=tuple(keys))).chances


def test_of_very_many_the_likeliest_are_listed_and_their_share_is_said() -> None:
    """Two tracks of 729 keys each; the six hundred of all 531 441 by sorting every product."""
    loose = [_loosened(part(name, labels, set())) for name, labels in (("A", "123212"), ("B", "212321"))]
    found = keys_of_all_tracks(loose, NOTHING)
    assert found.of_all == 729 * 729
    assert len(found.chances) == MOST_TOGETHER
    alone = [np.array(list(keys_to_try(reading, own).chances.values())) for reading, own in loose]
    every = np.sort(np.outer(*alone), axis=None)[::-1][:MOST_TOGETHER]
    assert found.share == pytest.approx(every.sum())
    assert sorted(found.chances.values(), reverse=True) == pytest.approx(every / every.sum())


def _loosened(one: tuple[Reading, Sheet]) -> tuple[Reading, Sheet]:
    """What a grid says, every depth still possible."""
    reading, own = one
    return reading, Sheet(known=(frozenset(range(3)),) * len(own.known))


def test_more_than_anybody_tries_or_no_depth_at_all_is_said() -> None:
    gantry = read_family("gantry-eight")
    open_one = Reading(gantry, gantry.tracks[0], (), frozenset(), 0.005), Sheet(known=(frozenset(range(4)),) * 8)
    with pytest.raises(InputError, match="still possible, more than"):
        keys_of_all_tracks([open_one], NOTHING)
    reading, own = PARTS[0]
    with pytest.raises(InputError, match="no depth is left"):
        keys_of_all_tracks([(reading, Sheet(known=(frozenset(), *own.known[1:]))), *PARTS[1:]], NOTHING)
