"""What a choice of cuts means in the lock, before a blank is spoiled."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import sqrt

from keycore.cutting.plan import cutting_of
from keycore.family import Family, Track
from keycore.proving.lock import (
    NEW_LOCK,
    Feel,
    LockShift,
    Making,
    chance_of_turning,
    feel_of,
    play_of,
)  # fmt: skip
from keycore.reading.evidence import Spread

IN_PLACE = Spread(0.0, 0.0)


@dataclass(frozen=True)
class Prospect:
    """How a key would stand in its lock.

    ``deviations`` (n,) of each tumbler from its factory place, positive is high; ``feels`` (n,)
    in a lock with the expected wear; ``chance`` that the key turns freely.
    """

    values: tuple[float, ...]
    deviations: tuple[float, ...]
    feels: tuple[Feel, ...]
    chance: float


def deviations_of(
    family: Family,
    track: Track,
    steps: Sequence[int],
    values: Sequence[float],
    along: float = 0.0,
    style: str = "",
) -> tuple[float, ...]:
    """How far each tumbler stands from where the factory depths would stand it.

    Arguments: ``steps`` (n,) what the key is, ``values`` (n,) what it is cut to, how far all cuts sit ``along`` the
    blade from where they should, the ``style`` of path that cut it; the factory's is the kind's usual one.
    Returns (n,) in the family's unit on one edge, positive is high. Raises InputError without blank or tool.
    """
    stands = cutting_of(family).stands
    there = stands(family, track, values, style=style, along=along)
    wanted = stands(family, track, [track.values[step] for step in steps])
    return tuple(a - b for a, b in zip(there, wanted, strict=True))


def usually_along(family: Family) -> Spread:
    """How far all cuts of a key may sit along the blade: half of what the family allows of them is one sd.

    Raises nothing; a family without a tolerance says nothing, and they are taken to sit where they should.
    """
    return Spread(0.0, family.tolerance.space / 2) if family.tolerance else IN_PLACE


def places_along(along: Spread) -> tuple[tuple[float, float], ...]:
    """Where all cuts may sit along the blade, with weights: three points that give the mean of any quintic.

    Gauss-Hermite quadrature for a normal weight (Abramowitz and Stegun, 25.4.46). Arguments: how far off all cuts
    are taken to sit, family unit. Returns (shift, weight) pairs. Raises nothing.

    >>> [round(weight, 3) for _, weight in places_along(Spread(0.0, 0.001))]
    [0.167, 0.667, 0.167]
    """
    if along.sd == 0:
        return ((along.mean, 1.0),)
    reach = sqrt(3) * along.sd
    return ((along.mean - reach, 1 / 6), (along.mean, 2 / 3), (along.mean + reach, 1 / 6))


def prospect(
    family: Family,
    track: Track,
    steps: Sequence[int],
    values: Sequence[float],
    making: Making,
    lock: LockShift = NEW_LOCK,
    *,
    along: Spread = IN_PLACE,
    style: str = "",
) -> Prospect:
    """Stand the tumblers on a key and say how it will turn.

    Arguments: ``steps`` (n,) what the key is; ``values`` (n,) what is cut, family unit;
    ``making`` how far it may come out; ``lock`` what is known of the lock's wear; how far all cuts may sit
    ``along`` the blade from where they should, family unit; the ``style`` of path that cuts it. Returns a
    Prospect. Raises InputError without blank, cut, or play and tolerance.
    """
    away = deviations_of(family, track, steps, values, along.mean, style)
    play = play_of(family)
    feels = tuple(feel_of(deviation - lock.mean, play) for deviation in away)
    chance = sum(
        weight * chance_of_turning(deviations_of(family, track, steps, values, shift, style), making, play, lock)
        for shift, weight in places_along(along)
    )
    return Prospect(tuple(values), away, feels, chance)
