"""Lengths and other figures as this person likes to see them."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, datetime
from typing import Any
from urllib.parse import urlencode

from django import template

from keycore.coordinate import Coordinate
from keycore.units import Unit
from wryfalcon.accounts.permissions import Act, may
from wryfalcon.drawings.strip import chance_words, in_100
from wryfalcon.lengths import figure, figures_shown, mm_as_shown, say_mm, show_small, show_value, unit_shown, unit_words
from wryfalcon.numbers import thousands

register = template.Library()
for each in (chance_words, in_100, thousands, unit_words):
    register.filter(each.__name__, each)


def _coordinate(of: Coordinate | str) -> Coordinate:
    """What a figure is of: a coordinate, or a length in a unit."""
    return of if isinstance(of, Coordinate) else Coordinate("length", unit=Unit(of))


@register.filter
def shown(value: float | None, of: Coordinate | str) -> str:
    """A value of a coordinate, or a length in a unit, as this person sees it, without its unit; a dash for none."""
    return "–" if value is None else figure(_coordinate(of), value)


@register.filter
def shown_fine(value: float | None, of: Coordinate | str) -> str:
    """As ``shown`` with one more decimal, for errors and means."""
    return "–" if value is None else figure(_coordinate(of), value, fine=True)


@register.filter
def shown_signed(value: float | None, of: Coordinate | str) -> str:
    """As ``shown`` with its sign."""
    return _signed(value, of, fine=figures_shown().fine)


@register.filter
def shown_fine_signed(value: float | None, of: Coordinate | str) -> str:
    """As ``shown_fine`` with its sign."""
    return _signed(value, of, fine=True)


def _signed(value: float | None, of: Coordinate | str, *, fine: bool) -> str:
    return "–" if value is None else show_value(_coordinate(of), value, unit_shown(), fine=fine, signed=True)


@register.filter
def small(value: float, of: Coordinate | str) -> str:
    """A small difference in words: thou, hundredths or degrees."""
    return show_small(_coordinate(of), value, unit_shown())


@register.filter
def at_source(here: str, source: Any) -> str:
    """The address of a source on the read stage, or of its track where it is not begun yet."""
    record = source.record
    asked = {"track": record.track} | ({"source": record.pk} if record.pk else {})
    return f"{here}?{urlencode(asked)}"


@register.filter
def at_place(place: int, listed: str) -> str:
    """The entry at a place, counted from 1, of a list with commas; "" where there is none."""
    entries = listed.split(",")
    return entries[place - 1] if 0 < place <= len(entries) else ""


@register.filter
def pairs(named: Mapping[str, Any]) -> list[tuple[str, Any]]:
    """Names and what they name: asked of a mapping itself, which may name something "items".

    >>> pairs({"items": 1})
    [('items', 1)]
    """
    return list(named.items())


@register.filter
def grouped(labels: list[str]) -> str:
    r"""A bitting in groups of three for reading aloud; it breaks between groups only.

    >>> grouped(["3", "5", "2", "4", "1"]).replace("\xa0", "_")
    '3_5_2 · 4_1'
    """
    groups = ["\N{NO-BREAK SPACE}".join(labels[i : i + 3]) for i in range(0, len(labels), 3)]
    return " · ".join(groups)


@register.filter
def fixed(number: float, places: int) -> str:
    """A figure to so many decimals, never a minus before nothing.

    >>> fixed(-0.0204, 3), fixed(-0.0001, 3)
    ('-0.020', '0.000')
    """
    return f"{round(number, places) + 0.0:.{places}f}"


@register.filter
def doubled(number: float) -> float:
    """Twice a standard deviation: 19 times in 20.

    >>> doubled(0.5)
    1.0
    """
    return 2 * number


@register.filter
def plainly(number: float) -> str:
    """A figure with no more decimals than it needs, one at most.

    >>> plainly(90.0), plainly(87.5)
    ('90', '87.5')
    """
    return f"{round(number, 1):g}"


@register.filter
def may_do(user: Any, act: str) -> bool:
    """Whether this person may do something, by the act's name."""
    return may(user, Act[act.upper()])


@register.simple_tag
def clamped(clamping: Any, number: int, of: Coordinate) -> str:
    """What one clamping's cut measured, finely; a dash for none."""
    value, _ = clamping.values.get(number, (None, None))
    return shown_fine(value, of)


@register.filter
def label_at(reading: Any, cut: int) -> str:
    """The label a reading is settled on at a cut, "" where it is not."""
    labels = reading.labels
    return labels[cut - 1] if 1 <= cut <= len(labels) else ""


@register.filter
def bitting_words(posterior: Any) -> str:
    """The likeliest bitting of a posterior as labels."""
    return " ".join(posterior.track.labels[step] for step in posterior.best)


@register.filter
def mm(number: float | None, places: int = 3) -> str:
    """A machine's millimetres in the unit of whoever is looking, without it; a dash for none."""
    return "–" if number is None else mm_as_shown(number, places)


@register.filter
def say(number: float, places: int = 3) -> str:
    """The same with its unit, for sentences."""
    return say_mm(number, places)


@register.filter(expects_localtime=True)
def day(value: date | datetime | None) -> str:
    """A day with its year."""
    return "" if value is None else f"{value:%-d %b %Y}"


@register.filter(expects_localtime=True)
def moment(value: datetime | None) -> str:
    """A day with its year and the time."""
    return "" if value is None else f"{value:%-d %b %Y, %H:%M}"
