"""What is wrong with a database, said before anything is done to it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from typing import Any

from django.core.checks import CheckMessage, Error, Tags, register
from django.db import connections
from django.db.migrations.recorder import MigrationRecorder

LANDED = {
    "bench": "0028_sheets_of_all_tracks", "codes": "0002_bad_bittings", "library": "0004_cards",
    "machines": "0011_trims_of_two_tracks", "records": "0009_stages_and_faces",
}  # fmt: skip
"""The last of the migrations of each room that were put together into fresh ones; they stand in no file any more."""


@register(Tags.database)
def stands_at_a_version(databases: Sequence[str] | None = None, **_: Any) -> list[CheckMessage]:
    """A database that has some of the old migrations of a room and not all of them cannot be migrated from here."""
    faults: list[CheckMessage] = []
    for alias in databases or ():
        applied: defaultdict[str, set[str]] = defaultdict(set)
        for room, name in MigrationRecorder(connections[alias]).applied_migrations():
            applied[room].add(name)
        between = [
            room for room, last in LANDED.items()
            if last not in applied[room] and not any("_squashed_" in name for name in applied[room]) and applied[room]
        ]  # fmt: skip
        if between:
            faults.append(
                Error(
                    f"This database stands between two versions ({', '.join(between)}): migrate it with the version "
                    "of commit 9cfd86f first, then with this one. Nothing was changed.",
                    id="wryfalcon.E001",
                )
            )
    return faults
