"""Side mills: what a tracer unlike its mill does to a track, where to lock the depth, what a proof says to move."""

from __future__ import annotations

from dataclasses import dataclass

from keycore.errors import InputError

CLEARANCE = 0.254  # mm (0.010 in) so that the tracer does not drag: one machine's example, no source
FEWEST_MM, MOST_MM = 0.3, 12.0  # a mill's diameter


@dataclass(frozen=True, slots=True)
class MillSetting:
    """What a setting will do, mm: positive is a track too wide, or too deep."""

    wider: float
    lock_at: float | None  # reading of the depth stop
    groove: float | None  # how deep the pattern's track is, by the two readings
    lift: float  # of the tracer alone, afterwards; the stop lifted instead would cut so much too shallow

    @property
    def wider_by(self) -> float:
        """How much the widths differ, without the sign."""
        return abs(self.wider)


@dataclass(frozen=True, slots=True)
class MillCorrection:
    """What a proving cut says to do, mm; 0 where it is within what can be measured."""

    lower_by: float  # the mill against the tracer; negative: raise it
    wider: float  # a width no height mends: mill and tracer differ, or the mill runs out

    @property
    def too_deep(self) -> float:
        """By how much the copy is too deep; 0 where it is not."""
        return max(0.0, -self.lower_by)

    @property
    def wider_by(self) -> float:
        """How much the widths differ, without the sign."""
        return abs(self.wider)


def set_side_mill(
    tracer: float, mill: float, touched: float | None = None, floor: float | None = None, clearance: float = CLEARANCE
) -> MillSetting:
    """Work out a side mill's setting for one pattern key.

    A tracer of diameter a in a track of width w moves by w - a; a mill of diameter b then cuts
    w - a + b, so the track is wider by b - a. Touched at ``touched`` on two like flats, the tracer on
    the track's floor at ``floor``: the track is the difference deep and the stop is locked at the
    floor; then the tracer alone is lifted by the clearance, so that the mill reaches the depth and
    the tracer does not drag. Arguments in mm, stop readings growing downwards. Returns a
    MillSetting. Raises InputError for diameters no mill has, a floor above the flat, or a clearance
    below 0 or as deep as the track.

    >>> set_side_mill(2.5, 2.5, 10.0, 11.2)
    MillSetting(wider=0.0, lock_at=11.2, groove=1.2, lift=0.254)
    >>> set_side_mill(2.4, 2.5).wider
    0.1
    """
    for name, size in (("tracer", tracer), ("mill", mill)):
        if not FEWEST_MM <= size <= MOST_MM:
            raise InputError(name, f"a diameter between {FEWEST_MM:g} and {MOST_MM:g} mm is wanted")
    wider = round(mill - tracer, 4)
    if touched is None or floor is None:
        return MillSetting(wider, None, None, clearance)
    groove = round(floor - touched, 4)
    if groove <= 0:
        raise InputError("floor", "the track's floor reads no deeper than the flat")
    if not 0 <= clearance < groove:
        raise InputError("clearance", "it is at least 0 and less than the track is deep")
    return MillSetting(wider, floor, groove, clearance)


def correct_side_mill(pattern: tuple[float, float], copy: tuple[float, float], sd: float) -> MillCorrection:
    """What the proving cut's (depth, width) beside the pattern's say, mm.

    A difference within two standard deviations of the difference of two measurements is nothing.
    Arguments: depth and width of the pattern's track and of the copy's, ``sd`` of one measurement.
    Returns a MillCorrection. Raises nothing.

    >>> correct_side_mill((1.2, 3.0), (1.1, 3.0), 0.01)
    MillCorrection(lower_by=0.1, wider=0.0)
    """
    least = 2 * 2**0.5 * sd
    deeper, wider = copy[0] - pattern[0], copy[1] - pattern[1]
    return MillCorrection(
        round(-deeper, 4) if abs(deeper) > least else 0.0, round(wider, 4) if abs(wider) > least else 0.0
    )
