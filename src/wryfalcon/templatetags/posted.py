"""What forms post beside what is typed."""

from __future__ import annotations

from collections.abc import Iterable
from secrets import token_urlsafe
from typing import Any
from uuid import uuid4

from django import template
from django.utils.html import format_html
from django.utils.safestring import SafeString

from wryfalcon.machines.line.queries import LineNow

register = template.Library()


@register.simple_tag
def entry_key() -> SafeString:
    """The key of the entry that a form makes: posted twice, it is made once."""
    return format_html('<input type="hidden" name="entry" value="{}">', token_urlsafe(9))


@register.simple_tag
def press_fields(line: LineNow | None = None) -> SafeString:
    """An id for this press, and how much of the machine's log the page shows: what the press rests on."""
    seen = f"{line.status.log}:{line.status.last_event}" if line and line.status else ""
    fields = '<input type="hidden" name="press" value="{}"><input type="hidden" name="seen" value="{}">'
    return format_html(fields, uuid4(), seen)


@register.inclusion_tag("parts/options.html")
def options(choices: Iterable[tuple[Any, str]], chosen: Any = "") -> dict[str, Any]:
    """The options of a list with the chosen one marked, whatever it is typed as."""
    marked = "" if chosen is None else str(chosen)
    return {"rows": [(value, words, str(value) == marked) for value, words in choices]}
