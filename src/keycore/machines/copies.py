"""What copying a copy does: each generation adds the machine's error once more."""

from __future__ import annotations

from dataclasses import dataclass
from math import sqrt

from scipy.special import ndtr

from keycore.family import Play
from keycore.machines.trim import Noise


@dataclass(frozen=True, slots=True)
class Generation:
    """A copy of a copy: how far its cuts are from the original, and the chance that it turns in a lock as new."""

    number: int
    mean: float  # of all cuts, positive is shallow
    sd: float  # of that mean
    chance: float


def copies_of_copies(offset: float, noise: Noise, cuts: int, play: Play, generations: int = 5) -> list[Generation]:
    """How traced copies drift from their original, copy after copy.

    After g generations the mean error is g times the offset, its sd sqrt(g) seat_sd, and each cut
    strays by sqrt(g) sd on its own; the key turns when every cut is within the play. The common
    error is integrated out on 41 nodes. Arguments: the machine's offset (positive is shallow) and
    ``noise`` (sd of one cut as made, sd of one clamping), how many cuts the key has, the lock's play,
    all in one unit. Returns the generations from 1. Raises nothing.

    >>> [round(each.mean, 4) for each in copies_of_copies(0.001, Noise(0.0003, 0.0003), 5, Play(0.003, 0.003), 3)]
    [0.001, 0.002, 0.003]
    """
    found = []
    for number in range(1, generations + 1):
        mean, common, each = number * offset, sqrt(number) * noise.seat_sd, sqrt(number) * noise.sd
        total = weights = 0.0
        for node in range(-20, 21):
            z = node / 4
            weight = 2.718281828459045 ** (-0.5 * z * z)
            at = mean + z * common
            inside = float(ndtr((play.high - at) / each) - ndtr((-play.low - at) / each))
            total += weight * inside**cuts
            weights += weight
        found.append(Generation(number, mean, common, total / weights))
    return found
