"""What is still to be tried in a lock where some cuts are not known: the keys, their chances and the orders of trying.

The sums are those of ``candidates``, ``half_steps``, ``progression`` and ``orders``; here they are put together.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from keycore.codes.candidates import candidates_of
from keycore.codes.half_steps import Halving, halve, whole_steps
from keycore.codes.orders import Order, blank_after_blank, likeliest_first, likeliest_within
from keycore.codes.progression import blanks_for
from keycore.errors import InputError
from keycore.proving.lock import play_of
from keycore.reading.decode import Reading, chances_among

Places = tuple[int, ...]
"""What a key is cut to: 2k for depth k, 2k + 1 for the half step beyond it."""
MOST_TRIED = 4000
"""A sheet of more keys than these is worked through by nobody, and took seconds to put in three orders."""


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
    tries, chances = halving.tries(candidates), _chances(reading, candidates, halving)
    progression = blanks_for(tries, sheet.begun, can_be_recut=recut)
    return ToTry(
        candidates,
        halving,
        chances,
        likeliest_within(progression, chances),
        blank_after_blank(progression, chances),
        likeliest_first(tries, chances, sheet.begun, can_be_recut=recut),
    )


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
