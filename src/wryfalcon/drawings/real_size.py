"""The planned key and the old one at exactly 1:1 and at 4:1, in millimetres, to hold a key against."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from keycore.family import Family
from keycore.proving.prospect import edge_of
from keycore.units import Unit, convert
from wryfalcon.drawings.key import outline
from wryfalcon.drawings.sheet import BLADE_LEFT, Sheet, px

MARGIN = 1.5  # mm round the blade
LARGER = 4


@dataclass(frozen=True)
class RealSize:
    """A blade in millimetres: ``width`` and ``height`` of the paper it takes at ``times`` its size."""

    times: int
    view: str  # the drawing's own millimetres
    width: float
    height: float
    planned: str
    old: str  # "" where the old key was not measured
    positions: tuple[tuple[float, float, float], ...]  # x, from y, to y of each cut's centre line


def draw_real_size(
    family: Family, planned: Mapping[str, Sequence[float]], old: Mapping[str, Sequence[float]]
) -> tuple[RealSize, ...]:
    """At 1:1 and larger. InputError for a family without a blank or a cutter's shape."""
    return tuple(_drawn(family, planned, old, times) for times in (1, LARGER))


def _drawn(
    family: Family, planned: Mapping[str, Sequence[float]], old: Mapping[str, Sequence[float]], times: int
) -> RealSize:
    plain = Sheet.of(family)
    sheet = Sheet(family, plain.blank, convert(1.0, family.unit, Unit.MILLIMETRE), top=0.0)
    width, height = sheet.blade_right - BLADE_LEFT + 2 * MARGIN, sheet.bottom + 2 * MARGIN
    edges = [
        {name: edge_of(family, family.track(name), values) for name, values in key.items()} for key in (planned, old)
    ]
    return RealSize(
        times=times,
        view=f"{px(BLADE_LEFT - MARGIN)} {px(-MARGIN)} {px(width)} {px(height)}",
        width=px(width * times),
        height=px(height * times),
        planned=outline(sheet, edges[0]),
        old=outline(sheet, edges[1]) if old else "",
        positions=tuple((px(sheet.x(x)), px(-MARGIN / 2), px(sheet.bottom)) for x in family.tracks[0].spaces),
    )
