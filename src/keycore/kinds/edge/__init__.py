"""Keys cut on an edge: a wheel goes along the blade and leaves a root at each space.

Heights are measured on one edge: families measured across both roots give half of every value to each.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from functools import cache
from typing import TYPE_CHECKING, Any

from keycore.coordinate import Coordinate
from keycore.family import Family, Track
from keycore.kind import Kind, Surface
from keycore.tools import Tool, Wheel
from keycore.units import NOTHING

if TYPE_CHECKING:
    from keycore.kind import Cutting


def edge_values(family: Family, values: Sequence[float]) -> tuple[float, ...]:
    """Depth values as heights on one edge: halved where the table is measured across.

    Arguments: ``values`` (n,) family unit. Returns (n,). Raises nothing.
    """
    return tuple(value * family.share_per_edge for value in values)


def macs_of_wheel(family: Family, track: Track, fitted: Tool | None = None) -> int | None:
    """The largest step between neighbours that leaves every root's whole flat.

    The largest m such that any two depths at most m steps apart satisfy |v_a - v_b| T <= pitch - f
    at the smallest spacing. Arguments: a family, its track, and a wheel other than the family's
    own if one is fitted. Returns 0 to d - 1, or None without a wheel or with fewer than two spaces.
    Raises nothing. Check: pitch 0.15625, flat 0.031, angle 100 and steps of 0.015 give 7
    (common practice, no source).
    """
    wheel, pitch = fitted or track.tool, track.pitch
    if not isinstance(wheel, Wheel) or pitch is None:
        return None
    values = edge_values(family, track.values)
    room = pitch - wheel.flat + NOTHING
    for m in range(1, len(values)):
        if max(abs(b - a) for a, b in zip(values, values[m:], strict=False)) * wheel.slope > room:
            return m - 1
    return len(values) - 1


def macs_working(family: Family) -> str:
    """How the geometry's own MACS is worked out, in a sentence. Raises nothing."""
    half = "; half of each difference, since the table measures across both roots" if family.share_per_edge < 1 else ""
    return (
        "The largest m such that any two depths at most m steps apart keep |difference| · tan(angle / 2) within the "
        f"smallest spacing less the flat{half}."
    )


def uncut(family: Family, track: Track) -> float | None:
    """The blank's own height, which no cut is above; None without a blank. Raises nothing."""
    return family.blank.height if family.blank else None


def assumed(family: Family, given: Mapping[str, Any]) -> Iterable[str]:
    """What a document of these kinds, the data ``given``, leaves out, in sentences. Raises nothing."""
    for track in family.tracks:
        if track.tool is None:
            yield f"cut of track {track.name}: not known, so that nothing of it can be planned or drawn as cut."
        elif track.tumbler is None:
            yield f"tumbler of track {track.name}: taken as round, of the radius of the cut’s flat."


@cache
def cuts() -> Cutting:
    """How keys of this kind are cut; brought in when it is first asked for. Raises nothing."""
    from keycore.kinds.edge.cutting import CUTTING

    return CUTTING


KIND = Kind(
    id="edge",
    surface=Surface.EDGE,
    space=Coordinate("from the gauge"),
    depth=Coordinate("left at the root"),
    falls_when_deeper=True,
    track_word="Edge",
    usual_entry="; a blade cut on one edge usually goes in one way only",
    assumed=assumed,
    uncut=uncut,
    macs_geometric=macs_of_wheel,
    macs_working=macs_working,
    cuts=cuts,
)
