"""The bench."""

from __future__ import annotations

from typing import Any

from django.apps import AppConfig
from django.db import connections
from django.db.models.signals import pre_migrate


class BenchConfig(AppConfig):
    """Lets databases of earlier versions be migrated."""

    name = "wryfalcon.bench"

    def ready(self) -> None:
        """Take away what would stand in the way of migrations."""
        pre_migrate.connect(drop_view, sender=self)


def drop_view(using: str, **_: Any) -> None:
    """Take away the view of how far tags are that earlier versions kept: SQLite alters no table below it.

    They made it anew after each migration; it was no part of the schema's history.
    """
    with connections[using].cursor() as cursor:
        cursor.execute("DROP VIEW IF EXISTS bench_progress")
