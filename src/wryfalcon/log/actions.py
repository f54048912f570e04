"""Writing down what happened; every action that changes a state calls this in its own transaction."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from typing import Any, Protocol

from django.db import connection
from django.utils import timezone

from wryfalcon.accounts.models import User
from wryfalcon.log.models import AuditEntry, Event


class TagWritten(Protocol):
    """What the log needs to know of a tag."""

    pk: int
    number: int
    taken_in_at: datetime


LOOK_WAITS = 2_000  # ms
LOOKS_REMEMBERED = 10_000
_noted: set[tuple[str, datetime]] = set()
"""Looks of this hour that are written down already, so that a page that looks again asks nobody."""


def write_down(event: Event, actor: User | None, tag: TagWritten | None = None, **data: Any) -> AuditEntry:
    """Add an entry to the log. It names records by their ids: no bitting, code or customer's name stands in it."""
    return AuditEntry.objects.create(
        event=event, actor=actor, tag_id=tag.pk if tag else None, tag_number=tag.number if tag else None, data=data
    )


@contextmanager
def briefly() -> Iterator[None]:
    """Wait for a database that is held only as long as somebody waits for a page to look at."""
    if connection.vendor != "sqlite":
        yield
        return
    with connection.cursor() as cursor:
        before = cursor.execute("PRAGMA busy_timeout").fetchone()[0]
        cursor.execute(f"PRAGMA busy_timeout={LOOK_WAITS}")
        try:
            yield
        finally:
            cursor.execute(f"PRAGMA busy_timeout={before}")


def note_tag_opened(actor: User, tag: TagWritten) -> None:
    """Somebody looks at a tag and the bitting on it: once for a person, a tag and an hour."""
    once = f"{actor.pk}:{tag.pk}:{timezone.now():%Y%m%d%H}"
    look = (once, tag.taken_in_at)
    if look in _noted:
        return
    with briefly():
        AuditEntry.objects.get_or_create(
            once=once,
            defaults={
                "event": Event.BITTING_SEEN, "actor": actor, "tag_id": tag.pk, "tag_number": tag.number,
                "data": {"what": "the tag"},
            },
        )  # fmt: skip
    if len(_noted) >= LOOKS_REMEMBERED:
        _noted.clear()
    _noted.add(look)


def note_document(actor: User, tag: TagWritten, what: str) -> None:
    """Somebody took a document away that has a tag's bitting in it."""
    write_down(Event.BITTING_SEEN, actor, tag, what=what)
