"""How much may be taken off a cut, tried on made-up worn locks: how often it snags, how much of it is allowed."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from benchmarks.figure import Figure
from keycore.documents.family import read_family
from keycore.proving.lock import Feel, lock_prior, play_of
from keycore.proving.room import MARK_MISTAKEN, Felt, Stand, room_left
from keycore.reading.evidence import Spread

LOCKS = 1000
WEAR_MM, EACH_MM, ALIKE_MM, CALIPER_MM = Spread(-0.03, 0.05), 0.006, 0.008, 0.010
MOST_SNAG, LEAST_HALF = 0.05, 0.5


def measure() -> Iterator[Figure]:
    """For a family each: keys that rub at a cut, measured, and taken down there by what is said to be safe."""
    for family_id in ("harbour-five", "theatre-six"):
        snagged, half = _tried(family_id, np.random.default_rng(20261126))
        says = f"{family_id}: of {LOCKS} worn locks {100 * snagged:.1f} in 100 snag (goal {100 * MOST_SNAG:g})"
        says += f", half of the true room allowed in {100 * half:.0f} in 100 (goal {100 * LEAST_HALF:g})"
        yield Figure(f"how much may be taken, {says}", snagged <= MOST_SNAG and half >= LEAST_HALF)


def _tried(family_id: str, rng: np.random.Generator) -> tuple[float, float]:
    family = read_family(family_id)
    play, cuts, mm = play_of(family), len(family.tracks[0].spaces), family.depth.from_machine
    wear = Spread(mm(WEAR_MM.mean), mm(WEAR_MM.sd))
    lock, snagged, enough = lock_prior(wear), [], []
    while len(snagged) < LOCKS:
        made = rng.normal(0, mm(ALIKE_MM)) + rng.normal(0, mm(EACH_MM), cuts)
        stands, at = made - rng.normal(wear.mean, wear.sd), int(np.argmax(made))
        if rng.random() < MARK_MISTAKEN:  # the mark is of something else: any feel, at any cut
            if rng.integers(0, len(Feel)):
                continue
            at = int(rng.integers(0, cuts))
        elif not (stands.max() > play.high and stands.min() >= -play.low):
            continue
        seen = [Stand(float(value), mm(CALIPER_MM)) for value in made + rng.normal(0, mm(CALIPER_MM), cuts)]
        take = room_left(seen, 0.0, play, lock, Felt(Feel.RUBS, at))[at].safe
        room = max(float(stands[at]) + play.low, 0.0)
        snagged.append(take > room)
        enough.append(0 < room / 2 <= take)
    return float(np.mean(snagged)), float(np.mean(enough))
