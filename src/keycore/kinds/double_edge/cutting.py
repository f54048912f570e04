"""How keys are cut on both edges: an edge's own plan, another order of clampings, another shape."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import replace

from keycore.family import Family, Place
from keycore.geometry.profile import Profile
from keycore.geometry.shape import Shape
from keycore.kind import LONG_AXIS, Clamping
from keycore.kinds.edge import cutting as edge
from keycore.tools import Tool, Wheel


def clampings(family: Family, tracks: Iterable[str], style: str = "") -> tuple[Clamping, ...]:
    """One for each edge that is cut; a single one is cut again with the key turned over.

    For its arguments see ``Clampings`` in the record of a kind.
    """
    once = edge.clampings(family, tracks)
    if len(family.tracks) > 1:
        return once
    again = [Clamping(len(once) + number, "back", Wheel.name, c.tracks, LONG_AXIS) for number, c in enumerate(once, 1)]
    return (*once, *again)


def shape(
    family: Family, values: Mapping[str, Sequence[float]], *, style: str = "", tool: Tool | None = None,
    uncut: Collection[tuple[int, Place]] = (),
) -> Shape:  # fmt: skip
    """The elevation of a key cut on both edges; see ``Shaping`` in the interface. Raises InputError likewise."""
    found: list[tuple[str, Profile]] = []
    for clamping in clampings(family, [track.name for track in family.tracks]):
        (name,) = clamping.tracks
        if name in values:
            track = family.track(name)
            left = edge.left_of(family, track, values[name], clamping.number, uncut)
            found.append((clamping.words_of(name), edge.edge_of(family, track, left, style, tool)))
    first = family.tracks[0].name
    return edge.elevation(family, found, above=first, below=next((name for name, _ in found if name != first), ""))


CUTTING = replace(edge.CUTTING, clampings=clampings, shape=shape)
