"""A blade's cross-section seen from the tip, at exactly 1:1 and at 4:1, to sight a key's own against."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from keycore.family import Family
from wryfalcon.drawings.sheet import px

MARGIN = 1.0  # mm round it
LARGER = 4


@dataclass(frozen=True)
class SectionDrawing:
    """An outline in millimetres: the paper it takes at ``times`` its size, and its corners."""

    times: int
    view: str
    width: float
    height: float
    corners: str


def draw_section(family: Family) -> tuple[SectionDrawing, ...]:
    """At 1:1 and larger, y up on the page as it is from the reference edge; nothing where no section is known."""
    if not family.section:
        return ()
    outline = [(family.lengths.to_machine(x), family.lengths.to_machine(y)) for x, y in family.section]
    return tuple(_drawn(outline, times) for times in (1, LARGER))


def _drawn(outline: Sequence[tuple[float, float]], times: int) -> SectionDrawing:
    left, low = min(x for x, _ in outline), min(y for _, y in outline)
    wide, high = max(x for x, _ in outline) - left, max(y for _, y in outline) - low
    corners = " ".join(f"{px(x - left)},{px(high - (y - low))}" for x, y in outline)
    width, height = wide + 2 * MARGIN, high + 2 * MARGIN
    view = f"{px(-MARGIN)} {px(-MARGIN)} {px(width)} {px(height)}"
    return SectionDrawing(times, view, px(width * times), px(height * times), corners)
