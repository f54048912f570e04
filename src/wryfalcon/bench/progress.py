"""How far each tag is, as a database view: one row a tag, so that a list asks once however long it is.

The view is derived, so it is no part of the schema's history: it is dropped before migrations run
(SQLite will not alter a table that a view reads) and made anew after them.
"""

from __future__ import annotations

from typing import Any

from django.db import connections

NAME = "bench_progress"

VIEW = f"""
CREATE VIEW {NAME} AS
SELECT
    tag.id AS tag_id,
    EXISTS (
        SELECT 1 FROM bench_sighting AS sighting JOIN bench_source AS source ON source.id = sighting.source_id
        WHERE source.tag_id = tag.id AND NOT source.removed AND NOT sighting.withdrawn
    ) AS is_read,
    settlement.id IS NOT NULL AS is_settled,
    settlement.read_back_at IS NOT NULL AS is_read_back,
    card.settlement_id IS NOT NULL AND card.settlement_id = settlement.id AND card.checked_at IS NOT NULL AS is_set_up,
    COALESCE(run.state, '') AS run_state,
    proof.passed AS passed,
    (
        SELECT COUNT(DISTINCT made.key_number)
        FROM bench_proof AS kept
        JOIN machines_run AS made ON made.id = kept.run_id
        JOIN bench_setup AS used ON used.id = made.set_up_id
        WHERE used.tag_id = tag.id AND kept.passed
    ) AS proven
FROM bench_tag AS tag
LEFT JOIN bench_settlement AS settlement
    ON settlement.id = (SELECT MAX(id) FROM bench_settlement WHERE tag_id = tag.id)
LEFT JOIN bench_setup AS card ON card.id = (SELECT MAX(id) FROM bench_setup WHERE tag_id = tag.id)
LEFT JOIN machines_run AS run ON run.id = (SELECT MAX(id) FROM machines_run WHERE set_up_id = card.id)
LEFT JOIN bench_proof AS proof ON proof.run_id = run.id
"""
"""Runs count for the card in force only: a new card means that its keys are still to be cut."""


def drop_view(using: str, **_: Any) -> None:
    """Before migrations."""
    with connections[using].cursor() as cursor:
        cursor.execute(f"DROP VIEW IF EXISTS {NAME}")


def make_view(using: str, **_: Any) -> None:
    """After migrations, once the tables it reads are there."""
    tables = connections[using].introspection.table_names()
    if {"bench_proof", "machines_run"} <= set(tables):
        with connections[using].cursor() as cursor:
            cursor.execute(f"DROP VIEW IF EXISTS {NAME}")
            cursor.execute(VIEW)
