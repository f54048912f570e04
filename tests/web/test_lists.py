"""Every list asks the database as often for many rows as for few."""

from __future__ import annotations

from datetime import timedelta
from random import Random

import pytest
from django.db import connection
from django.db.models import Model
from django.test import Client
from django.test.utils import CaptureQueriesContext
from django.utils import timezone

from web.jobs import People, carded, hang, read, settled
from wryfalcon.bench.models import Piece, ProofValue, Sighting, Source, Tag
from wryfalcon.demonstration.keeping_true import check_some, hang_a_trim, trace_some, trimmed_once
from wryfalcon.demonstration.making import again, finished_key, measured, proven
from wryfalcon.demonstration.past import finished_job
from wryfalcon.demonstration.series import bring_in_series
from wryfalcon.library.models import Blank, GuideEntry
from wryfalcon.log.models import AuditEntry, Event
from wryfalcon.machines.models import (
    Cutter,
    CutterLook,
    Duplicate,
    HandStudy,
    Machine,
    MachineWork,
    OffsetChange,
    Trim,
    TrimReading,
)

pytestmark = pytest.mark.django_db

LISTS = (
    "/", "/tags/new", "/library/", "/library/harbour-five", "/library/which", "/library/guide?words=boat",
    "/records/", "/records/find?q=a",
    "/machines/", "/machines/hands", "/machines/{gannet}", "/machines/{gannet}/course", "/machines/{gannet}/care",
    "/machines/{gannet}/fitted", "/machines/{gannet}/due", "/machines/{tern}/duplicates", "/machines/cutters/{wheel}",
    "/machines/trims/{trim}", "/codes/", "/codes/?code=H1003", "/codes/seen",
    "/codes/by-bitting?family={family}&bitting=2+3+?+?+?", "/tags/{tag}/take-in", "/tags/{tag}/read",
    "/tags/{tag}/settle?again=1", "/tags/{tag}/set-up", "/tags/{tag}/cutters", "/tags/{tag}/cut", "/tags/{tag}/prove",
    "/tags/{tag}/hand-over", "/tags/{tag}/codes", "/tags/{tag}/tries",
)  # fmt: skip
MOST = 17
"""Queries of any list, those for who is asking among them."""


@pytest.fixture
def tag(people: People) -> Tag:
    """A shop with a little of everything in it, and a tag that has been through every stage."""
    trimmed_once(people["tam"], timezone.now() - timedelta(days=50), 0.01)
    check_some(people["tam"])
    trace_some(people["tam"])
    hang_a_trim(people)
    bring_in_series(people["orla"])
    finished_job(people, 0, timezone.now() - timedelta(days=40), Random(3))
    tag = hang(people, quantity=40)
    read(people, tag)
    settled(people, tag)
    again(tag)
    carded(people, tag, Machine.objects.get(name="Old Gannet"))
    AuditEntry.objects.create(event=Event.CODES_SEEN, actor=people["tam"], data={"codes": [1, 2], "how": "by name"})
    made_and_proven(people, tag, [1, 2])
    return tag


def made_and_proven(people: People, tag: Tag, numbers: list[int]) -> None:
    for number in numbers:
        piece = finished_key(tag, timezone.now() - timedelta(days=3, minutes=-number), number)
        measured(people["tam"], tag, piece, Random(number), off_mm=0.0)
        proven(people["tam"], tag, piece, passed=True)


def once_more(rows: list[Model], **other: str) -> None:
    """The same rows again, with another number put behind what must differ."""
    for place, row in enumerate(rows):
        row.pk, row._state.adding = None, True
        for name, pattern in other.items():
            setattr(row, name, pattern.format(place + 1000))
        row.save()


def six_times_as_much(people: People, tag: Tag) -> None:
    for job in range(6):
        finished_job(people, job, timezone.now() - timedelta(days=30 - job), Random(job))
        read(people, hang(people))
    made_and_proven(people, tag, list(range(3, 15)))
    for _ in range(6):
        for model in (MachineWork, OffsetChange, Duplicate, CutterLook, HandStudy, Trim, ProofValue):
            once_more(list(model.objects.all()[:2]))
        once_more(list(AuditEntry.objects.filter(event=Event.CODES_SEEN)[:1]))
        source = Source.objects.create(tag=tag, track="A", counted_from="bow", name="a copy")
        Sighting.objects.create(source=source, space=1, look=1, value=0.28, typed="0.28", by=people["tam"])
    once_more(list(GuideEntry.objects.all()))
    once_more(list(Blank.objects.all()), code="B-{}")
    once_more(list(Cutter.objects.all()), name="W-{}")
    once_more(list(Machine.objects.all()), name="M-{}")
    for trim in Trim.objects.filter(readings=None):
        TrimReading.objects.create(trim=trim, clamping=1, space=1, value=0.2, by=people["tam"])


def test_a_list_of_many_asks_no_more_often_than_one_of_few(client: Client, people: People, tag: Tag) -> None:
    client.force_login(people["orla"])
    named = {
        "gannet": Machine.objects.get(name="Old Gannet").pk, "tern": Machine.objects.get(name="The Tern").pk,
        "wheel": Cutter.objects.get(name="W-80").pk, "trim": Trim.objects.filter(closed_at=None).latest("pk").pk,
        "family": tag.family_record_id, "tag": tag.number,
    }  # fmt: skip
    paths = [path.format(**named) for path in LISTS]

    def queries(path: str) -> int:
        client.get(path)  # what is asked once an hour is asked now
        with CaptureQueriesContext(connection) as captured:
            assert client.get(path).status_code == 200, path
        return len(captured)

    few = {path: queries(path) for path in paths}
    six_times_as_much(people, tag)
    many = {path: queries(path) for path in paths}
    assert Piece.objects.count() > 18
    assert {path: (few[path], many[path]) for path in paths if many[path] > few[path]} == {}
    assert {path: asked for path, asked in many.items() if asked > MOST} == {}
