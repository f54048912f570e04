"""Made-up worn locks: keys that rub in them, and what is then taken off the cut that shows a mark."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import islice

import numpy as np

from keycore.family import Family
from keycore.proving.lock import Feel, lock_prior, play_of
from keycore.proving.room import MARK_MISTAKEN, Felt, Stand, room_left
from keycore.reading.evidence import Spread

WEAR_MM, EACH_MM, ALIKE_MM, CALIPER_MM = Spread(-0.03, 0.05), 0.006, 0.008, 0.010
"""Of a lock; of each cut as made; of all cuts of a key alike; of one measurement."""


@dataclass(frozen=True)
class Taken:
    """What the program says may be taken off the cut with the mark, and how much truly may; family unit."""

    says: float
    room: float

    @property
    def snags(self) -> bool:
        """Whether the key would snag, had so much been taken."""
        return self.says > self.room

    @property
    def is_half(self) -> bool:
        """Whether at least half of the true room is allowed, and not nothing."""
        return 0 < self.room / 2 <= self.says


def taken_in_worn_locks(family: Family, count: int, seed: int) -> list[Taken]:
    """So many keys that rub at a cut, measured, and taken down there by what is said to be safe."""
    return list(islice(_each(family, np.random.default_rng(seed)), count))


def _each(family: Family, rng: np.random.Generator) -> Iterator[Taken]:
    play, cuts, mm = play_of(family), len(family.tracks[0].spaces), family.depth.from_machine
    wear = Spread(mm(WEAR_MM.mean), mm(WEAR_MM.sd))
    lock = lock_prior(wear)
    while True:
        made = rng.normal(0, mm(ALIKE_MM)) + rng.normal(0, mm(EACH_MM), cuts)
        stands, at = made - rng.normal(wear.mean, wear.sd), int(np.argmax(made))
        if rng.random() < MARK_MISTAKEN:  # the mark is of something else: any feel, at any cut
            if rng.integers(0, len(Feel)):
                continue
            at = int(rng.integers(0, cuts))
        elif not (stands.max() > play.high and stands.min() >= -play.low):
            continue
        seen = [Stand(float(value), mm(CALIPER_MM)) for value in made + rng.normal(0, mm(CALIPER_MM), cuts)]
        says = room_left(seen, 0.0, play, lock, Felt(Feel.RUBS, at))[at].safe
        yield Taken(says, max(float(stands[at]) + play.low, 0.0))
