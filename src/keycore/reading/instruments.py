"""What each instrument on the bench reads, as evidence: calipers, a probe, a decoding machine, pins.

The standard deviations are common practice, no source, until a shop has measured its own.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from math import sqrt

from keycore.cutting.intent import deeper
from keycore.family import Family, Track
from keycore.reading.evidence import Measured, Rounded, Spread
from keycore.reading.wear import UNEVENNESS, CutMark, WearGrade, expected_wear, local_of
from keycore.units import Unit

CALIPER_SD = 0.0010
"""One reading of a caliper by hand, inches."""

RESOLVES = {Unit.INCH: 0.006, Unit.MILLIMETRE: 0.15}
COMPARED_SD = {Unit.INCH: 0.003, Unit.MILLIMETRE: 0.08}
"""How small a step an eye tells between two cuts, and how surely; common practice, no source."""

SHOP_STRAY = 0.005
"""How often one value in a shop's own reading is plain wrong (misread, mistyped), nicks and dirt aside; no source."""

PROBE_SD = 0.0015
"""One reading of a decoding machine's probe, which feels less than a hand; inches."""

PIN_SD = 0.0012
"""A bottom pin's length: how it was made and one reading of a caliper; inches."""

PLUG_FIGURE_SD = 0.0020
"""How well the plug's figure turns pin length into key depth, and how short its pins have worn; inches."""


def sd_of_repeats(repeats: int, cut_sd: float, instrument_sd: float) -> float:
    """The sd of the mean of some readings of one cut: sqrt(cut**2 + instrument**2 / n).

    Arguments: ``repeats`` at least 1; ``cut_sd`` and ``instrument_sd`` in one unit, which the answer shares. Raises
    nothing.

    >>> round(sd_of_repeats(1, 0.0012, 0.0010), 5), round(sd_of_repeats(4, 0.0012, 0.0010), 5)
    (0.00156, 0.0013)
    """
    return sqrt(cut_sd**2 + instrument_sd**2 / repeats)


def measured_by_caliper(
    family: Family,
    track: Track,
    readings: Sequence[Sequence[float]],
    grade: WearGrade = WearGrade.UNSURE,
    instrument_sd: float = CALIPER_SD,
    *,
    marks: Mapping[int, CutMark] | None = None,
    shared: int | None = None,
) -> Measured:
    """Caliper readings as evidence, with the wear that such a key is expected to have.

    Arguments: ``readings`` (n,) lists of the values read at each space, family unit and order,
    empty where nothing was read; ``grade`` how worn the key looks; ``instrument_sd`` of one
    reading, inches (``PROBE_SD`` for a probe); ``marks`` what is seen of single spaces, from 1; ``shared`` a number
    that passes of one caliper over one key by one hand have in common. Returns a Measured with the means of the
    repeats. Raises nothing.
    """
    one = family.per_inch
    offset, tip = expected_wear(family, track, grade)
    return Measured(
        values=_means(readings),
        sd=tuple(
            sd_of_repeats(max(len(values), 1), UNEVENNESS[grade] * one, instrument_sd * one) for values in readings
        ),
        offset=offset,
        tip=tip,
        local=tuple(local_of(family, (marks or {}).get(space)) for space in range(1, len(readings) + 1)),
        shared=shared,
    )


def rounded_by_machine(
    family: Family, track: Track, labels: Sequence[str | None], grade: WearGrade = WearGrade.UNSURE
) -> Rounded:
    """What a decoding machine says, as evidence: it rounds what its probe read to the nearest depth.

    Arguments: ``labels`` (n,) family order, None where it says nothing; ``grade`` how worn the key
    looks. Returns a Rounded. Raises InputError for a label that is none of the table's.

    >>> from keycore.documents.family import read_family
    >>> harbour = read_family("harbour-five")
    >>> rounded_by_machine(harbour, harbour.tracks[0], ["3", "6", None, "4", "1"]).steps
    (2, 5, None, 3, 0)
    """
    one = family.per_inch
    offset, tip = expected_wear(family, track, grade)
    return Rounded(
        steps=tuple(None if label is None else track.step(label) for label in labels),
        sd=(sd_of_repeats(1, UNEVENNESS[grade] * one, PROBE_SD * one),) * len(labels),
        offset=offset,
        tip=tip,
    )


def depth_under_pin(length: float, plug: float) -> float:
    """The depth value of the cut under a bottom pin: the plug's figure less the pin's length.

    Arguments: ``length`` of the pin and ``plug`` in one unit; the plug's figure is what root height and
    pin length add up to when the pin's top stands at the shear line. Raises nothing.

    >>> round(depth_under_pin(0.195, 0.500), 3)
    0.305
    """
    return plug - length


def measured_from_pins(family: Family, track: Track, lengths: Sequence[Sequence[float]], plug: float) -> Measured:
    """Bottom pins measured with calipers, as evidence about the key that lifts them to the shear line.

    Arguments: ``lengths`` (n,) lists of pin lengths read at each space, family unit, empty where the lock
    has no pin or it was not measured; ``plug`` the plug's figure, family unit. Returns a Measured whose
    offset is what the figure may be out by. Raises nothing.
    """
    one = family.per_inch
    return Measured(
        values=_means([[depth_under_pin(length, plug) for length in found] for found in lengths]),
        sd=tuple(sd_of_repeats(max(len(found), 1), PIN_SD * one, CALIPER_SD * one) for found in lengths),
        offset=Spread(0.0, abs(deeper(track, PLUG_FIGURE_SD * one))),
    )


def _means(readings: Sequence[Sequence[float]]) -> tuple[float | None, ...]:
    return tuple(sum(values) / len(values) if values else None for values in readings)
