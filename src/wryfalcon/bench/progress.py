"""How far each tag is, as a database view: one row a tag, so that a list asks once however long it is.

The view is derived, so it is no part of the schema's history: it is dropped before migrations run
(SQLite will not alter a table that a view reads) and made anew after them.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from django.db import connections

from wryfalcon.bench.piece_states import ENDED, OPEN, PieceState

NAME = "bench_progress"


def _list(states: Iterable[PieceState]) -> str:
    """States as SQL has a list of them."""
    return "(" + ", ".join(f"'{state.value}'" for state in sorted(states)) + ")"


VIEW = f"""
CREATE VIEW {NAME} AS
SELECT
    tag.id AS tag_id,
    EXISTS (
        SELECT 1 FROM bench_sighting AS sighting JOIN bench_source AS source ON source.id = sighting.source_id
        WHERE source.tag_id = tag.id AND NOT source.removed AND NOT sighting.withdrawn
    ) AS is_read,
    (SELECT COUNT(*) FROM bench_answer AS answer WHERE answer.tag_id = tag.id) AS answers,
    settlement.id IS NOT NULL AS is_settled,
    settlement.read_back_at IS NOT NULL AS is_read_back,
    card.settlement_id IS NOT NULL AND card.settlement_id = settlement.id AND card.checked_at IS NOT NULL AS is_set_up,
    COALESCE(piece.state, '') AS piece_state,
    COALESCE(piece.made_how, '') AS made_how,
    proof.passed AS passed,
    (
        SELECT COUNT(DISTINCT made.key_number)
        FROM bench_proof AS kept
        JOIN bench_piece AS made ON made.id = kept.piece_id
        WHERE made.tag_id = tag.id AND made.state = '{PieceState.FINISHED}' AND kept.passed
        AND NOT EXISTS (
            SELECT 1 FROM bench_piece AS touched WHERE touched.onto_id = made.id AND touched.state NOT IN {_list(ENDED)}
        )
    ) AS proven
FROM bench_tag AS tag
LEFT JOIN bench_settlement AS settlement
    ON settlement.id = (SELECT MAX(id) FROM bench_settlement WHERE tag_id = tag.id AND NOT is_try)
LEFT JOIN bench_setup AS card ON card.id = (SELECT MAX(id) FROM bench_setup WHERE tag_id = tag.id)
LEFT JOIN bench_piece AS piece ON piece.id = (
    SELECT id FROM bench_piece
    WHERE tag_id = tag.id AND (
        state IN {_list(OPEN - {PieceState.PLANNED})}
        OR (state NOT IN {_list(ENDED)} AND (set_up_id IS NULL OR set_up_id = card.id))
    ) AND (settlement_id IS NOT NULL OR "values" IS NULL OR state IN {_list(OPEN)})
    ORDER BY state IN {_list(OPEN)} DESC, id DESC LIMIT 1
)
LEFT JOIN bench_proof AS proof ON proof.piece_id = piece.id
"""
"""A piece that is open is waited for whatever card it has; a made one for the card in force only, since a new card
means that its keys are still to be cut. A key tried for a trial sheet is waited for while it is made, and is none to
be proven until it is what was settled."""


def drop_view(using: str, **_: Any) -> None:
    """Before migrations."""
    with connections[using].cursor() as cursor:
        cursor.execute(f"DROP VIEW IF EXISTS {NAME}")


def make_view(using: str, **_: Any) -> None:
    """After migrations, once the tables it reads are there."""
    tables = connections[using].introspection.table_names()
    if {"bench_proof", "bench_piece", "bench_answer"} <= set(tables):
        with connections[using].cursor() as cursor:
            cursor.execute(f"DROP VIEW IF EXISTS {NAME}")
            cursor.execute(VIEW)
