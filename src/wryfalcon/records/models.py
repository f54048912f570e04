"""Records keep no tables of their own but the log's, see ``wryfalcon/log/models.py``."""

from __future__ import annotations

from wryfalcon.log.models import AuditEntry, EntryTaken

__all__ = ["AuditEntry", "EntryTaken"]
