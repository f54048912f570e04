"""A machine's course over its keys or over time: errors, estimate and band, what was done, what is foretold."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from keycore.machines.course import Course
from wryfalcon.drawings.sheet import px
from wryfalcon.lengths import mm_as_shown, unit_shown

AHEAD = 0.35  # of what was so far, drawn as foretold
FEWEST_AHEAD = 5
MOST_TICKS = 5
STEPS = 12  # of the foretold part


@dataclass(frozen=True)
class Frame:
    """How large a chart is, and where its axes lie, pixels."""

    width: float
    height: float
    left: float
    right: float
    top: float
    bottom: float


DESK = Frame(1120.0, 276.0, 58.0, 1100.0, 8.0, 240.0)
PHONE = Frame(360.0, 236.0, 58.0, 354.0, 8.0, 206.0)


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
    is_of_wheel: bool  # cut by the wheel that the chart names


@dataclass(frozen=True)
class MarkLine:
    """Something done to the machine."""

    x: float
    words: str
    text_x: float
    text_y: float
    anchor: str  # "end" where there is more room before it


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
    wheel: str = ""  # the one whose keys are filled


@dataclass(frozen=True)
class CourseKey:
    """One key of a course: its error in mm, its title, and whether the wheel that is named cut it."""

    error: float
    title: str
    is_of_wheel: bool = False


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
    wheel: str
    estimates: tuple[str, ...]  # broken where the machine was touched
    bands: tuple[str, ...]
    foretold: str
    now_x: float
    first: str
    later: str
    unit: str

    @property
    def size(self) -> str:
        """What it is drawn for."""
        return "phone" if self.width < DESK.width else "desk"

    @property
    def legend(self) -> str:
        """How it is read."""
        filled = f" Filled: cut by {self.wheel}." if self.wheel else ""
        ticks = " Ticks: another wheel put on." if self.swaps else ""
        return f"Depth error, {self.unit}: shallow above, deep below; the band is half of the tolerance.{filled}{ticks}"

    @property
    def words(self) -> str:
        """What it shows, for whoever does not see it."""
        return (
            f"Depth error of {len(self.dots)} keys in the order they were made, shallow upwards, with the estimate "
            "and what is foretold"
        )


def draw_course(
    course: Course, keys: Sequence[CourseKey], words: CourseWords, places: CoursePlaces, tolerance: float,
    frame: Frame = DESK,
) -> CourseChart:  # fmt: skip
    """Draw each key, what was done, and the estimate; mm, shallow up."""
    later = _foretold(course, places)
    # A key that was not seated is drawn at the edge: it would press the others flat.
    seated = [abs(key.error) for key, at in zip(keys, course.points, strict=True) if not at.is_misseated]
    reach = max(tolerance * 0.8, *seated, *map(abs, later[-1][1:])) * 1.08
    scale_x = (frame.right - frame.left) / (places.now + places.ahead)
    scale_y = (frame.bottom - frame.top) / (2 * reach)
    zero = (frame.top + frame.bottom) / 2

    def x_of(place: float) -> float:
        return px(frame.left + place * scale_x)

    def y_of(error: float) -> float:
        return px(min(max(zero - error * scale_y, frame.top), frame.bottom))

    pieces = _between_marks(course, places)
    half = tolerance / 2
    return CourseChart(
        width=frame.width,
        height=frame.height,
        left=frame.left,
        right=frame.right,
        top=frame.top,
        bottom=frame.bottom,
        zero=px(zero),
        band=(y_of(half), px(y_of(-half) - y_of(half))),
        levels=tuple(Level(y_of(at), mm_as_shown(at, signed=True)) for at in (half, -half)),
        dots=tuple(
            KeyDot(x_of(place), y_of(key.error), at.is_misseated, key.title, key.is_of_wheel)
            for place, key, at in zip(places.keys, keys, course.points, strict=True)
        ),
        marks=tuple(
            _mark_line(x_of(place), says, frame.top + 10 + 15 * (number % 3), frame)
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
        swaps=_swap_ticks([x_of(at) for at in places.swaps], words.swaps),
        wheel=words.wheel,
        now_x=x_of(places.now),
        first=places.first,
        later=places.later,
        unit=unit_shown().value,
    )


def _mark_line(x: float, says: str, text_y: float, frame: Frame) -> MarkLine:
    is_late = x > (frame.left + frame.right) / 2
    return MarkLine(x, says, px(x - 5 if is_late else x + 5), px(text_y), "end" if is_late else "start")


def _swap_ticks(at: Sequence[float], words: Sequence[str]) -> tuple[SwapTick, ...]:
    """A tick for each swap of wheels; none where there would be a crowd: the keys say whose they are."""
    if len(at) > MOST_TICKS:
        return ()
    return tuple(SwapTick(x, says) for x, says in zip(at, words, strict=True))


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
