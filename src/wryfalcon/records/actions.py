"""Writing down what happened; every action that changes a state calls this in its own transaction."""

from __future__ import annotations

from typing import Any

from wryfalcon.accounts.models import User
from wryfalcon.bench.models import Tag
from wryfalcon.records.models import AuditEntry, Event


def write_down(event: Event, actor: User | None, tag: Tag | None = None, **data: Any) -> AuditEntry:
    """Add an entry to the audit log."""
    return AuditEntry.objects.create(event=event, actor=actor, tag=tag, data=data)
