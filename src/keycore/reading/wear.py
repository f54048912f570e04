"""What wear to expect of a key by the look of it, and how well calipers read a cut.

The figures are common practice, no source. They are written in inches of metal gone from one
edge and carried into the family's own unit, direction and way of measuring.
"""

from __future__ import annotations

from collections.abc import Sequence
from enum import StrEnum
from math import sqrt

from keycore.cutting.intent import deeper
from keycore.family import Family, Track
from keycore.reading.evidence import Measured, Spread
from keycore.units import Unit, convert


class WearGrade(StrEnum):
    """How worn a key looks before anything is measured."""

    NEW = "new"
    SOME = "some"
    UNSURE = "unsure"
    WELL_WORN = "well-worn"


OFFSET = {
    WearGrade.NEW: Spread(0.0005, 0.0012),
    WearGrade.SOME: Spread(0.0030, 0.0025),
    WearGrade.UNSURE: Spread(0.0040, 0.0040),
    WearGrade.WELL_WORN: Spread(0.0080, 0.0040),
}
"""Metal gone everywhere alike, inches."""

TIP = {
    WearGrade.NEW: Spread(0.0003, 0.0010),
    WearGrade.SOME: Spread(0.0010, 0.0020),
    WearGrade.UNSURE: Spread(0.0010, 0.0030),
    WearGrade.WELL_WORN: Spread(0.0030, 0.0040),
}
"""How much more is gone at the tip's end than at the bow's, inches."""

CUT_SD = 0.0012
"""A cut's own unevenness: no repeat removes it; inches."""

CALIPER_SD = 0.0010
"""One reading of a caliper by hand, inches."""


def sd_of_repeats(repeats: int, cut_sd: float, instrument_sd: float) -> float:
    """The sd of the mean of some readings of one cut: sqrt(cut**2 + instrument**2 / n).

    Arguments: ``repeats`` at least 1; both sds in one unit, which the answer shares. Raises
    nothing.

    >>> round(sd_of_repeats(1, 0.0012, 0.0010), 5), round(sd_of_repeats(4, 0.0012, 0.0010), 5)
    (0.00156, 0.0013)
    """
    return sqrt(cut_sd**2 + instrument_sd**2 / repeats)


def measured_by_caliper(
    family: Family, track: Track, readings: Sequence[Sequence[float]], grade: WearGrade = WearGrade.UNSURE
) -> Measured:
    """Caliper readings as evidence, with the wear that such a key is expected to have.

    Arguments: ``readings`` (n,) lists of the values read at each space, family unit and order,
    empty where nothing was read; ``grade`` how worn the key looks. Returns a Measured with the
    means of the repeats. Raises nothing.
    """
    one = convert(1.0, Unit.INCH, family.unit)
    edges = 1 / family.share_per_edge  # measured across, both edges wear
    down = deeper(track, one * edges)
    offset, tip = OFFSET[grade], TIP[grade]
    return Measured(
        values=tuple(sum(values) / len(values) if values else None for values in readings),
        sd=tuple(sd_of_repeats(max(len(values), 1), CUT_SD * one, CALIPER_SD * one) for values in readings),
        offset=Spread(offset.mean * down, offset.sd * abs(down)),
        tip=Spread(tip.mean * down, tip.sd * abs(down)),
    )
