"""The log: who did and saw what, by record and never by value; it stays when what it speaks of goes."""

from __future__ import annotations

import json
from datetime import timedelta
from typing import Any

import pytest
from django.test import Client
from django.utils import timezone

from conftest import BenchMachine
from web.jobs import People, asked, by, carded, cut, followed, hang, on_the_line, read, sent, settled
from wryfalcon.bench.cutting.actions import end_piece
from wryfalcon.bench.models import Overruling, Piece, ProofValue, Settlement, Source, SourceKind, Tag
from wryfalcon.bench.proving.actions import TrialFelt, read_caliper, try_in_lock
from wryfalcon.bench.reading.actions import Typed, add_value, state_labels
from wryfalcon.bench.reading.source_actions import add_source
from wryfalcon.bench.settling.actions import overrule
from wryfalcon.bench.tags.history import history_of
from wryfalcon.log.models import AuditEntry, Event
from wryfalcon.machines.models import LineEvent, MachineWork

pytestmark = pytest.mark.django_db
SECRET = ["Saltmarsh Players", "stage manager", "3 5 2 4 1", "0.2779", ".2353", "it is plainly a 4"]


def everything(people: People, bench_machine: BenchMachine) -> Tag:
    """A tag on which everything was done."""
    tam = people["tam"]
    tag = hang(people, authority="stage manager, known")
    read(people, tag)
    source = add_source(tam, tag, "A", SourceKind.MACHINE, "Saltmarsh Players' copy")
    state_labels(tam, tag, source, {1: ["3"], 2: ["5"], 3: ["2"], 4: ["4"], 5: ["1"]})
    add_value(tam, tag, Typed("A", 2, ".2353", tag.family.unit))
    overrule(tam, tag, ("A", 4), "4", "it is plainly a 4")
    settled(people, tag)
    carded(people, tag, on_the_line(bench_machine))
    first = asked(people, tag, sent(people, tag), "clamp", "start", "stop")
    end_piece(by(people), tag, first, blank_used=True, why="the Saltmarsh Players' key slipped")
    piece = cut(people, tag)
    read_caliper(by(people), tag, piece)
    followed(piece)
    try_in_lock(tam, tag, piece, tag.locks.get(), TrialFelt(turns="free"))
    return tag


def test_no_bitting_code_or_customer_stands_in_the_log(people: People, bench_machine: BenchMachine) -> None:
    tag = everything(people, bench_machine)
    assert tag.audit.count() > 15
    for entry in AuditEntry.objects.all():
        held = json.dumps(entry.data)
        assert not any(secret in held for secret in SECRET), f"{entry.event}: {held}"
        for name, value in entry.data.items():
            assert name not in ("bitting", "label", "labels", "typed"), entry.event
            assert not isinstance(value, dict), f"{entry.event}: {held}"
    assert not Settlement.objects.filter(pk=0).exists()
    entry = tag.audit.get(event=Event.SETTLED)
    assert Settlement.objects.get(pk=entry.data["settlement"]).bitting == {"A": ["3", "5", "2", "4", "1"]}


def test_a_tags_history_says_in_words_what_its_entries_name(people: People, bench_machine: BenchMachine) -> None:
    said = " | ".join(f"{told.entry.event} {told.words}" for told in history_of(everything(people, bench_machine)))
    for words in ("cut 2 .2353", "cut 4, to 4: it is plainly a 4", "settled 3 5 2 4 1", "run-finished", "Stage door"):
        assert words in said, said


def test_the_log_is_not_taken_away_with_a_tag(people: People, bench_machine: BenchMachine) -> None:
    tag = everything(people, bench_machine)
    count, number = AuditEntry.objects.count(), tag.number
    ProofValue.objects.all().delete()
    Tag.objects.filter(pk=tag.pk).delete()
    assert not Tag.objects.exists()
    assert AuditEntry.objects.count() == count
    assert AuditEntry.objects.filter(tag=None, tag_number=number).count() > 15


def test_opening_a_tag_counts_once_for_a_person_a_tag_and_an_hour(
    smith: Client, people: People, monkeypatch: pytest.MonkeyPatch
) -> None:
    tag, other = hang(people), hang(people)
    settled(people, tag)
    for stage in ("take-in", "read", "settle", "set-up", "cut", "prove", "hand-over", "cutters", "real-size"):
        assert smith.get(f"/tags/{tag}/{stage}").status_code == 200
    smith.get(f"/tags/{other}/settle")
    looks = AuditEntry.objects.filter(event=Event.BITTING_SEEN)
    assert [(look.tag, look.actor, look.data["what"]) for look in looks.order_by("id")] == [
        (tag, people["tam"], "the tag"), (other, people["tam"], "the tag"),
    ]  # fmt: skip
    smith.force_login(people["wren"])
    smith.get(f"/tags/{tag}/settle")
    assert looks.count() == 3
    later = timezone.now() + timedelta(hours=1)
    monkeypatch.setattr("wryfalcon.log.actions.timezone.now", lambda: later)
    smith.get(f"/tags/{tag}/settle")
    assert looks.count() == 4


@pytest.mark.parametrize("method", ["get", "head"])
def test_looking_changes_no_work(smith: Client, people: People, bench_machine: BenchMachine, method: str) -> None:
    tag = everything(people, bench_machine)
    kept: list[Any] = [Piece, Settlement, Source, Overruling, ProofValue, LineEvent, MachineWork]
    before = [list(model.objects.values()) for model in kept]
    for stage in ("take-in", "read", "settle", "set-up", "cut", "prove", "hand-over", "tries"):
        getattr(smith, method)(f"/tags/{tag}/{stage}")
    assert [list(model.objects.values()) for model in kept] == before
