"""Small arithmetic for drawings."""

from __future__ import annotations

from django import template

register = template.Library()


@register.filter
def add_px(number: float, other: float) -> float:
    """A coordinate moved by so much."""
    return round(float(number) + float(other), 2)


@register.filter
def minus(number: float, other: float) -> float:
    """A distance between two coordinates."""
    return round(float(number) - float(other), 2)
