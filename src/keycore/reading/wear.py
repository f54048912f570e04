"""What wear to expect of a key by the look of it.

The figures are common practice, no source, tried on keys made up for the purpose. They are
written in inches of metal gone from one edge and carried into the family's own unit, direction
and way of measuring.
"""

from __future__ import annotations

from enum import StrEnum

from keycore.cutting.intent import deeper
from keycore.family import Family, Track
from keycore.reading.evidence import Spread
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
    WearGrade.UNSURE: Spread(0.0045, 0.0038),
    WearGrade.WELL_WORN: Spread(0.0080, 0.0040),
}
"""Metal gone everywhere alike, inches."""

TIP = {
    WearGrade.NEW: Spread(0.0003, 0.0010),
    WearGrade.SOME: Spread(0.0010, 0.0020),
    WearGrade.UNSURE: Spread(0.0020, 0.0030),
    WearGrade.WELL_WORN: Spread(0.0030, 0.0040),
}
"""How much more is gone at the tip's end than at the bow's, inches."""

UNEVENNESS = {
    WearGrade.NEW: 0.0012,
    WearGrade.SOME: 0.0018,
    WearGrade.UNSURE: 0.0022,
    WearGrade.WELL_WORN: 0.0022,
}
"""How much a cut's depth strays from what its neighbours' wear would have it, inches.

No repeat removes it. High points wear more and some cuts wear alone, so a worn key is more uneven
than a new one. Chosen so that claims of 90 in 100 hold on keys whose wear follows no model; see
``docs/computation.md``, "How far its claims hold".
"""

A_YEAR = Spread(0.0008, 0.0006)
"""Metal gone in a year of daily use, inches: a key is well worn after some ten; common practice, no source."""
DAYS_A_YEAR = 365.25


def expected_wear(family: Family, track: Track, grade: WearGrade) -> tuple[Spread, Spread]:
    """How far a key's cuts are expected to read from its depths, all alike and more towards the tip.

    Arguments: a family's track and how worn the key looks. Returns two Spreads in the family's unit,
    direction and way of measuring: across both edges, both edges wear. Raises nothing.

    >>> from keycore.documents.family import read_family
    >>> harbour = read_family("harbour-five")
    >>> expected_wear(harbour, harbour.tracks[0], WearGrade.SOME)[0]
    Spread(mean=-0.003, sd=0.0025)
    """
    down = deeper(track, convert(1.0, Unit.INCH, family.unit) / family.share_per_edge)
    offset, tip = OFFSET[grade], TIP[grade]
    return Spread(offset.mean * down, offset.sd * abs(down)), Spread(tip.mean * down, tip.sd * abs(down))


def worn_after(days: float) -> Spread:
    """How much metal a key made here has lost everywhere alike after so many days in use, inches.

    Grows with time, its doubt with it: on the day it was made nothing is gone. Arguments: ``days``,
    at least 0 (less counts as 0). Returns a Spread. Raises nothing.

    >>> worn_after(0), round(worn_after(30).mean, 6)
    (Spread(mean=0.0, sd=0.0), 6.6e-05)
    """
    years = max(0.0, days) / DAYS_A_YEAR
    return Spread(A_YEAR.mean * years, A_YEAR.sd * years)
