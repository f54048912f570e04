"""The bench."""

from __future__ import annotations

from django.apps import AppConfig
from django.db.models.signals import post_migrate, pre_migrate

from wryfalcon.bench.progress import drop_view, make_view


class BenchConfig(AppConfig):
    """Keeps the view of progress in step with the tables it reads."""

    name = "wryfalcon.bench"

    def ready(self) -> None:
        """Tie the view to migrations."""
        pre_migrate.connect(drop_view, sender=self)
        post_migrate.connect(make_view, sender=self)
