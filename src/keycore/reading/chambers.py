"""A cylinder taken apart chamber by chamber: which depths its pins can mean, and, with a key in hand, the other key."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations, pairwise
from math import exp

from keycore.errors import InputError
from keycore.family import Track
from keycore.reading.instruments import depth_under_pin

SURE = 0.95
LIKELY = 1e-3
"""Sets of depths less likely than this are not told."""


@dataclass(frozen=True, slots=True)
class Chamber:
    """What lay in one chamber, lengths in the family's unit: the bottom pin, then the wafers above it in order."""

    bottom: float
    wafers: tuple[float, ...] = ()


@dataclass(frozen=True)
class DepthSet:
    """What one chamber can mean: shear lines as steps, shallow to deep, each set with its chance, likeliest first."""

    sets: tuple[tuple[tuple[int, ...], float], ...]

    @property
    def best(self) -> tuple[int, ...]:
        """The likeliest set."""
        return self.sets[0][0]

    @property
    def is_sure(self) -> bool:
        """Whether no other set is worth a thought."""
        return self.sets[0][1] >= SURE

    @property
    def is_mastered(self) -> bool:
        """Whether it has more than one shear line."""
        return len(self.best) > 1


@dataclass(frozen=True)
class Joined:
    """One chamber beside a key in hand: the step that key uses there, and what the other key would have, by chance."""

    used: int | None  # None where no shear line is where the key stands
    used_chance: float
    other: Mapping[int, float]

    @property
    def is_undecided(self) -> bool:
        """Whether nothing says which of several the other key has, or which the key in hand uses."""
        return self.used is None or self.used_chance < SURE or max(self.other.values(), default=0.0) < SURE


def depths_of(track: Track, chamber: Chamber, plug: float, sd: float) -> DepthSet:
    """The depths that one chamber's pins can mean, by how well each set agrees with what the caliper said.

    A bottom pin of length L stands on a depth of plug - L, and every wafer takes the shear line deeper by its own
    length: each set of so many steps, shallow to deep, is tried, alike likely before. Each length was measured with
    an error of its own. Arguments: the ``track``, what lay in the ``chamber``, the ``plug``'s figure (what root and
    pin add up to), ``sd`` of measuring one pin, family unit. Raises InputError where no set of depths is near.

    >>> from keycore.documents.family import read_family
    >>> track = read_family("harbour-five").tracks[0]
    >>> found = depths_of(track, Chamber(0.5 - track.values[1], (track.values[1] - track.values[3],)), 0.5, 0.0005)
    >>> found.best, found.is_sure
    ((1, 3), True)
    """
    deepens = 1 if track.falls_when_deeper else -1
    sets = {}
    for steps in combinations(range(len(track.depths)), 1 + len(chamber.wafers)):
        values = [track.values[step] for step in steps]
        wanted = [
            depth_under_pin(values[0], plug),
            *((a - b) * deepens for a, b in pairwise(values)),
        ]
        off = sum(
            ((seen - length) / sd) ** 2 for seen, length in zip((chamber.bottom, *chamber.wafers), wanted, strict=True)
        )
        sets[steps] = off
    if not sets:
        raise InputError("wafers", f"{len(chamber.wafers)} wafers are more than there are depths")
    least = min(sets.values())
    if least > (1 + len(chamber.wafers)) * FARTHEST**2:
        raise InputError("bottom", "no set of this table's depths is near what was measured")
    weights = {steps: exp(-0.5 * (off - least)) for steps, off in sets.items()}
    whole = sum(weights.values())
    told = sorted(((steps, weight / whole) for steps, weight in weights.items()), key=lambda each: -each[1])
    return DepthSet(tuple(each for each in told if each[1] >= LIKELY))


FARTHEST = 8.0
"""Standard deviations of measuring beyond which a chamber is of another table."""


def joined(sets: DepthSet, key: Sequence[float]) -> Joined:
    """One chamber beside a key in hand: which shear line that key uses, and what is left for the other key.

    Over every set and every shear line of it that the key may stand at; the other key has any of those left, alike
    likely, or the same where there is one shear line alone. Arguments: the chamber's ``sets``, and the chance of each
    step of the ``key`` in hand (d,). Raises nothing.

    >>> joined(DepthSet((((1, 3), 1.0),)), [0.0, 1.0, 0.0, 0.0])
    Joined(used=1, used_chance=1.0, other={3: 1.0})
    """
    used: dict[int, float] = {}
    other: dict[int, float] = {}
    for steps, chance in sets.sets:
        for step in steps:
            weight = chance * key[step]
            if weight <= 0:
                continue
            used[step] = used.get(step, 0.0) + weight
            left = [each for each in steps if each != step] or [step]
            for each in left:
                other[each] = other.get(each, 0.0) + weight / len(left)
    whole = sum(used.values())
    if whole < LIKELY:
        return Joined(None, 0.0, {})
    best = max(used, key=lambda step: used[step])
    return Joined(best, used[best] / whole, {step: weight / whole for step, weight in sorted(other.items())})


def spell(sets: Sequence[DepthSet | None]) -> tuple[int, ...] | None:
    """What the bottom pins alone would spell, step by step (n,); None where a chamber is not known.

    In a mastered cylinder that is neither key but where, in every chamber, the same key stands on the bottom pin.
    Arguments: the chambers' ``sets`` (n,). Raises nothing.
    """
    known = [each.best[0] for each in sets if each is not None]
    return tuple(known) if len(known) == len(sets) else None
