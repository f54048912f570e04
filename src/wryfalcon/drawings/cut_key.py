"""A key drawn from the depth values it is cut to; the same values are drawn once."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from functools import lru_cache

from keycore.cutting.plan import cutting_of
from keycore.family import Family, Place
from keycore.geometry.shape import Shape
from wryfalcon.documents import parsed
from wryfalcon.drawings.key import KeyDrawing, draw_key
from wryfalcon.drawings.kinds import is_drawable

Values = Mapping[str, Sequence[float]]
Frozen = tuple[tuple[str, tuple[float, ...]], ...]
Uncut = frozenset[tuple[int, Place]]


def draw_cut_key(
    document: str,
    values: Values,
    ghost: Values | None = None,
    track: str | None = None,
    *,
    style: str = "",
    ghost_style: str | None = None,
    uncut: Collection[tuple[int, Place]] = (),
) -> KeyDrawing | None:
    """The key of a family document cut to its values, another key as an outline over it; None if it cannot be drawn.

    Values go by track; ``style`` is the path's, the same for both keys unless ``ghost_style`` says otherwise;
    ``uncut`` what is not cut yet, by clamping and place.
    """
    if not is_drawable(parsed(document)):
        return None
    styles = style, style if ghost_style is None else ghost_style
    return _drawn(document, _frozen(values), _frozen(ghost or {}), track, styles, frozenset(uncut))


def shape_cut(family: Family, values: Values, style: str = "", uncut: Uncut = frozenset()) -> Shape | None:
    """What metal is where on a key cut to these values; None where no track of it can be cut."""
    known = {name: numbers for name, numbers in values.items() if family.track(name).tool is not None}
    return cutting_of(family).shape(family, known, style=style, uncut=uncut) if known else None


def _frozen(values: Values) -> Frozen:
    return tuple((name, tuple(numbers)) for name, numbers in sorted(values.items()))


@lru_cache(maxsize=512)
def _drawn(
    document: str, values: Frozen, ghost: Frozen, track: str | None, styles: tuple[str, str], uncut: Uncut
) -> KeyDrawing:
    family = parsed(document)
    shapes = shape_cut(family, dict(values), styles[0], uncut), shape_cut(family, dict(ghost), styles[1])
    return draw_key(family, *shapes, track=track)
