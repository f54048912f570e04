"""Copies traced from a pattern: one judged by its pattern, and what copying a copy does."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import sqrt

from scipy.special import ndtr

from keycore.errors import InputError
from keycore.family import Family, Play, Track
from keycore.kinds.causes import Say
from keycore.machines.trim import Noise
from keycore.proving.causes import Cause, likely_causes
from keycore.proving.verdict import ProofCut, Verdict, judge_key, worst
from keycore.reading.decode import Reading, decode
from keycore.reading.evidence import Spread
from keycore.reading.instruments import SHOP_STRAY, measured_by_caliper

FEWEST_CUTS = 2


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


@dataclass(frozen=True, slots=True)
class CopiedCut:
    """One cut of a pattern and of its copy; None for what was not measured; the family's unit."""

    space: int
    pattern: float | None
    copy: float | None
    factory: float
    label: str

    @property
    def from_pattern(self) -> float | None:
        """What the machine made of it: copy less pattern."""
        return None if self.pattern is None or self.copy is None else self.copy - self.pattern

    @property
    def from_factory(self) -> float | None:
        """What the lock will feel: copy less factory depth."""
        return None if self.copy is None else self.copy - self.factory


@dataclass(frozen=True)
class Copied:
    """A copy judged twice: against its pattern, which is the machine's doing, and against the factory depths."""

    cuts: tuple[CopiedCut, ...]
    chance: float  # that the bitting read from the pattern is right
    sd_from_pattern: float
    by_machine: Verdict
    as_key: Verdict
    causes: tuple[Cause, ...]  # of what the machine did, likeliest first

    @property
    def is_inside(self) -> bool:
        """Whether the machine did what it should: every cut is like its pattern's."""
        return self.by_machine == Verdict.INSIDE

    @property
    def mean(self) -> Spread:
        """How far the copy is from its pattern on average, as well as two measurements of each cut tell it."""
        away = [cut.from_pattern for cut in self.cuts if cut.from_pattern is not None]
        return Spread(sum(away) / len(away), self.sd_from_pattern / sqrt(len(away)))


def compare_copy(
    family: Family, track: Track, pattern: Sequence[float | None], copy: Sequence[float | None], sd: float,
    say: Say | None = None,
) -> Copied:  # fmt: skip
    """Judge a traced copy by its pattern and by the depths that the pattern was once cut to.

    The pattern's bitting is the likeliest of its measured values, within MACS, worn as far as it looks. The
    difference of two measurements has sd sqrt(2) sd. Arguments: values (n,) in the family's unit
    and order, ``sd`` of one measurement in it, how its causes ``say`` a length.
    Returns a Copied. Raises InputError for another number
    of values, fewer than two cuts measured on both, or a family without tolerance.

    >>> from keycore.documents.family import read_family
    >>> harbour = read_family("harbour-five")
    >>> worn = [harbour.tracks[0].values[step] - 0.003 for step in (2, 3, 1, 4, 3)]
    >>> found = compare_copy(harbour, harbour.tracks[0], worn, [value - 0.001 for value in worn], 0.0003)
    >>> [cut.label for cut in found.cuts], found.by_machine.value, found.as_key.value
    (['3', '4', '2', '5', '4'], 'inside', 'outside')
    """
    if not len(pattern) == len(copy) == len(track.spaces):
        raise InputError("copy", f"{len(track.spaces)} values of each are wanted, a dash for one not measured")
    if family.tolerance is None:
        raise InputError("family", "it has no tolerance to judge by")
    source = measured_by_caliper(family, track, [[] if p is None else [p] for p in pattern])
    read = decode(Reading(family, track, (source,), stray=SHOP_STRAY))
    cuts = tuple(
        CopiedCut(space, p, c, track.values[step], track.labels[step])
        for space, (p, c, step) in enumerate(zip(pattern, copy, read.best, strict=True), start=1)
    )
    traced = [
        ProofCut(cut.space, track.spaces[cut.space - 1], cut.pattern, cut.copy)
        for cut in cuts
        if cut.pattern is not None and cut.copy is not None
    ]
    if len(traced) < FEWEST_CUTS:
        raise InputError("copy", "measure at least two cuts on both keys")
    made = [
        ProofCut(cut.space, track.spaces[cut.space - 1], cut.factory, cut.copy) for cut in cuts if cut.copy is not None
    ]
    both = sqrt(2) * sd
    return Copied(
        cuts=cuts,
        chance=read.bittings[0][1],
        sd_from_pattern=both,
        by_machine=worst([each.verdict for each in judge_key(traced, both, family.tolerance)]),
        as_key=worst([each.verdict for each in judge_key(made, sd, family.tolerance)]),
        causes=tuple(likely_causes(traced, both, family.tolerance, family.unit.value, say=say)),
    )
