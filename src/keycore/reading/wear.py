"""What wear to expect of a key by the look of it.

The figures are common practice, no source, tried on keys made up for the purpose. They are
written in inches of metal gone from one edge and carried into the family's own unit, direction
and way of measuring.
"""

from __future__ import annotations

from dataclasses import replace
from enum import StrEnum

from keycore.cutting.intent import deeper
from keycore.family import Family, Track
from keycore.reading.evidence import Local, Spread


class WearGrade(StrEnum):
    """How worn a key looks before anything is measured: factory new, or a copy whose machine's error is its wear."""

    NEW = "new"
    COPY = "copy"
    SOME = "some"
    UNSURE = "unsure"
    WELL_WORN = "well-worn"


OFFSET = {
    WearGrade.NEW: Spread(0.0005, 0.0012),
    WearGrade.COPY: Spread(0.0020, 0.0035),
    WearGrade.SOME: Spread(0.0030, 0.0025),
    WearGrade.UNSURE: Spread(0.0045, 0.0038),
    WearGrade.WELL_WORN: Spread(0.0080, 0.0040),
}
"""Metal gone everywhere alike, inches."""

TIP = {
    WearGrade.NEW: Spread(0.0003, 0.0010),
    WearGrade.COPY: Spread(0.0, 0.0),
    WearGrade.SOME: Spread(0.0010, 0.0020),
    WearGrade.UNSURE: Spread(0.0020, 0.0030),
    WearGrade.WELL_WORN: Spread(0.0030, 0.0040),
}
"""How much more is gone at the tip's end than at the bow's, inches."""

UNEVENNESS = {
    WearGrade.NEW: 0.0012,
    WearGrade.COPY: 0.0012,
    WearGrade.SOME: 0.0018,
    WearGrade.UNSURE: 0.0022,
    WearGrade.WELL_WORN: 0.0022,
}
"""How much a cut's depth strays from what its neighbours' wear would have it, inches.

No repeat removes it. High points wear more and some cuts wear alone, so a worn key is more uneven
than a new one. Chosen so that claims of 90 in 100 hold on keys whose wear follows no model; see
``docs/computation.md``, "How far its claims hold".
"""

ANY_CUT = Local(chance=0.045, deep=Spread(0.0080, 0.0035), shallow=Spread(0.0055, 0.0030), share_deep=0.8)
"""How often, and how far in inches, one cut of a key reads off by itself though nobody saw why: a nick 4 to 12
thou deep, dirt in the root. Of a made-up population stated in ``docs/computation.md``; no source."""


class CutMark(StrEnum):
    """What the smith sees of one cut."""

    NICKED = "nicked"
    DIRTY = "dirty"
    BURRED = "burred"
    ON_RAMP = "on-ramp"


MARKED = {
    CutMark.NICKED: Local(0.85, Spread(0.0080, 0.0035), Spread(0.0055, 0.0030), share_deep=1.0),
    CutMark.DIRTY: Local(0.85, Spread(0.0080, 0.0035), Spread(0.0055, 0.0030), share_deep=0.0),
    CutMark.BURRED: Local(0.70, Spread(0.0080, 0.0035), Spread(0.0030, 0.0020), share_deep=0.0),
    CutMark.ON_RAMP: Local(0.85, Spread(0.0080, 0.0035), Spread(0.0050, 0.0035), share_deep=0.0),
}
"""The same of a cut that the smith says something of: it most likely reads off, and which way; no source."""


def local_of(family: Family, mark: CutMark | None) -> Local:
    """How a cut may read off by itself, in the family's unit and way of measuring.

    Arguments: a family; what the smith sees of the cut, None for nothing. Returns a Local. Raises nothing.

    >>> from keycore.documents.family import read_family
    >>> harbour = read_family("harbour-five")
    >>> local_of(harbour, None).chance, local_of(harbour, CutMark.NICKED).share_deep
    (0.045, 1.0)
    """
    local = ANY_CUT if mark is None else MARKED[mark]
    one = family.per_inch
    return replace(
        local,
        deep=Spread(local.deep.mean * one, local.deep.sd * one),
        shallow=Spread(local.shallow.mean * one, local.shallow.sd * one),
    )


def counts_for(sd: float, local: Local, unmarked: Local) -> float:
    """How much a marked cut's value still tells of its depth, beside the same cut unmarked: from 0 to 1.

    The ratio of the variances of what is read about what is there. Arguments: ``sd`` of the reading and two Locals
    in one unit. Raises nothing.

    >>> counts_for(0.002, MARKED[CutMark.NICKED], ANY_CUT) < 0.5
    True
    """
    return min(1.0, _variance(sd, unmarked) / _variance(sd, local))


def _variance(sd: float, local: Local) -> float:
    deep, shallow = local.chance * local.share_deep, local.chance * (1 - local.share_deep)
    mean = shallow * local.shallow.mean - deep * local.deep.mean
    square = deep * (local.deep.mean**2 + local.deep.sd**2) + shallow * (local.shallow.mean**2 + local.shallow.sd**2)
    return sd**2 + square - mean**2


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
    down = deeper(track, family.per_inch / family.share_per_edge)
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
