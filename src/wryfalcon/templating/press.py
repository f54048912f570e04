"""Hidden fields of forms that ask something of a machine."""

from __future__ import annotations

from uuid import uuid4

from django.utils.html import format_html
from django.utils.safestring import SafeString

from wryfalcon.machines.queries.line import LineNow


def press_fields(line: LineNow | None) -> SafeString:
    """An id for this press, and how much of the machine's log the page shows: what the press rests on."""
    seen = f"{line.status.log}:{line.status.last_event}" if line and line.status else ""
    fields = '<input type="hidden" name="press" value="{}"><input type="hidden" name="seen" value="{}">'
    return format_html(fields, uuid4(), seen)
