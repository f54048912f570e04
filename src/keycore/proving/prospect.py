"""What a choice of cuts means in the lock, before a blank is spoiled."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from keycore.cutting.limits import edge_values
from keycore.cutting.profile import Profile, profile_of
from keycore.errors import InputError
from keycore.family import Family, Track
from keycore.proving.lock import (
    NEW_LOCK,
    Feel,
    LockShift,
    Making,
    chance_of_turning,
    feel_of,
    play_of,
    stand,
    tumbler_of,
)  # fmt: skip


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


def edge_of(family: Family, track: Track, values: Sequence[float]) -> Profile:
    """The plunged profile of one track cut to these depth values; InputError without blank or cut."""
    if family.blank is None or track.cut is None:
        raise InputError("family", "a profile needs the blank and the cut")
    (height,) = edge_values(family, [family.blank.height])
    return profile_of(track.spaces, edge_values(family, values), track.cut, height, family.blank.length, "plunged")


def deviations_of(family: Family, track: Track, steps: Sequence[int], values: Sequence[float]) -> tuple[float, ...]:
    """How far each tumbler stands from where the factory depths would stand it.

    Arguments: ``steps`` (n,) what the key is, ``values`` (n,) what it is cut to. Returns (n,) in
    the family's unit on one edge, positive is high. Raises InputError without blank or cut.
    """
    tumbler = tumbler_of(family, track)
    factory = edge_of(family, track, [track.values[step] for step in steps])
    there = stand(edge_of(family, track, values), track.spaces, tumbler)
    wanted = stand(factory, track.spaces, tumbler)
    return tuple(a - b for a, b in zip(there, wanted, strict=True))


def prospect(
    family: Family,
    track: Track,
    steps: Sequence[int],
    values: Sequence[float],
    making: Making,
    lock: LockShift = NEW_LOCK,
) -> Prospect:
    """Stand the tumblers on a key and say how it will turn.

    Arguments: ``steps`` (n,) what the key is; ``values`` (n,) what is cut, family unit;
    ``making`` how far it may come out; ``lock`` what is known of the lock's wear. Returns a
    Prospect. Raises InputError without blank, cut, or play and tolerance.
    """
    away = deviations_of(family, track, steps, values)
    play = play_of(family)
    feels = tuple(feel_of(deviation - lock.mean, play) for deviation in away)
    return Prospect(tuple(values), away, feels, chance_of_turning(away, making, play, lock))
