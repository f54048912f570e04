"""A cylinder taken apart, in a smith's words."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from keycore.family import Track
from wryfalcon.bench.reading.chambers import ChamberSeen, Cylinder
from wryfalcon.drawings.strip import in_100

SHOWN = 3


@dataclass(frozen=True)
class ChamberRow:
    """One chamber in a table."""

    number: int
    depths: str
    used: str
    other: str
    is_open: bool


@dataclass(frozen=True)
class CylinderShown:
    """The table, and what it comes to."""

    rows: tuple[ChamberRow, ...]
    has_key: bool
    says: tuple[str, ...]


def cylinder_shown(track: Track, found: Cylinder) -> CylinderShown:
    """What a page shows of a cylinder."""
    rows = tuple(_row(track, each, is_open=each.number in found.undecided) for each in found.chambers)
    return CylinderShown(rows, found.has_key, tuple(_says(track, found)))


def _row(track: Track, chamber: ChamberSeen, *, is_open: bool) -> ChamberRow:
    if chamber.sets is None:
        return ChamberRow(chamber.number, chamber.problem or "not opened yet", "", "", is_open)
    sets = [
        f"{' and '.join(track.labels[step] for step in steps)}{'' if chamber.sets.is_sure else f', {in_100(chance)}'}"
        for steps, chance in chamber.sets.sets[: 1 if chamber.sets.is_sure else SHOWN]
    ]
    beside = chamber.beside
    if beside is None:
        return ChamberRow(chamber.number, "; ".join(sets), "", "", is_open)
    used = "none of them" if beside.used is None else track.labels[beside.used]
    return ChamberRow(chamber.number, "; ".join(sets), used, _other(track, beside.other), is_open)


def _other(track: Track, chances: Mapping[int, float]) -> str:
    likely = sorted(chances, key=lambda step: -chances[step])[:SHOWN]
    if len(likely) == 1 or (likely and chances[likely[0]] >= 0.95):
        return track.labels[likely[0]]
    return " or ".join(track.labels[step] for step in likely)


def _says(track: Track, found: Cylinder) -> list[str]:
    says = []
    if found.is_mastered:
        says.append("Two keys or more turn it. What the bottom pins alone spell is neither of them, most likely.")
    if found.other_key is not None and found.is_mastered:
        says.append(f"The other key: {' '.join(track.labels[step] for step in found.other_key)}.")
    if found.undecided:
        which = ", ".join(map(str, found.undecided))
        says.append(f"Chamber{'' if len(found.undecided) == 1 else 's'} {which}: still open.")
    if found.is_mastered and not found.has_key:
        says.append("With any key that turns it in hand, read as another source, change is told from master.")
    return says
