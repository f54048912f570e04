"""How much may be taken off a cut, tried on made-up worn locks: how often it snags, how much of it is allowed."""

from __future__ import annotations

from collections.abc import Iterator

from benchmarks.figure import Figure
from keycore.documents.family import read_family
from worn_locks import taken_in_worn_locks

LOCKS = 1000
MOST_SNAG, LEAST_HALF = 0.05, 0.5


def measure() -> Iterator[Figure]:
    """For a family each."""
    for family_id in ("harbour-five", "theatre-six"):
        taken = taken_in_worn_locks(read_family(family_id), LOCKS, seed=20261126)
        snagged, half = (sum(each) / LOCKS for each in zip(*((one.snags, one.is_half) for one in taken), strict=True))
        says = f"{family_id}: of {LOCKS} worn locks {100 * snagged:.1f} in 100 snag (goal {100 * MOST_SNAG:g})"
        says += f", half of the true room allowed in {100 * half:.0f} in 100 (goal {100 * LEAST_HALF:g})"
        yield Figure(f"how much may be taken, {says}", snagged <= MOST_SNAG and half >= LEAST_HALF)
