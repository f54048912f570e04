"""Bit keys, whose steps lift levers: the height of bit left codes, measured from the axis of the stem.

Often there is no table: the lock that lies on the bench is measured and becomes a family of one.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cache
from typing import TYPE_CHECKING, Any

from keycore.coordinate import Coordinate
from keycore.errors import InputError
from keycore.family import Family, Track
from keycore.kind import Kind, Surface

if TYPE_CHECKING:
    from keycore.kind import Cutting


@dataclass(frozen=True, slots=True)
class Bolt:
    """The step of the bit that throws the bolt, along the bit, and the height it keeps."""

    start: float
    end: float
    value: float


@dataclass(frozen=True, slots=True)
class Bit:
    """The bit of a family's keys, lengths in its unit: heights from the axis of the stem, ``stem`` its radius."""

    height: float
    length: float
    thickness: float
    stem: float
    bore: float | None = None
    bolt: Bolt | None = None


@dataclass(frozen=True, slots=True)
class Levers:
    """The levers of a lock, one for each space: how thick each is, and the clearance beside it."""

    thickness: tuple[float, ...]
    clearance: float | None


def bit_of(family: Family) -> Bit | None:
    """The bit of a family; None where its document does not say. Raises nothing."""
    return family.own if isinstance(family.own, Bit) else None


def levers_of(track: Track) -> Levers | None:
    """The levers that a track lifts; None where its document does not say. Raises nothing."""
    return track.own if isinstance(track.own, Levers) else None


def check(family: Family) -> Iterable[InputError]:
    """What is wrong with the levers and the bit of a family. Raises nothing."""
    for place, track in enumerate(family.tracks):
        levers = levers_of(track)
        if levers is not None and len(levers.thickness) != len(track.spaces):
            says = f"{len(levers.thickness)} levers for {len(track.spaces)} spaces"
            yield InputError(f"tracks[{place}].levers", says)
    bit = bit_of(family)
    if bit is not None and bit.stem >= bit.height:
        yield InputError("bit.stem", f"{bit.stem:g}, a radius, leaves nothing of a bit {bit.height:g} high")
    if bit is not None and bit.bolt is not None and bit.bolt.start >= bit.bolt.end:
        yield InputError("bit.bolt", f"must run from less to more, not from {bit.bolt.start:g} to {bit.bolt.end:g}")


def assumed(family: Family, given: Mapping[str, Any]) -> Iterable[str]:
    """What a document, the data ``given``, leaves out, in sentences. Raises nothing."""
    if bit_of(family) is None:
        yield "bit: not known, so that nothing of it can be planned or drawn as cut."
    for track in family.tracks:
        levers = levers_of(track)
        if levers is None or levers.clearance is None:
            yield f"levers or clearance of track {track.name}: not known, so that no wall of it can be planned."


def uncut(family: Family, track: Track) -> float | None:
    """The height of the bit, which no step is above; None where it is not known. Raises nothing."""
    bit = bit_of(family)
    return bit.height if bit is not None else None


def view_size(family: Family) -> tuple[float, float] | None:
    """How long and how high the bit is from the axis of the stem, family unit; None unknown. Raises nothing."""
    bit = bit_of(family)
    return (bit.length, bit.height) if bit is not None else None


@cache
def cuts() -> Cutting:
    """How keys of this kind are cut; brought in when it is first asked for. Raises nothing."""
    from keycore.kinds.lever.cutting import CUTTING

    return CUTTING


KIND = Kind(
    id="lever",
    surface=Surface.BIT,
    space=Coordinate("along the bit"),
    depth=Coordinate("height of the bit left"),
    falls_when_deeper=True,
    spaces_rise=True,
    once_cut_down="Try it in the lock: the window or the witness mark says which lever is still too high.",
    works_words="Goes freely, the bolt fully out and fully in",
    turning_words="Turns, the bolt fully out and in",
    finishing={
        "edges": "edges broken",
        "light-bevel": "a light bevel, only where the lock wants one",
        "darkened": "darkened, the fumes kept off",
        "wiped": "wiped",
        "oiled": "oiled between the levers",
    },
    check=check,
    assumed=assumed,
    uncut=uncut,
    view_size=view_size,
    cuts=cuts,
)
