"""Keys with conical holes in their faces, in rows; what is left under a hole codes.

An inner hole stands in the middle of an outer one, of a smaller drill and deeper.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cache
from math import radians, sin, tan
from typing import TYPE_CHECKING, Any

from keycore.coordinate import Coordinate
from keycore.errors import InputError
from keycore.family import Family, Track
from keycore.kind import Aid, Kind, Surface
from keycore.tools import Drill, Tool
from keycore.units import NOTHING

if TYPE_CHECKING:
    from keycore.kind import Cutting

FACES = ("front", "back")
LEAST_UNDER = 0.3 / 25.4
"""The thinnest metal under a hole, inches, where the family does not say: common practice, no source."""


@dataclass(frozen=True, slots=True)
class Row:
    """Where the holes of a track are on its face."""

    away: float | None  # of the row's line from the reference edge, family unit
    inside: str = ""  # the track whose holes these are drilled in the middle of


def row_of(track: Track) -> Row:
    """The row of a track; one of no known place where its document does not say. Raises nothing."""
    return track.own if isinstance(track.own, Row) else Row(None)


def least_under(family: Family) -> float:
    """The thinnest metal that may be left under a hole, family unit. Raises nothing."""
    return family.own if isinstance(family.own, float) else family.lengths.of_inches(LEAST_UNDER)


def slope(drill: Drill) -> float:
    """How far a hole of a ``drill`` widens to each side for one unit of depth: tan(angle / 2). Raises nothing."""
    return tan(radians(drill.angle) / 2)


def check(family: Family) -> Iterable[InputError]:
    """What is wrong with the rows of a family. Raises nothing."""
    rows = {track.name: row_of(track) for track in family.tracks}
    faces = {track.name: track.face for track in family.tracks}
    for place, track in enumerate(family.tracks):
        inside, where = rows[track.name].inside, f"tracks[{place}].inside"
        if not inside:
            continue
        if inside not in rows or inside == track.name:
            yield InputError(where, f"there is no other track {inside!r}")
        elif rows[inside].inside:
            yield InputError(where, f"track {inside} is an inner one itself")
        elif faces[inside] != track.face:
            yield InputError(where, f"track {inside} is on the {faces[inside]} face, this one on the {track.face}")


def macs_of_drill(family: Family, track: Track, fitted: Tool | None = None) -> int | None:
    """The largest step between neighbours that leaves the whole tip: |difference| tan(angle / 2) <= pitch - tip.

    Arguments: a ``family``, its ``track``, and a drill ``fitted`` in place of the family's own. Returns 0 to d - 1;
    0 where the smallest pitch is less than the tip, None without a drill or with fewer than two spaces. Raises nothing.
    """
    drill, pitch = fitted or track.tool, track.pitch
    if not isinstance(drill, Drill) or pitch is None:
        return None
    room = pitch - drill.tip + NOTHING
    for m in range(1, len(track.values)):
        if max(abs(b - a) for a, b in zip(track.values, track.values[m:], strict=False)) * slope(drill) > room:
            return m - 1
    return len(track.values) - 1 if room >= 0 else 0


def macs_working(family: Family) -> str:
    """How the geometry's own MACS is worked out, in a sentence. Raises nothing."""
    return (
        "The largest m such that any two depths at most m steps apart keep |difference| · tan(angle / 2) within the "
        "smallest spacing less the tip."
    )


def assumed(family: Family, given: Mapping[str, Any]) -> Iterable[str]:
    """What a document, the data ``given``, leaves out, in sentences. Raises nothing."""
    for track in family.tracks:
        if track.tool is None or row_of(track).away is None:
            yield f"drill or row of track {track.name}: not known, so that nothing of it can be planned or drawn."
    if family.own is None:
        yield "least_under: 0.3 mm; common practice, no source."


def uncut(family: Family, track: Track) -> float | None:
    """The blank's thickness, which no hole leaves more than; None without a blank. Raises nothing."""
    return family.blank.thickness if family.blank else None


def over_ball(family: Family, track: Track, diameter: float) -> tuple[float, float]:
    """A ball in the hole: it rests R / sin(a / 2) - R - (tip / 2) / tan(a / 2) above the floor; see ``Aid``.

    At least 0: a small ball rests on the floor itself.
    """
    drill = track.tool
    if not isinstance(drill, Drill):
        raise InputError(f"family.tracks.{track.name}.drill", "needed to measure with a ball")
    half, radius = radians(drill.angle) / 2, diameter / 2
    return 1.0, -max(0.0, radius / sin(half) - radius - drill.tip / 2 / tan(half))


def over_gauge(family: Family, track: Track, diameter: float) -> tuple[float, float]:
    """A flat pin gauge: one wider than the tip stands (d - tip) / 2 / tan(a / 2) above the floor; see ``Aid``.

    At least 0: one as narrow as the tip stands on the floor itself.
    """
    drill = track.tool
    if not isinstance(drill, Drill):
        raise InputError(f"family.tracks.{track.name}.drill", "needed to measure with a gauge")
    return 1.0, -max(0.0, (diameter - drill.tip) / 2 / slope(drill))


AIDS = (
    Aid(
        "ball", "with a ball in the hole", "The ball’s diameter", over_ball,
        "A ball of radius R rests R / sin(angle / 2) − R − (tip / 2) / tan(angle / 2) above the floor of the hole.",
    ),
    Aid(
        "pin-gauge", "with a pin gauge in the hole", "The gauge’s diameter", over_gauge,
        "A flat gauge wider than the tip stands (its diameter − tip) / 2 / tan(angle / 2) above the floor of the hole.",
    ),
)  # fmt: skip


@cache
def cuts() -> Cutting:
    """How keys of this kind are cut; brought in when it is first asked for. Raises nothing."""
    from keycore.kinds.dimple.cutting import CUTTING

    return CUTTING


KIND = Kind(
    id="dimple",
    surface=Surface.HOLE,
    space=Coordinate("from the gauge, on its row"),
    depth=Coordinate("left under the hole"),
    falls_when_deeper=True,
    check=check,
    assumed=assumed,
    uncut=uncut,
    macs_geometric=macs_of_drill,
    macs_working=macs_working,
    aids=AIDS,
    cuts=cuts,
)
