"""How much each source moved the answer: what would be said without it."""

from __future__ import annotations

from dataclasses import dataclass, replace

from keycore.errors import InputError
from keycore.reading.decode import Reading, weigh_plainly


@dataclass(frozen=True, slots=True)
class Influence:
    """The answer without one source."""

    without: tuple[int, ...]  # the likeliest bitting the other sources leave
    chance: float  # of that bitting, without the source
    chance_of_best: float  # of the bitting that all sources together make likeliest, without the source


def influences(reading: Reading, best: tuple[int, ...]) -> tuple[Influence | None, ...]:
    """Leave each source out in turn.

    Arguments: a Reading and the bitting ``best`` (n,) that all its sources make likeliest. Returns
    one Influence for each source, None where nothing is left to say anything, or the others leave
    too much open to name a bitting. Raises nothing.
    """
    return tuple(_without(reading, place, best) for place in range(len(reading.evidence)))


def _without(reading: Reading, place: int, best: tuple[int, ...]) -> Influence | None:
    others = reading.evidence[:place] + reading.evidence[place + 1 :]
    if not others:
        return None
    try:
        settled = weigh_plainly(replace(reading, evidence=others))
        without, chance = settled.likeliest(1)[0]
    except InputError:
        return None
    return Influence(without, chance, settled.chance_of(best))
