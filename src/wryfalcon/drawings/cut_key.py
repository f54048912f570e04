"""A key drawn from the depth values it is cut to; the same values are drawn once."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import lru_cache

from keycore.cutting.commands import TURNED
from keycore.cutting.profile import Profile
from keycore.family import Family
from keycore.proving.prospect import edge_of
from wryfalcon.documents import parsed
from wryfalcon.drawings.key import KeyDrawing, draw_key
from wryfalcon.drawings.sheet import is_drawable

Values = Mapping[str, Sequence[float]]
Frozen = tuple[tuple[str, tuple[float, ...]], ...]


def draw_cut_key(
    document: str, values: Values, ghost: Values | None = None, track: str | None = None
) -> KeyDrawing | None:
    """The key of a family document cut to its values, another key as an outline over it; None if it cannot be drawn.

    Values go by track; a side that is cut with the key turned over may have its own, as machines name it.
    """
    if not is_drawable(parsed(document)):
        return None
    return _drawn(document, _frozen(values), _frozen(ghost or {}), track)


def _frozen(values: Values) -> Frozen:
    return tuple((name, tuple(numbers)) for name, numbers in sorted(values.items()))


@lru_cache(maxsize=512)
def _drawn(document: str, values: Frozen, ghost: Frozen, track: str | None) -> KeyDrawing:
    family = parsed(document)
    return draw_key(family, _edges(family, values), _edges(family, ghost), track=track)


def _edges(family: Family, values: Frozen) -> dict[str, Profile]:
    """The profile of each side that has values and a cutter's shape."""
    return {
        side: edge_of(family, track, numbers)
        for side, numbers in values
        if (track := family.track(side.removesuffix(f" {TURNED}"))).cut is not None
    }
