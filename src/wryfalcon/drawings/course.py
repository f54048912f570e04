"""A machine's course over its keys or over time: errors, estimate and band, what was done, what is foretold."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from keycore.machines.course import Course
from wryfalcon.drawings.sheet import px
from wryfalcon.lengths import mm_as_shown, unit_shown

WIDTH, HEIGHT = 1120.0, 300.0
LEFT, RIGHT, TOP, BOTTOM = 58.0, 1100.0, 26.0, 262.0
AHEAD = 0.35  # of what was so far, drawn as foretold
FEWEST_AHEAD = 5
STEPS = 12  # of the foretold part


@dataclass(frozen=True)
class CoursePlaces:
    """Where along the chart everything stands: by number of keys, or by days since the first."""

    keys: tuple[float, ...]
    marks: tuple[float, ...]
    swaps: tuple[float, ...]
    now: float
    ahead: float  # how far it is foretold
    keys_each: float  # made in one unit of the axis
    days_each: float
    first: str  # words at the beginning
    later: str  # words beyond now


def over_keys(count: int, marks: Sequence[int], swaps: Sequence[int], days_a_key: float) -> CoursePlaces:
    """One place for each key, however long the pauses."""
    ahead = max(FEWEST_AHEAD, round(count * AHEAD))
    return CoursePlaces(
        keys=tuple(number + 0.5 for number in range(count)), marks=tuple(map(float, marks)),
        swaps=tuple(map(float, swaps)), now=count, ahead=ahead,
        keys_each=1.0, days_each=days_a_key, first="key 1", later=f"now; the next {ahead} keys, 9 in 10",
    )  # fmt: skip


def over_days(
    keys: Sequence[float], marks: Sequence[float], swaps: Sequence[float], now: float, days_a_key: float, began: str
) -> CoursePlaces:
    """Each key at its day; ahead as many keys a day as in the last month."""
    ahead = max(FEWEST_AHEAD, round(now * AHEAD))
    return CoursePlaces(
        keys=tuple(keys), marks=tuple(max(0.0, mark) for mark in marks),
        swaps=tuple(max(0.0, swap) for swap in swaps), now=max(now, 1.0), ahead=ahead,
        keys_each=1 / days_a_key if days_a_key else 0.0, days_each=1.0, first=began,
        later=f"today; the next {ahead} days, 9 in 10",
    )  # fmt: skip


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
class SwapTick:
    """One wheel put on for another."""

    x: float
    title: str


@dataclass(frozen=True)
class CourseWords:
    """What was done to the machine, and which wheels were put on, in the order of their places."""

    marks: tuple[str, ...]
    swaps: tuple[str, ...]


@dataclass(frozen=True)
class Level:
    """A line across the chart."""

    y: float
    words: str


@dataclass(frozen=True)
class CourseChart:
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
    swaps: tuple[SwapTick, ...]
    estimates: tuple[str, ...]  # broken where the machine was touched
    bands: tuple[str, ...]
    foretold: str
    now_x: float
    first: str
    later: str
    unit: str

    @property
    def words(self) -> str:
        """What it shows, for whoever does not see it."""
        return (
            f"Depth error of {len(self.dots)} keys in the order they were made, shallow upwards, with the estimate "
            "and what is foretold"
        )


def draw_course(
    course: Course, errors: Sequence[tuple[float, str]], words: CourseWords, places: CoursePlaces, tolerance: float
) -> CourseChart:
    """Draw (error, title) of each key, what was done, and the estimate; mm, shallow up."""
    later = _foretold(course, places)
    # A key that was not seated is drawn at the edge: it would press the others flat.
    seated = [abs(error) for (error, _), at in zip(errors, course.points, strict=True) if not at.is_misseated]
    reach = max(tolerance * 0.8, *seated, *map(abs, later[-1][1:])) * 1.08
    scale_x, scale_y = (RIGHT - LEFT) / (places.now + places.ahead), (BOTTOM - TOP) / (2 * reach)
    zero = (TOP + BOTTOM) / 2

    def x_of(place: float) -> float:
        return px(LEFT + place * scale_x)

    def y_of(error: float) -> float:
        return px(min(max(zero - error * scale_y, TOP), BOTTOM))

    pieces = _between_marks(course, places)
    half = tolerance / 2
    return CourseChart(
        width=WIDTH,
        height=HEIGHT,
        left=LEFT,
        right=RIGHT,
        top=TOP,
        bottom=BOTTOM,
        zero=px(zero),
        band=(y_of(half), px(y_of(-half) - y_of(half))),
        levels=tuple(Level(y_of(at), mm_as_shown(at, signed=True)) for at in (half, -half)),
        dots=tuple(
            KeyDot(x_of(place), y_of(error), at.is_misseated, title)
            for place, (error, title), at in zip(places.keys, errors, course.points, strict=True)
        ),
        marks=tuple(
            MarkLine(x_of(place), says, px(TOP + 10 + 15 * (number % 3)))
            for number, (place, says) in enumerate(zip(places.marks, words.marks, strict=True))
        ),
        estimates=tuple(_path([(x_of(x), y_of(mean)) for x, mean, _ in piece]) for piece in pieces),
        bands=tuple(
            _path(
                [(x_of(x), y_of(mean + reach)) for x, mean, reach in piece]
                + [(x_of(x), y_of(mean - reach)) for x, mean, reach in reversed(piece)]
            )
            for piece in pieces
        ),
        foretold=_path(
            [(x_of(place), y_of(high)) for place, _, high in later]
            + [(x_of(place), y_of(low)) for place, low, _ in reversed(later)]
        ),
        swaps=tuple(SwapTick(x_of(at), says) for at, says in zip(places.swaps, words.swaps, strict=True)),
        now_x=x_of(places.now),
        first=places.first,
        later=places.later,
        unit=unit_shown().value,
    )


def _between_marks(course: Course, places: CoursePlaces) -> list[list[tuple[float, float, float]]]:
    """The estimate as (place, mean, two standard deviations), a piece for each time between two touches."""
    pieces: dict[int, list[tuple[float, float, float]]] = {}
    for place, each in zip(places.keys, course.points, strict=True):
        if each.is_misseated:  # it taught nothing
            continue
        after = sum(mark <= place for mark in places.marks)
        pieces.setdefault(after, []).append((place, each.offset.mean, 2 * each.offset.sd))
    return list(pieces.values())


def _foretold(course: Course, places: CoursePlaces) -> list[tuple[float, float, float]]:
    """Places from now on with the interval of the offset there."""
    found = []
    for step in range(STEPS + 1):
        on = places.ahead * step / STEPS
        low, high = course.interval(on * places.keys_each, days=on * places.days_each)
        found.append((places.now + on, low, high))
    return found


def _path(points: Sequence[tuple[float, float]]) -> str:
    return " ".join(f"{x},{y}" for x, y in points)
