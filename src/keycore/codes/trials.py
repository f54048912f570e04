"""What is still to be tried in a lock where some cuts are not known: the keys, their chances and the orders of trying.

The sums are those of ``candidates``, ``half_steps``, ``progression`` and ``orders``; here they are put together.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from keycore.codes.candidates import candidates_of
from keycore.codes.half_steps import Halving, halve, whole_steps, whole_steps_of
from keycore.codes.orders import Order, blank_after_blank, likeliest_first, likeliest_within
from keycore.codes.progression import blanks_for
from keycore.errors import InputError
from keycore.proving.lock import play_of
from keycore.reading.decode import Reading, chances_among

Places = tuple[int, ...]
"""What a key is cut to: 2k for depth k, 2k + 1 for the half step beyond it."""
MOST_TRIED = 4000
"""A sheet of more keys than these is worked through by nobody, and took seconds to put in three orders."""
MOST_TOGETHER = 600
"""Of all tracks together no more are listed: each track may well leave hundreds by itself."""


@dataclass(frozen=True)
class Sheet:
    """What a trial sheet knows beside the reading itself.

    ``known`` (n,) the steps that each space may still have, ``among`` the only bittings there are, None for every one
    that the rules allow; keys that did not turn, keys that did, and what the blanks in hand are cut to.
    """

    known: tuple[frozenset[int], ...]
    among: tuple[tuple[int, ...], ...] | None = None
    tried: tuple[Places, ...] = ()
    turned: tuple[Places, ...] = ()
    begun: tuple[Places, ...] = ()
    half_steps: bool = False


@dataclass(frozen=True)
class ToTry:
    """What is left: ``candidates`` (m, n) steps, the keys that are tried for them, by chance, and three orders."""

    candidates: NDArray[np.int8]
    halving: Halving
    chances: Mapping[Places, float]
    within: Order | None = None  # likeliest first, as few blanks as can be
    by_blank: Order | None = None  # one blank after another
    likeliest: Order | None = None  # likeliest first, whatever it takes
    of_all: int | None = None  # how many keys there are, where only the likeliest are listed
    share: float = 1.0  # what chance those listed have together


def keys_to_try(reading: Reading, sheet: Sheet) -> ToTry:
    """List the keys that may still be right, with their chances, in three orders of trying.

    Arguments: the ``reading`` of the track; what the ``sheet`` knows beside it. Returns a ToTry, without orders where
    no key is left. Raises InputError where a cut has no depth left, or more keys are possible than anybody tries.
    """
    family, track, recut = reading.family, reading.track, reading.family.can_be_recut
    if not all(sheet.known):
        raise InputError("known", "no depth is left for one of the cuts")
    candidates = candidates_of(track, sheet.known, rules=family.rules, among=sheet.among)
    for places in sheet.tried:
        candidates = candidates[~stood_for(places, candidates)]
    for places in sheet.turned:
        candidates = candidates[stood_for(places, candidates)]
    if len(candidates) > MOST_TRIED:
        raise InputError("known", f"{len(candidates):,} keys are still possible, more than anybody tries")
    halving = (
        halve(track, play_of(family), candidates)
        if sheet.half_steps and recut and len(candidates)
        else whole_steps(track)
    )
    if not len(candidates):
        return ToTry(candidates, halving, {})
    return _in_orders(ToTry(candidates, halving, _chances(reading, candidates, halving)), sheet, recut)


def keys_of_all_tracks(parts: Sequence[tuple[Reading, Sheet]], sheet: Sheet) -> ToTry:
    """List the likeliest keys of a lock of several tracks: each is one only once all of its tracks are cut.

    Tracks are read apart from each other, so that a key's chance is the product of its tracks'. No more are listed
    than are tried by anybody; how many there are and what chance the listed ones have together is said. Arguments:
    ``parts`` the reading of each track and what its own sheet knows beside it; the ``sheet`` of all tracks: keys tried,
    turned and begun, their places one track after another; its own ``known`` and ``among`` say nothing. Returns a ToTry
    of keys so written, whole depths only. Raises InputError as ``keys_to_try`` does.
    """
    family, halving = parts[0][0].family, whole_steps_of([reading.track for reading, _ in parts])
    keys, chances, many = _likeliest_together(parts, MOST_TOGETHER + len(sheet.tried))
    keep = np.ones(len(keys), dtype=bool)
    for places in sheet.tried:
        keep &= ~stood_for(places, keys)
    for places in sheet.turned:
        keep &= stood_for(places, keys)
    keys, chances = keys[keep][:MOST_TOGETHER], chances[keep][:MOST_TOGETHER]
    if not len(keys):
        return ToTry(keys, halving, {}, of_all=0)
    share, whole = float(chances.sum()), float(chances.sum()) or 1.0
    left = {key: float(chance) / whole for key, chance in zip(map(tuple, (2 * keys).tolist()), chances, strict=True)}
    many = len(keys) if sheet.turned else many - _tried_among(parts, sheet)
    return _in_orders(ToTry(keys, halving, left, of_all=many, share=min(1.0, share)), sheet, family.can_be_recut)


def _in_orders(to_try: ToTry, sheet: Sheet, can_be_recut: bool) -> ToTry:
    """The same keys in the three orders of trying."""
    tries, chances = to_try.halving.tries(to_try.candidates), to_try.chances
    progression = blanks_for(tries, sheet.begun, can_be_recut=can_be_recut)
    return replace(
        to_try,
        within=likeliest_within(progression, chances),
        by_blank=blank_after_blank(progression, chances),
        likeliest=likeliest_first(tries, chances, sheet.begun, can_be_recut=can_be_recut),
    )


def _tried_among(parts: Sequence[tuple[Reading, Sheet]], sheet: Sheet) -> int:
    """How many of the keys that were tried would still be possible, had they not been."""
    known = [steps for _, own in parts for steps in own.known]
    return sum(all(place // 2 in steps for place, steps in zip(key, known, strict=True)) for key in set(sheet.tried))


def _likeliest_together(
    parts: Sequence[tuple[Reading, Sheet]], most: int
) -> tuple[NDArray[np.int8], NDArray[np.float64], int]:
    """The likeliest keys of all tracks, (m, n) steps, their chances, likeliest first, and how many keys there are.

    The likeliest products of two lists are among the products of the likeliest of each, so that track after track no
    more than ``most`` need be kept.
    """
    keys, chances, many = np.empty((1, 0), np.int8), np.ones(1), 1
    for reading, own in parts:
        if not all(own.known):
            raise InputError("known", "no depth is left for one of the cuts")
        found = candidates_of(reading.track, own.known, rules=reading.family.rules, among=own.among)
        if len(found) > MOST_TRIED:
            raise InputError("known", f"{len(found):,} keys are still possible, more than anybody tries")
        many *= len(found)
        if not len(found):
            return np.empty((0, keys.shape[1] + found.shape[1]), np.int8), np.empty(0), 0
        of_it = _chances(reading, found, whole_steps(reading.track))
        weights = np.array([of_it[key] for key in map(tuple, (2 * found.astype(int)).tolist())])
        best = np.argsort(-weights, kind="stable")[:most]
        together = np.outer(chances, weights[best])
        chosen = np.argsort(-together, axis=None, kind="stable")[:most]
        a, b = np.unravel_index(chosen, together.shape)
        keys, chances = np.hstack([keys[a], found[best][b]]), together[a, b]
    return keys, chances, many


def stood_for(places: Places, candidates: NDArray[np.int8]) -> NDArray[np.bool_]:
    """Which candidates (m, n) a key of these places stands for, (m,): a half step for the depths on both its sides.

    Raises nothing.

    >>> stood_for((2, 3), np.array([[1, 1], [1, 2], [0, 1]], dtype=np.int8)).tolist()
    [True, True, False]
    """
    low = np.array(places) // 2
    high = low + np.array(places) % 2
    return np.asarray(((candidates >= low) & (candidates <= high)).all(axis=1))


def _chances(reading: Reading, candidates: NDArray[np.int8], halving: Halving) -> dict[Places, float]:
    """The chance that each key to try is, or stands for, the right one, all together 1."""
    among = tuple(map(tuple, candidates.tolist()))
    try:
        found = chances_among(replace(reading, among=among))
    except InputError:  # what was judged by eye contradicts what was measured: each is as likely
        found = dict.fromkeys(among, 1 / len(among))
    together: dict[Places, float] = {}
    for key, steps in zip(map(tuple, halving.places(candidates).tolist()), among, strict=True):
        together[key] = together.get(key, 0.0) + found.get(steps, 0.0)
    return together
