"""Lengths as a smith types and reads them; stored always in the family's own unit."""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass

from keycore.coordinate import FULL_TURN, Coordinate
from keycore.family import End, Family, Track
from keycore.tools import Tool
from keycore.units import Unit, convert
from wryfalcon.refusal import NotDone

_ENTRY = re.compile(
    r"""^\s*(?P<number>[+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+))\s*(?P<unit>mm|in|inch|inches|thou|"|'')?\s*$""",
    re.IGNORECASE | re.ASCII,
)
_INCHES = {"in", "inch", "inches", '"', "''"}
TEN_THOUSANDTHS_FROM = 1000  # a bare whole number this large in an inch shop
HUNDREDTHS_FROM = 100  # a bare whole number this large in a millimetre shop means hundredths


class NotALength(NotDone):
    """What was typed is not a length; the text says what would be."""


@dataclass(frozen=True, slots=True)
class Understood:
    """A length as understood: the value in the unit asked for, and how it was read if not plainly."""

    value: float
    read_as: str


def parse_length(typed: str, shop: Unit, wanted: Unit, near: tuple[float, float] | None = None) -> Understood:
    """Understand ``0.301``, ``.301``, ``0,301``, ``7.65 mm``, ``301`` as thousandths of an inch, ``3225`` as 0.3225.

    ``near`` is where the value can lie, in the unit wanted: it decides where a bare whole number could be read two
    ways. Raises NotALength.

    >>> parse_length("3225", Unit.INCH, Unit.INCH).value, parse_length("1250", Unit.INCH, Unit.INCH, (1, 2)).value
    (0.3225, 1.25)
    >>> parse_length("301", Unit.INCH, Unit.INCH)
    Understood(value=0.301, read_as='0.301 in')
    >>> parse_length("7,65 mm", Unit.INCH, Unit.MILLIMETRE).value
    7.65
    """
    match = _ENTRY.match(typed)
    if match is None:
        raise NotALength(f"“{typed.strip()[:20]}” is not a length. Type it as 0.301, 301 or 7.65 mm.")
    number = match["number"].replace(",", ".")
    said = (match["unit"] or "").lower()
    unit = Unit.MILLIMETRE if said == "mm" else Unit.INCH if said in {*_INCHES, "thou"} else shop
    value, read_as = float(number), ""
    whole = number.lstrip("+-").isdigit()
    if said == "thou":
        value /= 1000
        read_as = f"{value:.3f} in"
    elif not said and unit == Unit.INCH and whole and value >= 1:
        parts = (1000,) if value < TEN_THOUSANDTHS_FROM else (10_000, 1000)
        value = _likeliest([value / part for part in parts], unit, wanted, near)
        read_as = f"{value:.4f} in" if len(parts) > 1 else f"{value:.3f} in"
    elif not said and unit == Unit.MILLIMETRE and whole and value >= HUNDREDTHS_FROM:
        value = _likeliest([value / 100, value / 1000], unit, wanted, near)
        read_as = f"{value:.3f} mm" if value < HUNDREDTHS_FROM / 100 else f"{value:g} mm"
    elif said and unit != shop:
        read_as = f"{value:g} {unit}"
    return Understood(convert(value, unit, wanted), read_as)


def _likeliest(readings: list[float], unit: Unit, wanted: Unit, near: tuple[float, float] | None) -> float:
    """The first reading of a bare whole number that can be; the usual one where none can, or nothing bounds it."""
    fits = [each for each in readings if near and near[0] <= convert(each, unit, wanted) <= near[1]]
    return (fits or readings)[0]


_ANGLE = re.compile(
    r"^\s*(?P<number>[+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+))\s*(?:°|deg|degrees)?\s*$", re.IGNORECASE | re.ASCII
)


def parse_value(typed: str, shop: Unit, coordinate: Coordinate, near: tuple[float, float] | None = None) -> Understood:
    """Understand a typed value of a coordinate: a length as ``parse_length`` does, an angle in degrees.

    ``near`` is where it can lie: an angle that goes round is moved by whole turns to lie there. Raises NotALength.

    >>> from keycore.coordinate import Quantity
    >>> turned = Coordinate("angle of the cut", Quantity.ANGLE, is_round=True)
    >>> parse_value("36", Unit.INCH, turned).value, parse_value("358°", Unit.INCH, turned, (0, 90)).value
    (36.0, -2.0)
    """
    if coordinate.is_length:
        return parse_length(typed, shop, coordinate.unit, near)
    match = _ANGLE.match(typed)
    if match is None:
        raise NotALength(f"“{typed.strip()[:20]}” is not an angle. Type it in degrees, as 36 or 36.5.")
    value = float(match["number"].replace(",", "."))
    moved = coordinate.near(value, *near) if near else value
    return Understood(moved, "" if moved == value else f"{moved:g}°")


def meant_in_other_unit(typed: str, shop: Unit, coordinate: Coordinate, near: tuple[float, float]) -> str:
    """As ``meant_otherwise`` for a coordinate; angles have no other unit. Raises NotALength."""
    return meant_otherwise(typed, shop, coordinate.unit, near) if coordinate.is_length else ""


def other_unit(typed: str, shop: Unit) -> str:
    """The same without a unit of its own, said in the other unit; "" where a unit was typed, or no length.

    >>> other_unit("6.35", Unit.INCH), other_unit(".25", Unit.MILLIMETRE), other_unit("6.35 in", Unit.INCH)
    ('6.35 mm', '.25 in', '')
    """
    match = _ENTRY.match(typed)
    if match is None or match["unit"]:
        return ""
    return f"{match['number']} {'mm' if shop == Unit.INCH else 'in'}"


def meant_otherwise(typed: str, shop: Unit, wanted: Unit, near: tuple[float, float]) -> str:
    """The same in the other unit, where only that can be: a bare value that lies outside ``near`` and would lie within.

    ``near`` is in the unit wanted. Returns "" for any other value. Raises NotALength.

    >>> near = (0.1, 0.4)
    >>> meant_otherwise("6.35", Unit.INCH, Unit.INCH, near), meant_otherwise("0.25", Unit.INCH, Unit.INCH, near)
    ('6.35 mm', '')
    """
    low, high = near
    other = other_unit(typed, shop)
    if not other or low <= parse_length(typed, shop, wanted, near).value <= high:
        return ""
    return other if low <= parse_length(other, shop, wanted).value <= high else ""


_BEFORE_UNIT = re.compile(r"(?<=[\d.,])\s+(?=(?:mm|inch|inches|in|thou)\b|°)", re.IGNORECASE)


def split_lengths(line: str) -> list[str]:
    """The lengths of a line, a unit after a space kept with its number.

    >>> split_lengths("1.00 mm 2.35mm  .301 54 °")
    ['1.00mm', '2.35mm', '.301', '54°']
    """
    return _BEFORE_UNIT.sub("", line).split()


def show_length(value: float, unit: Unit, shown: Unit, fine: bool = False, signed: bool = False) -> str:
    """A length as text, without its unit: 0.001 in or 0.01 mm, ten times finer when asked.

    >>> show_length(0.3014, Unit.INCH, Unit.INCH), show_length(0.3, Unit.INCH, Unit.MILLIMETRE)
    ('0.301', '7.62')
    """
    places = (3 if shown == Unit.INCH else 2) + fine
    return _written(convert(value, unit, shown), places, signed=signed)


def _written(number: float, places: int, *, signed: bool = False) -> str:
    rounded = round(number, places) + 0.0  # never a minus before nothing
    return f"{rounded:{'+' if signed and rounded else ''}.{places}f}".replace("-", "\N{MINUS SIGN}")


def show_value(
    coordinate: Coordinate, value: float, shown: Unit | None = None, *, fine: bool = False, signed: bool = False
) -> str:
    """A value of a coordinate as text, without its unit: a length in the unit shown, else its own; an angle in degrees.

    >>> from keycore.coordinate import Quantity
    >>> show_value(Coordinate("left at the root", unit=Unit.INCH), 0.3)
    '0.300'
    >>> show_value(Coordinate("angle of the cut", Quantity.ANGLE), 36.0, Unit.INCH)
    '36.0'
    """
    if coordinate.is_length:
        return show_length(value, coordinate.unit, shown or coordinate.unit, fine=fine, signed=signed)
    return _written(value, 1 + fine, signed=signed)


@dataclass(frozen=True, slots=True)
class Preference:
    """How whoever is looking likes figures: their unit of length, and whether to one decimal more."""

    unit: Unit = Unit.MILLIMETRE
    fine: bool = False


NOBODYS = Preference()
_SHOWN: ContextVar[Preference] = ContextVar("figures_shown", default=NOBODYS)
"""As Django has a time zone for whoever asks; machines' own millimetres where nobody does."""


@contextmanager
def shown_in(unit: Unit, *, fine: bool = False) -> Iterator[None]:
    """Say lengths in this unit for as long as it lasts.

    >>> with shown_in(Unit.INCH):
    ...     say_mm(2.54)
    '0.1000 in'
    """
    before = _SHOWN.set(Preference(unit, fine))
    try:
        yield
    finally:
        _SHOWN.reset(before)


def unit_shown() -> Unit:
    """The unit of whoever is looking."""
    return _SHOWN.get().unit


def figures_shown() -> Preference:
    """How whoever is looking likes figures, to keep what is drawn for them apart from what is drawn for others."""
    return _SHOWN.get()


def unit_words(coordinate: Coordinate) -> str:
    """The unit that a coordinate's figures are shown in."""
    return unit_shown().value if coordinate.is_length else coordinate.unit_name


def figure(coordinate: Coordinate, value: float, *, fine: bool = False) -> str:
    """A value of a coordinate as whoever is looking likes it, without its unit.

    >>> from keycore.coordinate import Quantity
    >>> with shown_in(Unit.INCH):
    ...     figure(Coordinate("left at the root"), 7.62), figure(Coordinate("angle", Quantity.ANGLE), 7.62)
    ('0.300', '7.6')
    """
    return show_value(coordinate, value, unit_shown(), fine=fine or _SHOWN.get().fine)


def say_figure(coordinate: Coordinate, number: float) -> str:
    """A machine's number of a coordinate, mm or degrees, with its unit, for sentences.

    >>> from keycore.coordinate import Quantity
    >>> say_figure(Coordinate("left at the root"), 0.05), say_figure(Coordinate("angle", Quantity.ANGLE), 36.0)
    ('0.050 mm', '36.00°')
    """
    return say_mm(number) if coordinate.is_length else f"{as_machine(coordinate, number)}°"


def say_value(coordinate: Coordinate, value: float, *, fine: bool = False) -> str:
    """A value of a coordinate with its unit, for sentences.

    >>> from keycore.coordinate import Quantity
    >>> say_value(Coordinate("left at the root"), 7.62), say_value(Coordinate("angle", Quantity.ANGLE), 36.0)
    ('7.62 mm', '36.0°')
    """
    return f"{figure(coordinate, value, fine=fine)}{' ' if coordinate.is_length else ''}{unit_words(coordinate)}"


def say_difference(coordinate: Coordinate, value: float) -> str:
    """A difference of two values with its sign and unit, finely: corrections are small.

    >>> say_difference(Coordinate("left at the root"), -0.0512)
    '−0.051 mm'
    """
    return f"{'+' if value > 0 else '−'}{say_value(coordinate, abs(value), fine=True)}"


def say_tool(lengths: Coordinate, tool: Tool) -> str:
    """A tool's size, and its angle where it has one; ``lengths`` are those of the family or cutter it is of.

    >>> from keycore.tools import Mill, Wheel
    >>> say_tool(Coordinate("length"), Wheel(1.0, 90.0)), say_tool(Coordinate("length"), Mill(2.5))
    ('1.00 mm and 90°', '2.50 mm')
    """
    size, angle = say_mm(lengths.to_machine(tool.size), places=2), getattr(tool, "angle", None)
    return size if angle is None else f"{size} and {angle:g}°"


def say_depth(family: Family, unit: Unit, value: float, signed: bool = False) -> str:
    """A depth error of a family with its unit, finely, in a unit named outright.

    >>> from keycore.documents.family import read_family
    >>> say_depth(read_family("harbour-five"), Unit.INCH, 0.0042)
    '0.0042 in'
    """
    said = show_value(family.depth, value, unit, fine=True, signed=signed)
    return f"{said} {unit}" if family.depth.is_length else f"{said}{family.depth.unit_name}"


def as_machine(coordinate: Coordinate, number: float) -> str:
    """A machine's number of a coordinate, mm or degrees, finely, without its unit.

    >>> as_machine(Coordinate("left at the root", unit=Unit.INCH), 7.6204)
    '7.620'
    """
    return mm_as_shown(number) if coordinate.is_length else show_value(coordinate, number, fine=True)


def mm_as_shown(mm: float, places: int = 3, *, signed: bool = False) -> str:
    """A machine's millimetres in the unit of whoever is looking, without it; inches to one place more.

    >>> mm_as_shown(0.0254), mm_as_shown(-0.05, signed=True)
    ('0.025', '−0.050')
    """
    places += unit_shown() == Unit.INCH
    return _written(convert(mm, Unit.MILLIMETRE, unit_shown()), places, signed=signed)


def say_mm(mm: float, places: int = 3, *, signed: bool = False) -> str:
    """The same with its unit, for sentences.

    >>> say_mm(0.0254), say_mm(0.05, places=2, signed=True)
    ('0.025 mm', '+0.05 mm')
    """
    return f"{mm_as_shown(mm, places, signed=signed)} {unit_shown()}"


def show_small(coordinate: Coordinate, value: float, shown: Unit) -> str:
    """A small difference as the trade says it: thou, hundredths of a millimetre, tenths of a degree.

    >>> depth = Coordinate("left at the root", unit=Unit.INCH)
    >>> show_small(depth, -0.0077, Unit.INCH), show_small(depth, 0.0077, Unit.MILLIMETRE)
    ('7.7 thou', '0.20 mm')
    """
    if not coordinate.is_length:
        return f"{abs(value):.1f}°"
    size = abs(convert(value, coordinate.unit, shown))
    return f"{size * 1000:.1f} thou" if shown == Unit.INCH else f"{size:.2f} mm"


def can_measure(family: Family, track: Track) -> tuple[float, float]:
    """Between what values a cut of this track can be measured, in the unit of its depth.

    Lengths go from half of the deepest to a little above the blank, angles a step beyond the table at either end.

    >>> from keycore.documents.family import read_family
    >>> harbour = read_family("harbour-five")
    >>> [round(end, 4) for end in can_measure(harbour, harbour.tracks[0])]
    [0.113, 0.3641]
    """
    low, high = min(track.values), max(track.values)
    if not family.depth.is_length:
        step = (high - low) / max(1, len(track.values) - 1) or FULL_TURN / 8
        return low - step, high + step
    uncut = family.kind.uncut(family, track) or (family.blank.height if family.blank else 0.0)
    return low / 2, max(high, uncut) * 1.1


def how_to_type(coordinate: Coordinate, shop: Unit, *, pins: bool = False) -> str:
    """What may be typed for a value, in a sentence.

    >>> how_to_type(Coordinate("left at the root"), Unit.INCH)
    '0.301, .301 or 301; 7.65 mm too.'
    """
    if pins:
        stack = "0.195+0.030" if shop == Unit.INCH else "4.95+0.76"
        return f"The bottom pin’s length; with wafers over it, bottom + wafer: {stack}; / top where it was measured."
    if not coordinate.is_length:
        return "Degrees: 36 or 36.5."
    return "0.301, .301 or 301; 7.65 mm too." if shop == Unit.INCH else "7.65 or 765; 0.301 in too."


def end_words(family: Family, end: str) -> str:
    """What cuts are counted from, as keys of this family call it."""
    return family.kind.ends[0 if end == End.BOW else 1]
