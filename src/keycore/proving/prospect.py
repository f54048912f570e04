"""What a choice of cuts means in the lock, before a blank is spoiled."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import product
from math import prod, sqrt

from keycore.cutting.plan import cutting_of
from keycore.family import Family, Track
from keycore.proving.lock import (
    NEW_LOCK,
    Feel,
    LockShift,
    Making,
    chance_of_turning,
    feel_of,
    lock_shift,
    play_of,
)  # fmt: skip
from keycore.reading.evidence import Spread

IN_PLACE = Spread(0.0, 0.0)
LEAST = 1e-4
"""Bittings of several tracks less likely together than this are taken as not turning, as are those not listed."""


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
    stands = cutting_of(family).tumbler_heights
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


@dataclass(frozen=True)
class ReadTrack:
    """What is known of one track of an old key.

    ``steps`` (n,) what it is taken to be, ``as_is`` (n,) what it measures, family unit, None where it was not
    measured, ``sd`` of one such cut, None where none was; ``bittings`` the likeliest with their chances, the first
    of them ``steps``, one alone where the smith judged it.
    """

    name: str
    steps: tuple[int, ...]
    as_is: tuple[float | None, ...]
    sd: float | None
    bittings: tuple[tuple[tuple[int, ...], float], ...]

    @property
    def is_judged(self) -> bool:
        """Whether the smith says what it is, so that nothing is left to chance."""
        return self.bittings == ((self.steps, 1.0),)


@dataclass(frozen=True, slots=True)
class Turning:
    """The chance that a key turns freely: over all that the bitting may be, and were the settled one certain."""

    chance: float
    if_right: float


def shift_by_feel(family: Family, track: ReadTrack, felt: Feel | None, prior: Spread) -> LockShift:
    """What the old key's own cuts and how it turns say about the wear of its lock.

    Arguments: the ``track`` of the old key; how it ``felt``, None where it was not tried; how worn such locks are
    before anything is known, family unit. Returns NEW_LOCK where the key was not measured or not tried. Raises
    InputError without blank, tool, or play and tolerance.
    """
    if felt is None or track.sd is None:
        return NEW_LOCK
    factory = family.track(track.name)
    cuts = [factory.values[s] if value is None else value for s, value in zip(track.steps, track.as_is, strict=True)]
    away = deviations_of(family, factory, track.steps, cuts)
    return lock_shift(away, Making(track.sd, 0.0), play_of(family), felt, prior)


def chance_of_key(
    family: Family,
    tracks: Sequence[ReadTrack],
    values: Mapping[str, Sequence[float]],
    making: Making,
    lock: LockShift = NEW_LOCK,
    *,
    style: str = "",
) -> Turning:
    """The chance that a key of these values turns freely in the lock that the old key was of.

    Over what the lock may really want: each bitting's chance times that the key turns in a lock of that bitting; the
    tumblers of every track together, in one and the same lock, and all cuts as far along the blade as they may sit.
    Arguments: what is known of the ``tracks``; ``values`` (n,) by track, family unit; ``making`` how far it may come
    out; what is known of the ``lock``'s wear; the ``style`` of path. Returns a Turning. Raises InputError without
    blank, tool, or play and tolerance.
    """
    found = [
        (weight, _turning_there(family, tracks, values, making, lock, along=shift, style=style))
        for shift, weight in places_along(usually_along(family))
    ]
    return Turning(
        sum(weight * there.chance for weight, there in found), sum(weight * there.if_right for weight, there in found)
    )


def _turning_there(
    family: Family,
    tracks: Sequence[ReadTrack],
    values: Mapping[str, Sequence[float]],
    making: Making,
    lock: LockShift,
    *,
    along: float,
    style: str,
) -> Turning:
    """The same with all cuts so far along the blade from where they should be."""
    away = [
        [
            (deviations_of(family, family.track(track.name), steps, values[track.name], along, style), chance)
            for steps, chance in track.bittings
        ]
        for track in tracks
    ]
    whole, first = 0.0, 0.0
    for place, together in enumerate(product(*away)):
        likely = prod(chance for _, chance in together)
        if place and likely < LEAST:
            continue
        each = [deviation for deviations, _ in together for deviation in deviations]
        turns = chance_of_turning(each, making, play_of(family), lock)
        whole += likely * turns
        first = turns if place == 0 else first
    return Turning(whole, first)
