"""A machine's course over the keys it made: errors, the estimate with its band, what was done, what is foretold."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from keycore.machines.drift import Drift
from wryfalcon.drawings.sheet import px

WIDTH, HEIGHT = 1120.0, 300.0
LEFT, RIGHT, TOP, BOTTOM = 58.0, 1100.0, 26.0, 262.0
AHEAD = 0.35  # of the keys so far, drawn as foretold


@dataclass(frozen=True)
class KeyDot:
    """One key."""

    x: float
    y: float
    is_misseated: bool
    title: str


@dataclass(frozen=True)
class MarkLine:
    """Something done to the machine."""

    x: float
    words: str
    text_y: float


@dataclass(frozen=True)
class Level:
    """A line across the chart."""

    y: float
    words: str


@dataclass(frozen=True)
class DriftChart:
    """All of it, in pixels."""

    width: float
    height: float
    left: float
    right: float
    top: float
    bottom: float
    zero: float
    band: tuple[float, float]  # top and height of half the tolerance
    levels: tuple[Level, ...]
    dots: tuple[KeyDot, ...]
    marks: tuple[MarkLine, ...]
    estimate: str
    estimate_band: str
    foretold: str
    now_x: float
    last_number: int
    ahead: int


def draw_drift(
    drift: Drift, errors: Sequence[tuple[float, str]], marks: Sequence[tuple[int, str]], tolerance: float
) -> DriftChart:
    """Draw (error, title) of each key, (key, words) of what was done, and the estimate; mm, shallow up."""
    count = len(errors)
    ahead = max(5, round(count * AHEAD))
    ends = drift.interval(ahead)
    # A key that was not seated is drawn at the edge: it would press the others flat.
    seated = [abs(error) for (error, _), at in zip(errors, drift.course, strict=True) if not at.is_misseated]
    reach = max(tolerance * 0.8, *seated, *map(abs, ends)) * 1.08
    scale_x, scale_y = (RIGHT - LEFT) / (count + ahead), (BOTTOM - TOP) / (2 * reach)
    zero = (TOP + BOTTOM) / 2

    def x_of(number: float) -> float:
        return px(LEFT + (number + 0.5) * scale_x)

    def y_of(error: float) -> float:
        return px(min(max(zero - error * scale_y, TOP), BOTTOM))

    course = [(x_of(e.number), e.offset.mean, 2 * e.offset.sd) for e in drift.course]
    later = [
        (count - 1 + keys, drift.ahead(keys), drift.interval(keys)) for keys in range(0, ahead + 1, max(1, ahead // 12))
    ]
    half = tolerance / 2
    return DriftChart(
        width=WIDTH,
        height=HEIGHT,
        left=LEFT,
        right=RIGHT,
        top=TOP,
        bottom=BOTTOM,
        zero=px(zero),
        band=(y_of(half), px(y_of(-half) - y_of(half))),
        levels=tuple(Level(y_of(at), f"{at:+.3f}") for at in (half, -half)),
        dots=tuple(
            KeyDot(x_of(number), y_of(error), drift.course[number].is_misseated, title)
            for number, (error, title) in enumerate(errors)
        ),
        marks=tuple(
            MarkLine(px(LEFT + number * scale_x), words, px(TOP + 10 + 15 * (place % 3)))
            for place, (number, words) in enumerate(marks)
        ),
        estimate=_path([(x, y_of(mean)) for x, mean, _ in course]),
        estimate_band=_path(
            [(x, y_of(mean + reach)) for x, mean, reach in course]
            + [(x, y_of(mean - reach)) for x, mean, reach in reversed(course)]
        ),
        foretold=_path(
            [(x_of(number), y_of(high)) for number, _, (_, high) in later]
            + [(x_of(number), y_of(low)) for number, _, (low, _) in reversed(later)]
        ),
        now_x=px(LEFT + count * scale_x),
        last_number=count,
        ahead=ahead,
    )


def _path(points: Sequence[tuple[float, float]]) -> str:
    return " ".join(f"{x},{y}" for x, y in points)
