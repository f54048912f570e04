"""Notices that say which tag they are of, where they are read on another's page."""

from __future__ import annotations

from typing import Any

from django.contrib.messages.storage.fallback import FallbackStorage


class NoticesOfTags(FallbackStorage):
    """Django's own storage; a notice of a tag's page keeps the tag's number beside it."""

    def add(self, level: int, message: Any, extra_tags: str | None = "") -> None:
        """Queue a notice, of the tag whose page or press it comes of."""
        match = self.request.resolver_match
        number = match.kwargs.get("number", "") if match is not None else ""
        super().add(level, message, extra_tags or (f"{number:04d}" if number else ""))
