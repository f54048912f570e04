"""Drawings in pages, and the small arithmetic their templates need."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import Any

from django import template
from django.template.loader import render_to_string
from django.utils.safestring import SafeString, mark_safe

from wryfalcon.drawings.paper import paper_laid

register = template.Library()
PARTS = ("key", "strip", "errors", "cutter_x", "cutter_y", "lane_link", "drawing_styles", "paper")


@register.filter
def add_px(number: float, other: float) -> float:
    """A coordinate moved by so much."""
    return round(float(number) + float(other), 2)


@register.filter
def minus(number: float, other: float) -> float:
    """A distance between two coordinates."""
    return round(float(number) - float(other), 2)


@register.simple_tag(takes_context=True)
def bench_drawing(context: template.Context) -> SafeString:
    """The large drawing of the key and what hangs under it, from the page's context."""
    return _rendered((*(context.get(name) for name in PARTS[:-1]), paper_laid()))


@register.filter
def other_face(key: Any) -> SafeString:
    """The key looked at on another face, below the large drawing and by its arrows."""
    return _rendered_face(key, paper_laid())


@register.simple_tag
def lane_taps(taps: Sequence[Any], width: float | None, height: float) -> SafeString:
    """The lanes as what is tapped, over the drawing."""
    return _rendered_taps(tuple(taps), width or UNDRAWN, height)


@register.filter
def course_chart(chart: Any) -> SafeString:
    """A machine's course; drawn once for the same keys."""
    return _rendered_course(chart)


@register.filter
def wheel_section(drawing: Any) -> SafeString:
    """The section a wheel leaves."""
    return mark_safe(render_to_string("drawings/wheel.svg", {"drawing": drawing}))


UNDRAWN = 860  # as wide as a desk's drawing, where no key is drawn


@lru_cache(maxsize=64)
def _rendered_taps(taps: tuple[Any, ...], width: float, height: float) -> SafeString:
    context = {"taps": taps, "width": width, "height": height}
    return mark_safe(render_to_string("drawings/lane_taps.svg", context))


@lru_cache(maxsize=64)
def _rendered_face(key: Any, paper: Any) -> SafeString:
    return mark_safe(render_to_string("drawings/other_face.svg", {"key": key, "paper": paper}))


@lru_cache(maxsize=16)
def _rendered_course(chart: Any) -> SafeString:
    return mark_safe(render_to_string("drawings/course.svg", {"chart": chart}))


@lru_cache(maxsize=256)
def _rendered(parts: tuple[Any, ...]) -> SafeString:
    """A drawing is the same every time its frozen parts are: polling pages draw it once."""
    return mark_safe(render_to_string("drawings/bench.svg", dict(zip(PARTS, parts, strict=True))))
