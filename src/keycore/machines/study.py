"""How well hands and an instrument measure: repeatability and reproducibility by analysis of variance."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray
from scipy.special import fdtrc, ndtr

from keycore.errors import InputError

Array = NDArray[np.float64]
POOL_ABOVE = 0.25
"""An interaction of people and cuts less significant than this is taken for plain scatter (common practice)."""


@dataclass(frozen=True)
class GaugeStudy:
    """What a study found, sd in the unit measured in."""

    repeatability: float  # one hand, the same cut again
    reproducibility: float  # between hands, 0 for one
    cuts: float  # between the cuts themselves
    by_ranges: float  # repeatability by the mean range, for comparison
    has_interaction: bool  # whether some hand measures some cuts differently

    @property
    def whole(self) -> float:
        """One reading by any of these hands."""
        return float(np.hypot(self.repeatability, self.reproducibility))


def gauge_study(readings: Array) -> GaugeStudy:
    """Take scatter apart: of repeats, of hands, of the cuts.

    Two-way crossed analysis of variance with random effects; the interaction is pooled with the
    repeats where its F test gives more than 0.25; components below zero are zero. Arguments:
    ``readings`` (people, cuts, repeats) in one unit, nothing missing, at least 1 x 2 x 2. Returns a GaugeStudy.
    Raises InputError for a smaller study or one with gaps. Source: the method of AIAG, *Measurement
    Systems Analysis*, 3rd edition 2002, checked against its worked example (data from memory).

    >>> one = gauge_study(np.array([[[1.0, 1.2], [2.0, 2.2], [3.0, 3.2]]]))
    >>> round(one.repeatability, 4), one.reproducibility
    (0.1414, 0.0)
    """
    if readings.ndim != 3 or readings.shape[1] < 2 or readings.shape[2] < 2 or not readings.size:
        raise InputError("readings", "needs at least two cuts, each measured twice by everyone")
    if not np.isfinite(readings).all():
        raise InputError("readings", "everyone must have measured every cut as often as the others")
    people, cuts, repeats = readings.shape
    mean = readings.mean()
    of_people, of_cuts, of_cells = readings.mean(axis=(1, 2)), readings.mean(axis=(0, 2)), readings.mean(axis=2)
    ss_people = cuts * repeats * float(((of_people - mean) ** 2).sum())
    ss_cuts = people * repeats * float(((of_cuts - mean) ** 2).sum())
    ss_cells = repeats * float(((of_cells - of_people[:, None] - of_cuts[None, :] + mean) ** 2).sum())
    ss_rest = float(((readings - of_cells[:, :, None]) ** 2).sum())
    df_cells, df_rest = (people - 1) * (cuts - 1), people * cuts * (repeats - 1)
    ms_rest = ss_rest / df_rest
    ms_cells = ss_cells / df_cells if df_cells else 0.0
    significance = float(fdtrc(df_cells, df_rest, ms_cells / ms_rest)) if df_cells and ms_rest > 0 else 1.0
    has_interaction = df_cells > 0 and significance <= POOL_ABOVE
    if not has_interaction:
        ms_rest = ms_cells = (ss_rest + ss_cells) / (df_rest + df_cells)
    ms_people = ss_people / (people - 1) if people > 1 else ms_cells
    hands = max(0.0, (ms_people - ms_cells) / (cuts * repeats))
    both = max(0.0, (ms_cells - ms_rest) / repeats)
    between_cuts = max(0.0, (ss_cuts / (cuts - 1) - ms_cells) / (people * repeats))
    by_ranges = float(np.ptp(readings, axis=2).mean()) / mean_range(repeats)
    return GaugeStudy(
        float(ms_rest**0.5), float((hands + both) ** 0.5), float(between_cuts**0.5), by_ranges, has_interaction
    )


@cache
def mean_range(count: int) -> float:
    """The expected range of so many standard normal readings, d2 of the control-chart tables.

    The integral of 1 - F^n - (1 - F)^n (Tippett, *Biometrika* 17, 1925). Arguments: ``count`` at
    least 2. Raises nothing.

    >>> [round(mean_range(n), 3) for n in (2, 3, 4, 5, 10)]
    [1.128, 1.693, 2.059, 2.326, 3.078]
    """
    x = np.linspace(-9.0, 9.0, 3601)
    below = ndtr(x)
    return float(np.trapezoid(1 - below**count - (1 - below) ** count, x))
