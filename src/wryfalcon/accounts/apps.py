"""Accounts."""

from __future__ import annotations

from django.apps import AppConfig


class AccountsConfig(AppConfig):
    """Has the settings of log-in looked at when the application starts."""

    name = "wryfalcon.accounts"

    def ready(self) -> None:
        """Register the check."""
        from wryfalcon.accounts import checks  # noqa: F401
