"""The application as a whole."""

from __future__ import annotations

from django.apps import AppConfig


class ShopConfig(AppConfig):
    """Has a database looked at before it is migrated."""

    name = "wryfalcon"

    def ready(self) -> None:
        """Register the check."""
        from wryfalcon import checks  # noqa: F401
