"""Proof of a cut key: whether each cut is inside its tolerance, and whether the measuring can tell."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from math import erf, inf, sqrt

from keycore.family import Tolerance

COVERAGE = 2.0  # expanded uncertainty U = 2 sd
ROUNDING = 1e-12
PERFECT_PASSES = 0.9  # so often is a perfect key to be judged inside
MOST_READINGS = 100


class Verdict(StrEnum):
    """The outcome for a cut or a key, best first."""

    INSIDE = "inside"
    DOUBTFUL = "doubtful"
    OUTSIDE = "outside"


_ORDER = list(Verdict)


@dataclass(frozen=True, slots=True)
class ProofCut:
    """One cut of a finished key: what was wanted and what was measured."""

    space: int
    from_gauge: float
    value: float
    measured: float
    measured_space: float | None = None

    @property
    def error(self) -> float:
        """Measured less intended depth value."""
        return self.measured - self.value

    @property
    def space_error(self) -> float | None:
        """Measured less intended position, where it was measured."""
        return None if self.measured_space is None else self.measured_space - self.from_gauge


@dataclass(frozen=True, slots=True)
class JudgedCut:
    """One cut and its verdict."""

    cut: ProofCut
    verdict: Verdict


def judge(error: float, sd: float, tolerance: float) -> Verdict:
    """One error against one tolerance, allowing for the measuring.

    With U = 2 sd: |e| + U <= tolerance is inside, |e| - U > tolerance outside, between doubtful
    (the decision rule of ISO 14253-1 applied at both limits with coverage factor 2, from memory).
    Arguments share one unit. Raises nothing.

    >>> judge(0.0009, 0.0005, 0.002).value, judge(0.0015, 0.0005, 0.002).value
    ('inside', 'doubtful')
    """
    expanded = COVERAGE * sd
    if abs(error) + expanded <= tolerance + ROUNDING:
        return Verdict.INSIDE
    return Verdict.OUTSIDE if abs(error) - expanded > tolerance + ROUNDING else Verdict.DOUBTFUL


def judge_key(
    cuts: Sequence[ProofCut], sd: float, tolerance: Tolerance, sd_space: float | None = None
) -> list[JudgedCut]:
    """Every cut's verdict: the worse of its depth's and, where measured, its position's.

    Arguments: cuts, ``sd`` of one measurement, the family's tolerance, ``sd_space`` of one position where that is
    measured in another unit. Raises nothing.
    """
    judged = []
    for cut in cuts:
        verdicts = [judge(cut.error, sd, tolerance.value)]
        if cut.space_error is not None:
            verdicts.append(judge(cut.space_error, sd if sd_space is None else sd_space, tolerance.space))
        judged.append(JudgedCut(cut, worst(verdicts)))
    return judged


def worst(verdicts: Sequence[Verdict]) -> Verdict:
    """The worst of some verdicts; inside when there are none. Raises nothing."""
    return max(verdicts, key=_ORDER.index, default=Verdict.INSIDE)


def repeats_needed(sd: float, tolerance: float, cuts: int = 1, *, zero: float = 0.0) -> int | None:
    """How many readings of each cut let a perfect key be judged inside 9 times in 10.

    With n readings s^2 = sd^2 / n + zero^2, and a perfect cut is judged inside where its reading errs by no more than
    tolerance - 2 s: all ``cuts`` are with the chance (2 Phi(tolerance / s - 2) - 1)^cuts. Arguments: ``sd`` of
    one reading, the tolerance, and ``zero``, the sd of what no repeat takes away, in one unit; how many ``cuts`` the
    key has. Returns at least 1, None where a hundred readings would not do. Raises nothing.

    >>> repeats_needed(0.0005, 0.002), repeats_needed(0.0005, 0.002, 6), repeats_needed(0.0005, 0.002, zero=0.001)
    (1, 2, None)
    """
    for readings in range(1, MOST_READINGS + 1):
        s = sqrt(sd**2 / readings + zero**2)
        within = tolerance / s - COVERAGE if s > 0 else inf
        if within > 0 and erf(within / sqrt(2)) ** cuts >= PERFECT_PASSES:
            return readings
    return None


def can_be_inside(sd: float, tolerance: float) -> bool:
    """Whether even a perfect cut could be judged inside the ``tolerance`` by a measurement of this ``sd``, one unit.

    Raises nothing.
    """
    return COVERAGE * sd < tolerance
