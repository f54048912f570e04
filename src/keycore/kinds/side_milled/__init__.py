"""Keys with tracks milled into their faces: the distance of a step's or groove's wall from the reference edge codes.

The reference edge is the blade's lower one, y = 0. ``metal`` is the side of a wall on which metal stays.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cache
from itertools import pairwise
from math import radians, tan
from typing import TYPE_CHECKING, Any

from keycore.coordinate import Coordinate
from keycore.errors import InputError
from keycore.family import Family, Track
from keycore.kind import Aid, Kind, Surface
from keycore.tools import Tool
from keycore.units import NOTHING

if TYPE_CHECKING:
    from keycore.kind import Cutting

BELOW, ABOVE = "below", "above"
FACES, SIDES = ("front", "back"), ("top", "bottom")
LEAST_RIB = 0.5 / 25.4
"""The thinnest rib left between two walls, inches, where the family does not say: common practice, no source."""


@dataclass(frozen=True, slots=True)
class Wall:
    """What only a milled track has, lengths in the family's unit."""

    depth: float  # of the step or groove, from its face
    land: float  # length at a space that stands level
    ramp: float  # steepest that the wall goes from land to land, degrees
    metal: str  # the side of the wall that metal stays on: below or above
    turning: tuple[tuple[str, str], ...] = ()  # pairs seen before and after turning, "left>up", with their labels
    row: str = ""  # what tracks that are read by one row of readings share

    @property
    def slope(self) -> float:
        """How far the wall may move across for one unit along."""
        return tan(radians(self.ramp))


def wall_of(track: Track) -> Wall | None:
    """The wall of a track; None where its document does not say. Raises nothing."""
    return track.own if isinstance(track.own, Wall) else None


def least_rib(family: Family) -> float:
    """The thinnest rib that may be left between two walls, family unit. Raises nothing."""
    return family.own if isinstance(family.own, float) else family.lengths.of_inches(LEAST_RIB)


def check(family: Family) -> Iterable[InputError]:
    """What is wrong with the walls of a family. Raises nothing."""
    for place, track in enumerate(family.tracks):
        wall, where = wall_of(track), f"tracks[{place}].mill"
        if wall is None:
            continue
        if track.pitch is not None and wall.land > track.pitch + NOTHING:
            yield InputError(f"{where}.land", f"{wall.land:g} is longer than the smallest pitch, {track.pitch:g}")
        falls = track.falls_when_deeper
        if len(track.depths) > 1 and falls != (wall.metal == BELOW):
            way = "fall" if wall.metal == BELOW else "rise"
            yield InputError(
                f"{where}.metal", f"with metal {wall.metal} the wall the values must {way} as cuts go deeper"
            )
        labels = set(track.labels)
        for pair, label in wall.turning:
            if label not in labels:
                yield InputError(f"tracks[{place}].turning.{pair}", f"there is no depth {label!r}")


def macs_of_ramp(family: Family, track: Track, fitted: Tool | None = None) -> int | None:
    """The largest step between neighbours that the ramp reaches: |difference| <= (pitch - land) tan(ramp).

    Arguments: a ``family``, its ``track``, and whatever is ``fitted``: any mill makes a ramp. Returns 0 to d - 1;
    0 where the smallest pitch is less than the land, None without a mill or with fewer than two spaces. Raises nothing.
    """
    wall, pitch = wall_of(track), track.pitch
    if wall is None or pitch is None or track.tool is None:
        return None
    room = (pitch - wall.land) * wall.slope + NOTHING
    for m in range(1, len(track.values)):
        if max(abs(b - a) for a, b in zip(track.values, track.values[m:], strict=False)) > room:
            return m - 1
    return len(track.values) - 1 if room >= 0 else 0


def macs_working(family: Family) -> str:
    """How the geometry's own MACS is worked out, in a sentence. Raises nothing."""
    return "The largest m such that two depths at most m steps apart differ by no more than (pitch − land) · tan(ramp)."


def assumed(family: Family, given: Mapping[str, Any]) -> Iterable[str]:
    """What a document, the data ``given``, leaves out, in sentences. Raises nothing."""
    for track in family.tracks:
        if track.tool is None:
            yield f"mill of track {track.name}: not known, so that nothing of it can be planned or drawn as cut."
        elif track.tumbler is None:
            yield f"tumbler of track {track.name}: it feels the wall at the middle of each space."
    walls = [wall for track in family.tracks if (wall := wall_of(track)) is not None]
    if len(walls) > 1 and family.own is None:
        yield "least_rib: 0.5 mm; common practice, no source."


def uncut(family: Family, track: Track) -> float | None:
    """The edge that metal reaches to where nothing is cut; None without a blank or a wall. Raises nothing."""
    wall = wall_of(track)
    if family.blank is None or wall is None:
        return None
    return family.blank.across(track.face) if wall.metal == BELOW else 0.0


def gaps(track: Track) -> list[float]:
    """The distances between neighbouring spaces (n - 1,), in the track's unit. Raises nothing."""
    return [abs(b - a) for a, b in pairwise(track.spaces)]


def over_pin(family: Family, track: Track, diameter: float) -> tuple[float, float]:
    """A caliper over a pin laid against the wall: see ``Aid`` in keycore/kind.py, see ``Aid``.

    From the reference edge with metal below the wall: value = reading - d. From the opposite edge with metal above it:
    value = width of the face - (reading - d).
    """
    wall = wall_needed(track)
    if wall.metal == BELOW:
        return 1.0, -diameter
    if family.blank is None:
        raise InputError("family.blank", "needed to measure from the other edge")
    return -1.0, family.blank.across(track.face) + diameter


def by_probe(family: Family, track: Track, diameter: float) -> tuple[float, float]:
    """A probe that reports the middle of its pin: half of it below a wall, half above; see ``Aid``."""
    return 1.0, -diameter / 2 if wall_needed(track).metal == BELOW else diameter / 2


def pairs(track: Track) -> Mapping[str, str]:
    """What is seen on a dial before and after turning the lock, "left>up", with the label it means. Raises nothing."""
    wall = wall_of(track)
    return dict(wall.turning) if wall is not None else {}


def row_of_pairs(track: Track) -> str:
    """The row of readings that a track shares with others; "" for one of its own. Raises nothing."""
    wall = wall_of(track)
    return wall.row if wall is not None else ""


def wall_needed(track: Track) -> Wall:
    """The wall of a track. Raises InputError for one whose document does not say."""
    wall = wall_of(track)
    if wall is None:
        raise InputError(f"family.tracks.{track.name}.mill", "needed to plan a key")
    return wall


AIDS = (
    Aid(
        "pin", "over a pin laid in the groove", "The pin’s diameter", over_pin,
        "Metal below: reading from the reference edge less the pin; metal above: the face’s width less (reading from "
        "the other edge less the pin).",
    ),
    Aid(
        "probe-pin", "with a probe that gives its pin’s middle", "The probe pin’s diameter", by_probe,
        "Metal below: reading less half the pin; metal above: reading and half the pin.",
    ),
)  # fmt: skip


@cache
def cuts() -> Cutting:
    """How keys of this kind are cut; brought in when it is first asked for. Raises nothing."""
    from keycore.kinds.side_milled.cutting import CUTTING

    return CUTTING


KIND = Kind(
    id="side-milled",
    surface=Surface.GROOVE,
    space=Coordinate("from the gauge"),
    depth=Coordinate("wall from the edge"),
    falls_when_deeper=None,
    check=check,
    assumed=assumed,
    uncut=uncut,
    macs_geometric=macs_of_ramp,
    macs_working=macs_working,
    aids=AIDS,
    pairs=pairs,
    row_of_pairs=row_of_pairs,
    cuts=cuts,
)
