"""Keys of turning discs: a space is where along the blade a disc stands, a depth is the angle of its cut.

A second flat does not replace the first, discs would float on the two: such keys are never cut again.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from functools import cache
from math import degrees, pi
from typing import TYPE_CHECKING, Any

from keycore.coordinate import FULL_TURN, Coordinate, Quantity
from keycore.family import Family
from keycore.kind import Kind, Surface

if TYPE_CHECKING:
    from keycore.kind import Cutting

USUAL_BLADE = 0.2
"""The round that flats are cut in, inches, where neither blade nor blank is known: common practice, no source."""


def blade_of(family: Family) -> float | None:
    """The diameter of the round that flats are cut in, family unit; the blank's height where the document does not say.

    Raises nothing.
    """
    said = family.tracks[0].own
    if isinstance(said, float):
        return said
    return family.blank.height if family.blank is not None else None


def per_inch(family: Family) -> float:
    """How many degrees an inch of metal is at the blade's surface: an arc is its radius times its angle.

    Raises nothing.

    >>> from keycore.documents.family import read_family
    >>> round(per_inch(read_family("lantern-nine")), 2)  # 25.4 mm at a radius of 2.2 mm
    661.51
    """
    blade = blade_of(family) or family.lengths.of_inches(USUAL_BLADE)
    return degrees(family.lengths.of_inches(1.0) / (blade / 2))


def assumed(family: Family, given: Mapping[str, Any]) -> Iterable[str]:
    """What a document, the data ``given``, leaves out, in sentences. Raises nothing."""
    for track in family.tracks:
        if track.tool is None:
            yield f"cut_width of track {track.name}: not known, so that nothing of it can be planned or drawn as cut."
        if track.own is None:
            yield f"blade of track {track.name}: taken to be as wide as the blank is high."
    if family.recut is None:
        yield "recut: never; a second flat does not replace the first."


def around(family: Family) -> float:
    """How far it is round the blade: pi times its diameter, family unit. Raises nothing."""
    return pi * (blade_of(family) or family.lengths.of_inches(USUAL_BLADE))


BELOW, ABOVE = 14.0, 42.0
"""Degrees of the round that a view shows beyond the least and the greatest angle of a table."""


def angle_view(family: Family) -> tuple[float, float]:
    """From which angle to which the blade is shown unrolled, degrees. Raises nothing."""
    values = [value for track in family.tracks for value in track.values]
    return min(values) - BELOW, max(values) + ABOVE


def height_at(family: Family, angle: float) -> float:
    """How high above the lower edge of that view an ``angle`` in degrees lies, family unit. Raises nothing."""
    return (angle - angle_view(family)[0]) / FULL_TURN * around(family)


def view_size(family: Family) -> tuple[float, float] | None:
    """The blade unrolled: as long as it is, and as far round as its angles go; None without a blank. Raises nothing."""
    return (family.blank.length, height_at(family, angle_view(family)[1])) if family.blank is not None else None


@cache
def cuts() -> Cutting:
    """How keys of this kind are cut; brought in when it is first asked for. Raises nothing."""
    from keycore.kinds.rotary.cutting import CUTTING

    return CUTTING


KIND = Kind(
    id="rotary",
    surface=Surface.ROUND,
    space=Coordinate("from the gauge"),
    depth=Coordinate("angle of the cut", Quantity.ANGLE, is_round=True),
    falls_when_deeper=None,
    can_be_recut=False,
    looks=frozenset({"swings"}),
    no_looks=frozenset({"probe", "depth-keys", "pins", "compared"}),
    assumed=assumed,
    per_inch=per_inch,
    view_size=view_size,
    cuts=cuts,
)
