"""Lengths and other figures as this person likes to see them."""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache
from typing import Any
from urllib.parse import urlencode

from django import forms
from django.forms import BoundField
from django.forms.utils import flatatt
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString, mark_safe
from jinja2 import pass_context
from jinja2.runtime import Context

from keycore.coordinate import Coordinate
from keycore.units import Unit
from wryfalcon.accounts.permissions import Act, may
from wryfalcon.drawings.strip import chance_words
from wryfalcon.lengths import mm_as_shown, say_mm, show_small, show_value

TRIAL_ROW = (
    '<tr><td class="num">{}</td><td class="num">{}</td><td>{}</td>'
    '<td class="font-semibold tracking-widest whitespace-nowrap">{}</td><td class="num">{}</td>'
    '<td class="print-only whitespace-nowrap">☐ goes in ☐ turns</td></tr>'
)


def shown_unit(context: Context, unit: str) -> Unit:
    """The unit this person sees; on paper, where nobody is looking, the family's own."""
    return Unit(str(context.get("unit") or unit))


def _coordinate(of: Coordinate | str) -> Coordinate:
    """What a figure is of: a coordinate, or a length in a unit."""
    return of if isinstance(of, Coordinate) else Coordinate("length", unit=Unit(of))


@pass_context
def shown(context: Context, value: float | None, of: Coordinate | str, signed: bool = False) -> str:
    """A value of a coordinate, or a length in a unit, as this person sees it, without its unit; a dash for none."""
    return _shown(context, value, of, fine=bool(context.get("fine")), signed=signed)


@pass_context
def shown_fine(context: Context, value: float | None, of: Coordinate | str, signed: bool = False) -> str:
    """As ``shown`` with one more decimal, for errors and means."""
    return _shown(context, value, of, fine=True, signed=signed)


def _shown(context: Context, value: float | None, of: Coordinate | str, *, fine: bool, signed: bool) -> str:
    coordinate = _coordinate(of)
    if value is None:
        return "–"
    return show_value(coordinate, value, shown_unit(context, coordinate.unit), fine=fine, signed=signed)


@pass_context
def unit_of(context: Context, of: Coordinate) -> str:
    """The unit that a coordinate's figures are shown in: this person's, or degrees."""
    return shown_unit(context, of.unit).value if of.is_length else of.unit_name


@pass_context
def small(context: Context, value: float, of: Coordinate | str) -> str:
    """A small difference in words: thou, hundredths or degrees."""
    coordinate = _coordinate(of)
    return show_small(coordinate, value, shown_unit(context, coordinate.unit))


def at_source(here: str, source: Any) -> str:
    """The address of a source on the read stage, or of its track where it is not begun yet."""
    record = source.record
    asked = {"track": record.track} | ({"source": record.pk} if record.pk else {})
    return f"{here}?{urlencode(asked)}"


def at_place(place: int, listed: str) -> str:
    """The entry at a place, counted from 1, of a list with commas; "" where there is none."""
    entries = listed.split(",")
    return entries[place - 1] if 0 < place <= len(entries) else ""


def entry(field: BoundField, first: bool = False) -> SafeString:
    """What a form's field is filled in by; text, numbers and choices far quicker than by Django's own templates.

    >>> class Asked(forms.Form):
    ...     name = forms.CharField(max_length=9)
    >>> entry(Asked({"name": "5<6"})["name"], first=True)
    '<input type="text" name="name" value="5&lt;6" id="id_name" maxlength="9" autofocus required>'
    """
    widget = field.field.widget
    attrs = field.build_widget_attrs({**widget.attrs, "id": field.id_for_label, "autofocus": bool(first)}, widget)
    if type(widget) is forms.Select:
        rows = options(widget.choices, field.value())  # type: ignore[arg-type]
        return format_html('<select name="{}"{}>{}</select>', field.html_name, flatatt(attrs), rows)
    if type(widget) not in (forms.TextInput, forms.NumberInput):
        return field.as_widget(attrs={"autofocus": True} if first else None)
    value = widget.format_value(field.value())
    given = {} if value is None else {"value": value}
    own = widget.input_type, field.html_name, flatatt(given), flatatt(attrs)
    return format_html('<input type="{}" name="{}"{}{}>', *own)


def grouped(labels: list[str]) -> str:
    r"""A bitting in groups of three for reading aloud; it breaks between groups only.

    >>> grouped(["3", "5", "2", "4", "1"]).replace("\xa0", "_")
    '3_5_2 · 4_1'
    """
    groups = ["\N{NO-BREAK SPACE}".join(labels[i : i + 3]) for i in range(0, len(labels), 3)]
    return " · ".join(groups)


def options(choices: Iterable[tuple[Any, str]], chosen: Any = "") -> SafeString:
    """The options of a list with the chosen one marked; far quicker than a loop in a template.

    >>> options([("", "–"), ("freely", "freely")], "freely")
    '<option value="">–</option><option value="freely" selected>freely</option>'
    """
    return _options(tuple((str(value), str(words)) for value, words in choices), "" if chosen is None else str(chosen))


@lru_cache(maxsize=128)
def _options(choices: tuple[tuple[str, str], ...], chosen: str) -> SafeString:
    """The same choices are written once, whatever page and however often they are on it."""
    rows = ((value, mark_safe(" selected" if value == chosen else ""), words) for value, words in choices)
    return format_html_join("", '<option value="{}"{}>{}</option>', rows)


def fixed(number: float, places: int) -> str:
    """A figure to so many decimals; far quicker than Django's own, which pages full of figures feel.

    >>> fixed(-0.0204, 3), fixed(-0.0001, 3)
    ('-0.020', '0.000')
    """
    return f"{round(number, places) + 0.0:.{places}f}"


def doubled(number: float) -> float:
    """Twice a standard deviation: 19 times in 20.

    >>> doubled(0.5)
    1.0
    """
    return 2 * number


def plainly(number: float) -> str:
    """A figure with no more decimals than it needs, one at most.

    >>> plainly(90.0), plainly(87.5)
    ('90', '87.5')
    """
    return f"{round(number, 1):g}"


def trial_rows(trials: tuple[Any, ...]) -> SafeString:
    """The rows of a trial sheet; the same keys in the same order are written once."""
    return _trial_rows(trials)


@lru_cache(maxsize=64)
def _trial_rows(trials: tuple[Any, ...]) -> SafeString:
    rows = (
        (number, trial.blank, trial.cut_words, trial.spelled, chance_words(trial.chance))
        for number, trial in enumerate(trials, start=1)
    )
    return format_html_join("", TRIAL_ROW, rows)


def may_do(user: Any, act: str) -> bool:
    """Whether this person may do something, by the act's name."""
    return may(user, Act[act.upper()])


@pass_context
def clamped(context: Context, clamping: Any, number: int, of: Coordinate) -> str:
    """What one clamping's cut measured, finely; a dash for none."""
    value, _ = clamping.values.get(number, (None, None))
    return shown_fine(context, value, of)


def label_at(reading: Any, cut: int) -> str:
    """The label a reading is settled on at a cut, "" where it is not."""
    labels = reading.labels
    return labels[cut - 1] if 1 <= cut <= len(labels) else ""


def bitting_words(posterior: Any) -> str:
    """The likeliest bitting of a posterior as labels."""
    return " ".join(posterior.track.labels[step] for step in posterior.best)


def mm(number: float | None, places: int = 3) -> str:
    """A machine's millimetres in the unit of whoever is looking, without it; a dash for none."""
    return "–" if number is None else mm_as_shown(number, places)


def say(number: float, places: int = 3) -> str:
    """The same with its unit, for sentences."""
    return say_mm(number, places)
