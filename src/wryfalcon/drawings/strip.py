"""The reading strip: a lane for each space, the depths as rungs to scale, what was seen as marks."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from itertools import pairwise

from keycore.family import Family, Track
from keycore.reading.decode import Posterior
from keycore.reading.evidence import Beside, Compared, Evidence, Flush, Measured, Rounded, Spread, Stated, TumblerLooks
from wryfalcon.drawings.kinds import is_drawable
from wryfalcon.drawings.paper import paper_laid
from wryfalcon.drawings.sheet import Sheet, px
from wryfalcon.lengths import figure

LANE_TOP = 62.0  # below the blade
LANE_HEIGHT = 196.0
WIDEST = 58.0
TO_A_FINGER = 0.97
"""On a phone lanes stand side by side: each is pressed by a finger."""
BESIDE = 44.0  # so wide, a mark has room beside the label
A_WORD = 44.0
LEAST_LADDER = 14.0  # where its labels, which end there, still have room
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


class Shape(StrEnum):
    """How a mark is drawn; every way of seeing has its own."""

    MEASURED = "measured"  # hollow as read, solid with the wear allowed for, whiskers of 2 sd
    ROUNDED = "rounded"  # a label that a machine rounded to
    STATED = "stated"  # a label, or two that it lies between
    FLUSH = "flush"
    PROUD = "proud"  # not flush with this depth key
    DEEPER = "deeper"  # the blank cut this deep still marks


@dataclass(frozen=True)
class StripMark:
    """What one source says of one space: where it stands in its lane and what it is in words."""

    shape: Shape
    x: float
    y: float
    words: str
    low: float = 0.0
    high: float = 0.0
    solid_x: float = 0.0
    solid_y: float | None = None
    solid_low: float = 0.0
    solid_high: float = 0.0

    @property
    def template(self) -> str:
        """What it is drawn by."""
        return f"drawings/marks/{self.shape}.svg"


@dataclass(frozen=True)
class Pairing:
    """Two cuts that were held against each other: a line from one lane to the other, lower at the deeper one."""

    x1: float
    y1: float
    x2: float
    y2: float
    words: str


@dataclass(frozen=True)
class Lane:
    """One space."""

    space: int
    x: float
    left: float
    width: float
    rungs: tuple[Rung, ...]
    marks: tuple[StripMark, ...]
    label: str
    chance: str
    sure: bool
    plain: str  # the nearest-depth label where it differs
    overruled: bool
    current: bool
    flaw: str = ""  # what the smith says is the matter with the cut
    by_ear: str = ""  # "3: 2, over 99 in 100, overruled"

    @property
    def doubt_mark(self) -> tuple[float, float]:
        """Where the mark of a doubtful cut begins, from the lane's middle and end: beside its label, or over it."""
        return (20.0, 16.0) if self.width >= BESIDE else (0.0, 2.0)


@dataclass(frozen=True)
class Strip:
    """All lanes and the depth ladder beside them."""

    top: float
    bottom: float
    height: float
    lanes: tuple[Lane, ...]
    ladder_x: float
    ladder: tuple[tuple[float, str, str], ...] = field(default=())
    pairings: tuple[Pairing, ...] = field(default=())

    @property
    def by_ear(self) -> str:
        """All lanes of which something is known, where they are no links of their own."""
        said = [lane.by_ear for lane in self.lanes if lane.by_ear]
        return f" Cut {'; '.join(said)}." if said else ""


def chance_words(chance: float) -> str:
    """A chance as the shop says it: never 100 in 100."""
    if chance >= OVER_99:
        return "over 99"
    return "under 1" if chance < 0.01 else f"{100 * chance:.0f} in 100"


def in_100(chance: float | None) -> str:
    """A chance as the shop says it, always of a hundred.

    >>> in_100(0.9999), in_100(0.93), in_100(None)
    ('over 99 in 100', '93 in 100', 'not known')
    """
    if chance is None:
        return "not known"
    words = chance_words(chance)
    return words if words.endswith("in 100") else f"{words} in 100"


@dataclass(frozen=True)
class SeenSource:
    """One source in the strip: what it saw, and the wear found of it."""

    name: str
    evidence: Evidence
    wear: tuple[Spread, Spread] | None = None
    flaws: Mapping[int, str] = field(default_factory=dict)  # what is the matter with single cuts, by space


@dataclass(frozen=True)
class StripState:
    """What is known of one track: nothing, sources, or sources and what they mean."""

    sources: Sequence[SeenSource] = ()
    posterior: Posterior | None = None
    settled: Sequence[int] | None = None  # steps, overruled cuts put in
    overruled: Mapping[int, str] = field(default_factory=dict)  # reason by space
    current: int | None = None
    apart: float = 0.0  # the least from rung to rung, where they are to be tapped


def draw_strip(family: Family, track: Track, state: StripState) -> Strip:
    """Draw the lanes under a key: rungs alone, then what was measured, then what it means."""
    xs, top = _lane_places(family, track)
    height = max(LANE_HEIGHT, state.apart * len(track.depths))
    ys = _rung_heights(track, top, height)
    spacing = min((abs(x - y) for x, y in pairwise(xs)), default=WIDEST * 2)
    width = min(WIDEST, spacing * (TO_A_FINGER if paper_laid().is_narrow else 0.84))
    lanes = tuple(_lane(family, track, place, _Lanes(ys, x, width), state) for place, x in enumerate(xs))
    ladder_x = min(lane.left for lane in lanes) - 10
    ladder = tuple(
        (px(y), depth.label, figure(family.depth, depth.value)) for depth, y in zip(track.depths, ys, strict=True)
    )
    bottom = top + height
    pairings = _pairings(state.sources, xs, top)
    ladder_x = max(ladder_x, paper_laid().blade_left - 140, LEAST_LADDER)
    return Strip(px(top), px(bottom), px(bottom + 74), lanes, px(ladder_x), ladder, pairings)


PAIR_TOP, PAIR_APART, PAIR_ROWS, PAIR_STEP = 31.0, 4.0, 3, 4.0
PAIRED = {Beside.LEVEL: "is level with", Beside.DEEPER: "is deeper than", Beside.SHALLOWER: "is shallower than"}


def _pairings(sources: Sequence[SeenSource], xs: Sequence[float], top: float) -> tuple[Pairing, ...]:
    """The ties between lanes, above them, a row lower for each until they begin again."""
    found: list[Pairing] = []
    for source in sources:
        if not isinstance(source.evidence, Compared):
            continue
        for pair in source.evidence.pairs:
            y = top - PAIR_TOP + PAIR_APART * (len(found) % PAIR_ROWS)
            down = {Beside.LEVEL: 0.0, Beside.DEEPER: PAIR_STEP, Beside.SHALLOWER: -PAIR_STEP}[pair.compared]
            words = f"cut {pair.first + 1} {PAIRED[pair.compared]} cut {pair.second + 1}, {source.name}"
            found.append(Pairing(px(xs[pair.first]), px(y + down / 2), px(xs[pair.second]), px(y - down / 2), words))
    return tuple(found)


def _lane_places(family: Family, track: Track) -> tuple[list[float], float]:
    """Where the lanes stand and where they begin: under the key's own spaces, or side by side without a drawing."""
    if is_drawable(family):
        sheet = Sheet.of(family)
        return [sheet.x(space) for space in track.spaces], sheet.bottom + LANE_TOP
    paper = paper_laid()
    apart = min(WIDEST * 1.2, (paper.width - paper.blade_left) / (len(track.spaces) + 1))
    return [paper.blade_left + apart * (place + 0.5) for place in range(len(track.spaces))], LANE_TOP


def _rung_heights(track: Track, top: float, height: float) -> list[float]:
    """Where each depth's line is: the table's values to scale, deeper is lower."""
    values, pad = track.values, height / (2 * len(track.values))
    span = values[-1] - values[0] or 1.0
    return [top + pad + (value - values[0]) / span * (height - 2 * pad) for value in values]


def _height_of(track: Track, ys: Sequence[float], value: float) -> float:
    """Any value on the same scale as the rungs, kept within a little of the lane."""
    values = track.values
    span = values[-1] - values[0] or 1.0
    y = ys[0] + (value - values[0]) / span * (ys[-1] - ys[0])
    return min(max(y, ys[0] - 22), ys[-1] + 22)


def _lane(family: Family, track: Track, place: int, lane: _Lanes, state: StripState) -> Lane:
    x, width, space = lane.x, lane.width, place + 1
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
        rungs=_rungs(track, place, lane.ys, row, state.settled),
        marks=_marks(family, track, place, lane, state.sources),
        label="" if step is None else track.labels[step],
        chance="overruled" if is_overruled else _chance(chance, width) if step is not None else "",
        sure=chance >= OVER_99,
        plain="" if plain is None or plain == step else track.labels[plain],
        overruled=is_overruled,
        current=state.current == space,
        flaw=next((source.flaws[space] for source in state.sources if space in source.flaws), ""),
        by_ear="" if step is None else _by_ear(space, track.labels[step], chance, is_overruled=is_overruled),
    )


def _by_ear(space: int, label: str, chance: float, *, is_overruled: bool) -> str:
    """A lane as it is read aloud: the chance is that of the label, overruled or not."""
    return f"{space}: {label}, {in_100(chance)}{', overruled' if is_overruled else ''}"


def _chance(chance: float, width: float) -> str:
    """A lane's chance; a narrow lane has no room to say of how many, the narrowest none for a word."""
    words = chance_words(chance)
    if width < A_WORD:
        return {"over 99": "99+", "under 1": "<1"}.get(words, words.removesuffix(" in 100"))
    return words if width >= WIDEST * 0.9 else words.removesuffix(" in 100")


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


@dataclass(frozen=True)
class _Lanes:
    """Where one lane stands and how high its rungs are."""

    ys: Sequence[float]
    x: float
    width: float

    def column(self, number: int, of: int) -> float:
        """The middle of one source's share of the lane."""
        return self.x - self.width / 2 + self.width * (number + 0.5) / of


def _marks(
    family: Family, track: Track, place: int, lane: _Lanes, sources: Sequence[SeenSource]
) -> tuple[StripMark, ...]:
    """Every source's marks in its own column of the lane."""
    found: list[StripMark] = []
    for number, source in enumerate(sources):
        column, share = lane.column(number, len(sources)), lane.width / len(sources)
        match source.evidence:
            case Measured():
                found += _measured(family, track, place, source, replace(lane, x=column, width=share))
            case Rounded(steps=steps):
                step = steps[place]
                found += [] if step is None else [_at_rung(Shape.ROUNDED, track, lane, column, step)]
            case TumblerLooks(parts=parts):
                found += [mark for part in parts for mark in _looked(part, track, place, lane, column)]
            case Flush() | Stated() as part:
                found += _looked(part, track, place, lane, column)
            case Compared():
                pass  # drawn between the lanes
    return tuple(found)


def _looked(part: Flush | Stated, track: Track, place: int, lane: _Lanes, column: float) -> list[StripMark]:
    if isinstance(part, Flush):
        seen = part.flush[place]
        shape = Shape.FLUSH if seen else Shape.PROUD
        return [] if seen is None else [_at_rung(shape, track, lane, column, part.step)]
    steps = sorted(part.steps[place])
    if len(steps) > 2:  # only deeper ones are left: the blank still marks
        return [_at_rung(Shape.DEEPER, track, lane, column, steps[0] - 1)] if steps[0] else []
    return [_at_rung(Shape.STATED, track, lane, column, step) for step in steps]


SAID = {
    Shape.ROUNDED: "a machine says {}",
    Shape.STATED: "stated as {}",
    Shape.FLUSH: "flush with depth {}",
    Shape.PROUD: "not flush with depth {}",
    Shape.DEEPER: "cut to {} it still marks",
}


def _at_rung(shape: Shape, track: Track, lane: _Lanes, x: float, step: int) -> StripMark:
    return StripMark(shape, px(x), px(lane.ys[step]), SAID[shape].format(track.labels[step]))


def _measured(family: Family, track: Track, place: int, source: SeenSource, lane: _Lanes) -> list[StripMark]:
    evidence = source.evidence
    assert isinstance(evidence, Measured)
    value = evidence.values[place]
    if value is None:
        return []
    whisker = 2 * evidence.sd[place]
    at = [_height_of(track, lane.ys, v) for v in (value, value - whisker, value + whisker)]
    mark = StripMark(
        shape=Shape.MEASURED,
        x=px(lane.x - lane.width * 0.2),
        y=px(at[0]),
        words=f"cut {place + 1} read {figure(family.depth, value, fine=True)}, {source.name}",
        low=px(min(at)),
        high=px(max(at)),
    )
    if source.wear is None:
        return [mark]
    offset, tip = source.wear
    allowed = value - offset.mean - tip.mean * family.towards_tip(track)[place]
    solid = [_height_of(track, lane.ys, v) for v in (allowed, allowed - whisker, allowed + whisker)]
    return [
        replace(
            mark, solid_x=px(lane.x + lane.width * 0.2), solid_y=px(solid[0]),
            solid_low=px(min(solid)), solid_high=px(max(solid)),
        )
    ]  # fmt: skip
