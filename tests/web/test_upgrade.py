"""A database of the last landed state comes over with every key, proof and look that is in it."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest
from django.core.management import call_command
from django.db import connection
from django.db.migrations.executor import MigrationExecutor
from pytest_django import DjangoDbBlocker

BEFORE = [("bench", "0005_codes"), ("machines", "0003_book"), ("records", "0003_codes")]
AT = datetime(2026, 11, 3, 9, tzinfo=UTC)
COMMANDS = [
    {"side": "A", "track": "A", "space": space, "position": 4.0 + 3 * space, "value": 7.0} for space in (1, 2, 3)
]


@pytest.fixture
def old(tmp_path: Path, settings: Any, django_db_blocker: DjangoDbBlocker) -> Iterator[Any]:
    """The models as they were, over a database of their own made by the migrations (the others' is made without)."""
    before = connection.settings_dict["NAME"]
    settings.MIGRATION_MODULES = {}
    with django_db_blocker.unblock():
        connection.close()
        connection.settings_dict["NAME"] = str(tmp_path / "old.sqlite3")
        executor = MigrationExecutor(connection)
        executor.migrate(BEFORE)
        yield executor.loader.project_state(BEFORE).apps
        connection.close()
        connection.settings_dict["NAME"] = before


def hang(old: Any) -> tuple[Any, Any]:
    """A tag with a card, as they were kept."""
    get = old.get_model
    person = get("accounts", "User").objects.create(username="tam", password="x", role="smith")
    customer = get("bench", "Customer").objects.create(name="Saltmarsh Players")
    tag = get("bench", "Tag").objects.create(number=401, title="Stage door", customer=customer)
    machine = get("machines", "Machine").objects.create(name="Old Gannet")
    cutter = get("machines", "Cutter").objects.create(name="W-80", flat=1.0, angle=80)
    settlement = get("bench", "Settlement").objects.create(
        tag=tag, bitting={"A": ["1", "2"]}, values={"A": [7.0]}, by=person
    )
    card = get("bench", "SetUp").objects.create(
        tag=tag, settlement=settlement, machine=machine, cutter=cutter, commands=COMMANDS, by=person
    )
    return card, person


def run(old: Any, card: Any, job: str, state: str, **more: Any) -> Any:
    cuts = [{name: command[name] for name in ("side", "position", "value")} for command in COMMANDS]
    made = old.get_model("machines", "Run").objects.create(
        set_up=card, machine=card.machine, job=job, state=state, cuts=more.pop("cuts", cuts), boot="one", **more
    )
    old.get_model("machines", "RunEvent").objects.create(run=made, boot="one", number=made.pk, kind="finished")
    return made


def test_every_key_proof_and_look_of_an_old_database_is_kept(old: Any) -> None:
    card, person = hang(old)
    get = old.get_model
    first = run(old, card, "K1", "finished", key_number=1, done=3, blank_taken=True, finished_at=AT)
    lost = run(old, card, "K2", "lost", key_number=2, done=1, blank_taken=True)
    again = run(old, card, "K2-again", "finished", key_number=2, done=3, blank_taken=True, finished_at=AT)
    up = run(old, card, "T2", "finished", key_number=2, touches_up=again, cuts=COMMANDS[1:2], blank_taken=True)
    twice = run(old, card, "T2-twice", "stopped", key_number=2, touches_up=again, cuts=COMMANDS[:1], blank_taken=True)
    get("bench", "Proof").objects.create(run=first, verdict="inside", cuts=[], causes=[], passed=True, by=person)
    get("bench", "ProofValue").objects.create(run=again, track="A", space=1, value=7.0, source="typed", by=person)
    back = get("bench", "Tag").objects.create(
        number=402, title="Back", customer=card.tag.customer, made_by=first, brought_back_from=card.tag
    )
    log = get("records", "AuditEntry").objects.create
    log(event="settled", tag=card.tag, data={"bitting": {"A": ["1", "2"]}, "intent": "restore", "reason": "hers"})
    log(event="taken-in", tag=card.tag, data={"title": "Stage door", "authority": "Saltmarsh Players, known"})
    log(event="codes-seen", data={"what": "the code T1001", "codes": ["T1001, Theatre T"], "count": 1})
    call_command("migrate", verbosity=0)

    from wryfalcon.bench.models import Piece, Tag
    from wryfalcon.log.models import AuditEntry
    from wryfalcon.machines.models import LineEvent

    kept = {piece.pk: piece for piece in Piece.objects.order_by("id")}
    told = [(piece.job, piece.key_number, piece.try_number, piece.state, piece.blank_taken) for piece in kept.values()]
    assert told == [
        ("K1", 1, 1, "finished", True),
        ("K2", 2, 1, "abandoned", False),  # its blank is the second's
        ("K2-again", 2, 1, "finished", True),
        ("T2", 2, 1, "finished", False),
        ("T2-twice", 2, 1, "stopped", False),
    ]
    assert (kept[up.pk].onto_id, kept[twice.pk].onto_id) == (again.pk, up.pk)
    assert kept[lost.pk].why_ended == "sent again as K2-again"
    assert kept[up.pk].cuts == [
        {"clamping": 1, "track": "A", "space": 2, "place": "A 2", "position": 10.0, "value": 7.0}
    ]
    assert kept[first.pk].proof.passed
    assert kept[again.pk].proof_values.get().value == 7.0
    assert kept[first.pk].finished_at == AT
    assert Tag.objects.get(pk=back.pk).made_by == kept[first.pk]
    assert LineEvent.objects.filter(kind="finished").count() == 5
    assert Tag.objects.get(number=401).progress.piece_state == "stopped"
    assert [(entry.event, entry.data, entry.tag_number) for entry in AuditEntry.objects.order_by("id")] == [
        ("settled", {"intent": "restore", "settlement": card.settlement_id}, 401),
        ("taken-in", {}, 401),
        ("codes-seen", {"what": "by name", "codes": [], "tags": [], "count": 1}, None),
    ]
