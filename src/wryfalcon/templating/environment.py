"""The environment that pages are rendered in: what their templates may call and how they write figures."""

from __future__ import annotations

from datetime import date, datetime
from functools import lru_cache
from typing import Any

from django.http import HttpRequest
from django.middleware.csrf import get_token
from django.template import defaultfilters
from django.templatetags.static import static
from django.urls import get_script_prefix, reverse
from django.utils.crypto import get_random_string
from django.utils.html import format_html_join
from django.utils.timezone import localtime
from jinja2 import ChainableUndefined, Environment

from wryfalcon.drawings.strip import in_100
from wryfalcon.numbers import thousands
from wryfalcon.templating import drawn, figures, press

FILTERS = (
    drawn.add_px, drawn.course_chart, drawn.lane_taps, drawn.minus, drawn.other_face, drawn.wheel_section,
    figures.at_place, figures.at_source, figures.bitting_words, figures.clamped, figures.doubled, figures.entry,
    figures.fixed, figures.grouped, figures.label_at, figures.may_do, figures.mm, figures.options, figures.plainly,
    figures.say, figures.shown, figures.shown_fine, figures.small, figures.trial_rows, figures.unit_of,
    in_100, press.press_fields, thousands,
    defaultfilters.capfirst, defaultfilters.default_if_none, defaultfilters.pluralize, defaultfilters.truncatechars,
)  # fmt: skip


class Nothing(ChainableUndefined):
    """A name that a page was not given: it reads as nothing, and is neither more nor less than any figure."""

    def _is_not(self, other: object) -> bool:
        return False

    __lt__ = __le__ = __gt__ = __ge__ = _is_not  # type: ignore[assignment]


def tokens(request: HttpRequest) -> dict[str, str]:
    """What every form is posted with: the token, masked once a page, and the key of the entry that it makes."""
    token = get_token(request)
    hidden = '<input type="hidden" name="{}" value="{}">'
    named = [("csrfmiddlewaretoken", token), ("entry", get_random_string(12))]
    field = format_html_join("", hidden, named)
    return {"csrf_token": token, "csrf_input": field}


def environment(**options: Any) -> Environment:
    """Jinja's environment as Django asks for it; a name that a page was not given reads as nothing.

    >>> page = environment().from_string("{{ tag.customer.name }}{{ 345|thousands }}{% if tag.left < 2 %}!{% endif %}")
    >>> page.render()
    '345'
    """
    # Nothing is worked out when a template is compiled: it would stand in the unit of whoever came first.
    made = Environment(**{**options, "undefined": Nothing, "optimized": False})
    made.filters.update({each.__name__: each for each in FILTERS}, date=_date, day=_day, moment=_moment)
    made.globals.update(url=_url, static=lru_cache(static), bench_drawing=drawn.bench_drawing)
    return made


def _url(name: str, *args: Any, **kwargs: Any) -> str:
    """An address below wherever the application is served."""
    return _reversed(get_script_prefix(), name, *args, **kwargs)


@lru_cache(maxsize=4096, typed=True)
def _reversed(_: str, name: str, *args: Any, **kwargs: Any) -> str:
    """Worked out once, since a page names dozens of addresses and none of them ever changes."""
    return reverse(name, args=args, kwargs=kwargs)


def _date(value: date | datetime | None, form: str) -> str:
    """A date, or a moment as the shop's clock has it; far quicker than by Django's letters."""
    return "" if value is None else (localtime(value) if isinstance(value, datetime) else value).strftime(form)


def _day(value: date | datetime | None) -> str:
    """A day with its year."""
    return _date(value, "%-d %b %Y")


def _moment(value: datetime | None) -> str:
    """A day with its year and the time."""
    return _date(value, "%-d %b %Y, %H:%M")
