"""The one large drawing of a key, from bare blank to measured result."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from keycore.cutting.commands import TURNED
from keycore.cutting.profile import Profile
from keycore.family import End, Family, Kind
from wryfalcon.drawings.sheet import BLADE_LEFT, BOW_LEFT, WIDTH, Sheet, bow_path, path, px
from wryfalcon.lengths import show_length


@dataclass(frozen=True)
class PositionMark:
    """A space under the blade."""

    x: float
    number: int
    text: str


@dataclass(frozen=True)
class KeyDrawing:
    """A key, ready for its template."""

    width: float
    bottom: float
    top: float
    bow: str
    hole: tuple[float, float]
    blank: str
    blade: str
    ghost: str  # another profile to compare with, "" without
    gauge_x: float
    left: float
    right: float
    positions: tuple[PositionMark, ...]
    counted_from: End
    gauge_name: str
    unit: str
    words: str


def draw_key(
    family: Family,
    profiles: Mapping[str, Profile] | None = None,
    ghost: Mapping[str, Profile] | None = None,
    track: str | None = None,
) -> KeyDrawing:
    """Draw a key of a family: bare, or with the profile of each track.

    ``ghost`` is drawn as an outline over it; ``track`` decides whose spaces are marked.
    """
    sheet = Sheet.of(family)
    marked = family.track(track)
    marks = tuple(
        PositionMark(px(sheet.x(x)), number, show_length(x, family.unit, family.unit))
        for number, x in enumerate(marked.spaces, start=1)
    )
    return KeyDrawing(
        width=WIDTH,
        bottom=px(sheet.bottom),
        top=px(sheet.top),
        bow=bow_path(sheet),
        hole=(px(BOW_LEFT + 44), px((sheet.top + sheet.bottom) / 2)),
        blank=outline(sheet, {}),
        blade=outline(sheet, profiles or {}),
        ghost=outline(sheet, ghost) if ghost else "",
        gauge_x=px(sheet.gauge_x),
        left=BLADE_LEFT,
        right=px(sheet.blade_right),
        positions=marks,
        counted_from=family.numbered_from,
        gauge_name=family.gauge.value,
        unit=family.unit.value,
        words=_in_words(family, profiles),
    )


def outline(sheet: Sheet, profiles: Mapping[str, Profile]) -> str:
    """The blade's outline: the first track on the upper edge, a second, or the same, on the lower."""
    names = [track.name for track in sheet.family.tracks]
    upper = profiles.get(names[0])
    lower = None
    if sheet.family.kind == Kind.DOUBLE_EDGE:
        lower = profiles.get(names[1] if len(names) > 1 else f"{names[0]} {TURNED}", upper if len(names) == 1 else None)
    return path([*sheet.edge(upper), *reversed(sheet.edge(lower, lower=True))], close=True)


def _in_words(family: Family, profiles: Mapping[str, Profile] | None) -> str:
    state = "cut" if profiles else "uncut"
    return (
        f"{family.name}, {state}, drawn to scale: bow on the left, tip on the right, positions from the {family.gauge}."
    )
