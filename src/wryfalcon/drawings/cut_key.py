"""A key drawn from the depth values it is cut to; the same key is drawn once for whoever likes the same figures."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

from keycore.cutting.plan import cutting_of
from keycore.family import Family, Place
from keycore.geometry.shape import Shape
from wryfalcon.documents import parsed
from wryfalcon.drawings.key import KeyDrawing, draw_key
from wryfalcon.drawings.kinds import is_drawable
from wryfalcon.drawings.paper import Paper, paper_laid
from wryfalcon.lengths import Preference, figures_shown

Values = Mapping[str, Sequence[float]]


@dataclass(frozen=True)
class CutKey:
    """A key as it is cut: its values by track, the style of the path, what is not cut yet by clamping and place."""

    values: tuple[tuple[str, tuple[float, ...]], ...] = ()
    style: str = ""
    uncut: frozenset[tuple[int, Place]] = frozenset()

    @classmethod
    def of(cls, values: Values, style: str = "", uncut: Collection[tuple[int, Place]] = ()) -> CutKey:
        """Of values by track."""
        return cls(tuple((name, tuple(numbers)) for name, numbers in sorted(values.items())), style, frozenset(uncut))

    def shape(self, family: Family) -> Shape | None:
        """What metal is where; None where no track of it can be cut."""
        known = {name: numbers for name, numbers in self.values if family.track(name).tool is not None}
        return cutting_of(family).shape(family, known, style=self.style, uncut=self.uncut) if known else None


BARE = CutKey()


def draw_cut_key(document: str, key: CutKey, ghost: CutKey = BARE, track: str | None = None) -> KeyDrawing | None:
    """The key of a family document, another as an outline over it; None if it cannot be drawn."""
    return _drawn(document, key, ghost, track, figures_shown(), paper_laid()) if is_drawable(parsed(document)) else None


@lru_cache(maxsize=512)
def _drawn(
    document: str, key: CutKey, ghost: CutKey, track: str | None, shown: Preference, paper: Paper
) -> KeyDrawing:  # fmt: skip
    family = parsed(document)
    return draw_key(family, key.shape(family), ghost.shape(family), track=track)
