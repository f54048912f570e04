"""The marks of a key that is filed, to cut out and stick on its bit or to scribe by: 1:1, in millimetres."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

from keycore.cutting.plan import Plan, PlannedCut, cutting_of
from wryfalcon.drawings.real_size import LARGER
from wryfalcon.drawings.sheet import px

MARGIN = 4.0  # mm of paper round it, the numbers stand there
CLOSE = 1e-6


@dataclass(frozen=True)
class Band:
    """Where a wall between two steps may stand."""

    x: float
    width: float


@dataclass(frozen=True)
class StickOn:
    """The marks at ``times`` their size; numbers are millimetres of the drawing, y downwards from the bit's edge."""

    times: int
    view: str
    width: float
    height: float
    bit: tuple[float, float]  # how long and high it is: where the paper is cut
    walls: tuple[tuple[float, float, float], ...]  # x, from y, to y
    lands: tuple[tuple[float, float, float], ...]  # y, from x, to x: the height each step is to have
    stages: tuple[tuple[float, float, float], ...]  # likewise, of the stages before it
    bands: tuple[Band, ...]
    numbers: tuple[tuple[float, float, str], ...]  # x, y, the step and its depth


def draw_stick_on(plan: Plan) -> tuple[StickOn, ...]:
    """At 1:1 and larger; none for a kind that is not filed."""
    size = plan.family.kind.view_size(plan.family)
    if cutting_of(plan.family).filing is None or size is None:
        return ()
    mm = plan.family.lengths.to_machine(1.0)
    length, height = size[0] * mm, size[1] * mm
    cuts = [cut for planned in plan.tracks for cut in planned.cuts]
    view = f"{px(-MARGIN)} {px(-MARGIN)} {px(length + 2 * MARGIN)} {px(height + 2 * MARGIN)}"
    return tuple(
        StickOn(
            times=times,
            view=view,
            width=px((length + 2 * MARGIN) * times),
            height=px((height + 2 * MARGIN) * times),
            bit=(px(length), px(height)),
            walls=_walls(cuts, mm, height),
            lands=tuple(_land(cut, cut.value, mm, height) for cut in cuts),
            stages=tuple(_land(cut, stage, mm, height) for cut in cuts for stage in cut.own["stages"][:-1]),
            bands=_bands(cuts, mm),
            numbers=tuple(
                (px((cut.own["from_edge"] + cut.own["to_edge"]) / 2 * mm), px(-MARGIN / 3), str(cut.space))
                for cut in cuts
            ),
        )
        for times in (1, LARGER)
    )


def _walls(cuts: list[PlannedCut], mm: float, height: float) -> tuple[tuple[float, float, float], ...]:
    """Each wall from the lower of its two steps to the edge it is filed from, and where the last step ends."""
    ends = [(cut.own["to_edge"], cut.value, after.value) for cut, after in pairwise(cuts)]
    found = [(at, min(value, after)) for at, value, after in ends if abs(value - after) > CLOSE]
    found.append((cuts[-1].own["to_edge"], cuts[-1].value))
    return tuple((px(at * mm), px(height - low * mm), 0.0) for at, low in found)


def _land(cut: PlannedCut, value: float, mm: float, height: float) -> tuple[float, float, float]:
    return px(height - value * mm), px(cut.own["from_edge"] * mm), px(cut.own["to_edge"] * mm)


def _bands(cuts: list[PlannedCut], mm: float) -> tuple[Band, ...]:
    windows = [cut.own["wall_window"] for cut in cuts]
    return tuple(Band(px(low * mm), px((high - low) * mm)) for low, high in filter(None, windows) if high > low)
