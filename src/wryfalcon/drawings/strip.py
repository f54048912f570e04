"""The reading strip: a lane for each space, the depths as rungs to scale, what was seen as marks."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from itertools import pairwise

from keycore.family import Family, Track
from keycore.reading.decode import Posterior
from keycore.reading.evidence import Measured
from wryfalcon.drawings.sheet import BLADE_LEFT, Sheet, px
from wryfalcon.lengths import show_length

LANE_TOP = 62.0  # below the blade
LANE_HEIGHT = 196.0
WIDEST = 58.0
OVER_99 = 0.99


@dataclass(frozen=True)
class Rung:
    """A depth in a lane: its line, its cell, how probable it is, and whether neighbours rule it out."""

    label: str
    y: float
    cell_top: float
    cell_height: float
    shade: float
    ruled_out: bool


@dataclass(frozen=True)
class Mark:
    """A measured value: hollow as read, solid with the wear allowed for, whiskers of 2 sd."""

    y: float
    low: float
    high: float
    solid_y: float | None
    solid_low: float
    solid_high: float
    words: str


@dataclass(frozen=True)
class Lane:
    """One space."""

    space: int
    x: float
    left: float
    width: float
    rungs: tuple[Rung, ...]
    mark: Mark | None
    label: str
    chance: str
    sure: bool
    plain: str  # the nearest-depth label where it differs
    overruled: bool
    current: bool

    @property
    def hollow_x(self) -> float:
        """Where the value as read is drawn."""
        return px(self.x - self.width * 0.2)

    @property
    def solid_x(self) -> float:
        """Where the value with the wear allowed for is drawn."""
        return px(self.x + self.width * 0.2)


@dataclass(frozen=True)
class Strip:
    """All lanes and the depth ladder beside them."""

    top: float
    bottom: float
    height: float
    lanes: tuple[Lane, ...]
    ladder_x: float
    ladder: tuple[tuple[float, str], ...] = field(default=())


def chance_words(chance: float) -> str:
    """A chance as the shop says it: never 100 in 100."""
    if chance >= OVER_99:
        return "over 99"
    return "under 1" if chance < 0.01 else f"{100 * chance:.0f} in 100"


@dataclass(frozen=True)
class StripState:
    """What is known of one track: nothing, readings, or readings and what they mean."""

    measured: Measured | None = None
    posterior: Posterior | None = None
    settled: Sequence[int] | None = None  # steps, overruled cuts put in
    overruled: Mapping[int, str] = field(default_factory=dict)  # reason by space
    current: int | None = None


def draw_strip(family: Family, track: Track, state: StripState) -> Strip:
    """Draw the lanes under a key: rungs alone, then what was measured, then what it means."""
    sheet = Sheet.of(family)
    top = sheet.bottom + LANE_TOP
    ys = _rung_heights(track, top)
    spacing = min((abs(x - y) for x, y in pairwise([sheet.x(s) for s in track.spaces])), default=WIDEST * 2)
    width = min(WIDEST, spacing * 0.84)
    lanes = tuple(_lane(sheet, track, place, ys, width, state) for place in range(len(track.spaces)))
    ladder_x = min(lane.left for lane in lanes) - 10
    ladder = tuple(
        (px(y), f"{depth.label} · {show_length(depth.value, family.unit, family.unit)}")
        for depth, y in zip(track.depths, ys, strict=True)
    )
    bottom = top + LANE_HEIGHT
    return Strip(px(top), px(bottom), px(bottom + 74), lanes, px(max(ladder_x, BLADE_LEFT - 140)), ladder)


def _rung_heights(track: Track, top: float) -> list[float]:
    """Where each depth's line is: the table's values to scale, deeper is lower."""
    values, pad = track.values, LANE_HEIGHT / (2 * len(track.values))
    span = values[-1] - values[0] or 1.0
    return [top + pad + (value - values[0]) / span * (LANE_HEIGHT - 2 * pad) for value in values]


def _height_of(track: Track, ys: Sequence[float], value: float) -> float:
    """Any value on the same scale as the rungs, kept within a little of the lane."""
    values = track.values
    span = values[-1] - values[0] or 1.0
    y = ys[0] + (value - values[0]) / span * (ys[-1] - ys[0])
    return min(max(y, ys[0] - 22), ys[-1] + 22)


def _lane(sheet: Sheet, track: Track, place: int, ys: Sequence[float], width: float, state: StripState) -> Lane:
    x, space = sheet.x(track.spaces[place]), place + 1
    posterior = state.posterior
    row = posterior.marginals[place] if posterior is not None else None
    step = state.settled[place] if state.settled is not None else None
    plain = posterior.nearest[place] if posterior is not None and posterior.nearest else None
    chance = float(row[step]) if row is not None and step is not None else 0.0
    is_overruled = space in state.overruled
    return Lane(
        space=space,
        x=px(x),
        left=px(x - width / 2),
        width=px(width),
        rungs=_rungs(track, place, ys, row, state.settled),
        mark=_mark(sheet.family, track, place, ys, state),
        label="" if step is None else track.labels[step],
        chance="overruled" if is_overruled else chance_words(chance) if step is not None else "",
        sure=chance >= OVER_99,
        plain="" if plain is None or plain == step else track.labels[plain],
        overruled=is_overruled,
        current=state.current == space,
    )


def _rungs(
    track: Track, place: int, ys: Sequence[float], row: Sequence[float] | None, settled: Sequence[int] | None
) -> tuple[Rung, ...]:
    edges = [ys[0] - (ys[1] - ys[0]) / 2 if len(ys) > 1 else ys[0] - 12]
    edges += [(a + b) / 2 for a, b in pairwise(ys)]
    edges.append(ys[-1] + (ys[-1] - ys[-2]) / 2 if len(ys) > 1 else ys[-1] + 12)
    neighbours = [settled[p] for p in (place - 1, place + 1) if settled is not None and 0 <= p < len(settled)]
    return tuple(
        Rung(
            label=track.labels[step],
            y=px(y),
            cell_top=px(edges[step]),
            cell_height=px(edges[step + 1] - edges[step]),
            shade=0.0 if row is None else round(float(row[step]), 3),
            ruled_out=track.macs is not None and any(abs(step - n) > track.macs for n in neighbours),
        )
        for step, y in enumerate(ys)
    )


def _mark(family: Family, track: Track, place: int, ys: Sequence[float], state: StripState) -> Mark | None:
    measured, posterior = state.measured, state.posterior
    value = measured.values[place] if measured is not None else None
    if measured is None or value is None:
        return None
    whisker = 2 * measured.sd[place]
    allowed = None
    if posterior is not None and posterior.offset is not None:
        tip = posterior.tip.mean if posterior.tip else 0.0
        allowed = value - posterior.offset.mean - tip * family.towards_tip(track)[place]
    at = [_height_of(track, ys, v) for v in (value, value - whisker, value + whisker)]
    solid = (
        [_height_of(track, ys, v) for v in (allowed, allowed - whisker, allowed + whisker)]
        if allowed is not None
        else None
    )
    return Mark(
        y=px(at[0]),
        low=px(min(at)),
        high=px(max(at)),
        solid_y=px(solid[0]) if solid else None,
        solid_low=px(min(solid)) if solid else 0.0,
        solid_high=px(max(solid)) if solid else 0.0,
        words=f"cut {place + 1} read {show_length(value, family.unit, family.unit, fine=True)}",
    )
