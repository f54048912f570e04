"""Limits learned from keys that worked, where nobody publishes any: how unlike the old key a good one may be."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

FEWEST = 8
"""Fewer keys say nothing: of eight, two in nine of the good ones to come are expected beyond them already."""


@dataclass(frozen=True, slots=True)
class Learned:
    """How far new keys that worked were from the old ones: least and most, one unit, of so many keys."""

    low: float
    high: float
    keys: int

    @property
    def beyond(self) -> float:
        """The chance that one more key that works lies beyond both limits: 2 / (n + 1)."""
        return 2 / (self.keys + 1)

    def holds(self, difference: float) -> bool:
        """Whether a difference, in the same unit, is like those of keys that worked. Raises nothing."""
        return self.low <= difference <= self.high


def learned_limits(differences: Sequence[float]) -> Learned | None:
    """The range of what worked, and how often one more that works lies beyond it.

    By the order statistics of a sample from any continuous distribution, one more draw falls outside the range of
    n with the chance 2 / (n + 1) (Wilks, 1941; David and Nagaraja, Order Statistics, 2.5; from memory): no shape is
    assumed and no limit invented. Arguments: ``differences`` (n,) new less old of keys that worked, one unit.
    Returns None for fewer than FEWEST. Raises nothing.

    >>> learned_limits([0.0, 0.01, -0.02, 0.005, 0.0, 0.012, -0.004, 0.001])
    Learned(low=-0.02, high=0.012, keys=8)
    >>> learned_limits([0.0, 0.01]) is None
    True
    """
    if len(differences) < FEWEST:
        return None
    return Learned(min(differences), max(differences), len(differences))
