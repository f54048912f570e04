"""Tubes with slots in their ends: a space is an angle round the end, a depth is how far the slot goes in.

Angles are clockwise as seen looking at the key's end, from the locating nib. Seen at the lock's face they run the other
way: what is read there is turned round before it is believed.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cache
from math import pi, radians
from typing import TYPE_CHECKING, Any

from keycore.coordinate import FULL_TURN, Coordinate, Quantity
from keycore.errors import InputError
from keycore.family import End, Family, Gauge, Track
from keycore.kind import Kind, Surface
from keycore.tools import Slotter
from keycore.units import NOTHING

if TYPE_CHECKING:
    from keycore.kind import Cutting


@dataclass(frozen=True, slots=True)
class Tube:
    """The tube that slots are cut in: diameters, family unit."""

    outer: float
    inner: float

    @property
    def middle_radius(self) -> float:
        """Of the circle half-way through its wall.

        >>> Tube(9.6, 7.9).middle_radius
        4.375
        """
        return (self.outer + self.inner) / 4


def tube_of(family: Family) -> Tube | None:
    """The tube of a family, None where its document does not say. Raises nothing."""
    return family.own if isinstance(family.own, Tube) else None


def check(family: Family) -> Iterable[InputError]:
    """What is wrong with a family of tubes: its counting, its spaces, slots wider than the bore. Raises nothing."""
    if family.gauge != Gauge.SHOULDER:
        yield InputError("gauge", "must be shoulder: spaces of a tubular key are angles from the nib")
    if family.numbered_from != End.BOW:
        yield InputError("numbered_from", "must be bow: angles are given as seen at the key's end")
    tube = tube_of(family)
    if tube is not None and tube.inner >= tube.outer:
        yield InputError("tube.inner", "must be less than tube.outer")
    for place, track in enumerate(family.tracks):
        if not all(0 <= angle < FULL_TURN for angle in track.spaces):
            yield InputError(f"tracks[{place}].spaces", "must lie from 0 to less than 360 degrees")
        if tube is not None and isinstance(track.tool, Slotter) and track.tool.width >= tube.inner:
            yield InputError(f"tracks[{place}].slot.width", "must be less than tube.inner")


def assumed(family: Family, given: Mapping[str, Any]) -> Iterable[str]:
    """What a document, the data ``given``, leaves out, in sentences. Raises nothing."""
    if tube_of(family) is None:
        yield "tube: not known, so that nothing of it can be planned or drawn."
    for track in family.tracks:
        if track.tool is None:
            yield f"slot of track {track.name}: not known, so that nothing of it can be planned or drawn as cut."


def uncut(family: Family, track: Track) -> float | None:
    """Nothing of the end is gone. Raises nothing."""
    return 0.0


def view_size(family: Family) -> tuple[float, float] | None:
    """The tube unrolled: round its middle circle, and as long as it is; None before both are known. Raises nothing."""
    tube = tube_of(family)
    return (2 * pi * tube.middle_radius, family.blank.length) if tube is not None and family.blank is not None else None


def along_view(family: Family, angle: float) -> float:
    """The arc from the nib to an ``angle`` in degrees, on the middle circle; 0 where that is not known.

    Raises nothing.
    """
    tube = tube_of(family)
    return tube.middle_radius * radians(angle) if tube is not None else 0.0


def mirrored(track: Track) -> tuple[int, ...] | None:
    """Which space is meant by each, where a reading was made at the lock's face: 360 degrees less its angle.

    Arguments: the ``track``. Returns (n,) spaces from 1, the one on the key for each counted at the face; None where
    the spaces are not symmetrical about the nib, so that there is no such counting. Raises nothing.

    >>> from keycore.family import Depth
    >>> mirrored(Track("A", (45.0, 90.0, 180.0, 270.0, 315.0), (Depth("1", 0.4),)))
    (5, 4, 3, 2, 1)
    >>> mirrored(Track("A", (30.0, 90.0), (Depth("1", 0.4),))) is None
    True
    """
    found = []
    for angle in track.spaces:
        other = (FULL_TURN - angle) % FULL_TURN
        match = [space for space, each in enumerate(track.spaces, start=1) if abs(each - other) < NOTHING]
        if not match:
            return None
        found.append(match[0])
    return tuple(found)


def why_not_turned(track: Track) -> str:
    """Why what was read at the lock's face of a ``track`` cannot be counted as the key is; "" where it can.

    Raises nothing.
    """
    if mirrored(track) == tuple(range(len(track.spaces), 0, -1)):
        return ""
    return "its spaces do not lie alike on both sides of the nib: what is read at the lock's face has no counting here"


@cache
def cuts() -> Cutting:
    """How keys of this kind are cut; brought in when it is first asked for. Raises nothing."""
    from keycore.kinds.tubular.cutting import CUTTING

    return CUTTING


KIND = Kind(
    id="tubular",
    surface=Surface.END,
    space=Coordinate("round the end from the nib", Quantity.ANGLE, is_round=True),
    depth=Coordinate("from the end"),
    falls_when_deeper=False,
    ends=("the nib, as seen at the key’s end", "the nib, as seen at the lock’s face"),
    why_not_turned=why_not_turned,
    check=check,
    assumed=assumed,
    uncut=uncut,
    view_size=view_size,
    along_view=along_view,
    cuts=cuts,
)
