"""The two units of length. Inside the core a length is a plain number in its document's unit."""

from __future__ import annotations

from enum import StrEnum

MM_PER_INCH = 25.4
"""Millimetres in one inch, exactly (international yard and pound agreement, 1959)."""

NOTHING = 1e-9  # lengths below this are nothing, in either unit


class Unit(StrEnum):
    """The unit a document's lengths are written in."""

    INCH = "in"
    MILLIMETRE = "mm"


def convert(length: float, source: Unit, target: Unit) -> float:
    """Carry a length from one unit to the other.

    Arguments: ``length`` in ``source``; returns it in ``target``. Raises nothing.

    >>> convert(1.0, Unit.INCH, Unit.MILLIMETRE)
    25.4
    >>> convert(0.3, Unit.INCH, Unit.INCH)
    0.3
    """
    if source == target:
        return length
    return length * MM_PER_INCH if target == Unit.MILLIMETRE else length / MM_PER_INCH
