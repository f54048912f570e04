"""Three months of finished jobs: the machine wandered, was trimmed, and wandered again."""

from __future__ import annotations

from datetime import datetime, timedelta
from random import Random

from django.utils import timezone

from wryfalcon.accounts.models import User
from wryfalcon.bench.handing_over.actions import hand_over
from wryfalcon.bench.models import OnBench, Tag
from wryfalcon.bench.tags.actions import Baseline, TagDetails, decline, take_in
from wryfalcon.demonstration.keeping_true import trimmed_once
from wryfalcon.demonstration.making import (
    bitting_of,
    card_for,
    family_record,
    finished_key,
    measured,
    proven,
    settle_as,
)  # fmt: skip
from wryfalcon.log.models import AuditEntry
from wryfalcon.machines.models import Machine

JOBS = 32
DAYS = 92
TRIMMED_AT = 17  # the job before which the machine was trimmed
WANDER_MM = 0.0022  # each job, shallow

CUSTOMERS = [
    ("Saltmarsh Players", "Wardrobe cupboard"), ("Dunmere Allotments", "Tool shed"), ("Mrs Teague", "Beach hut 14"),
    ("Lifeboat shed", "Locker"), ("Captain Ruan", "Wheelhouse"), ("Gull's Nest", "Cold store"),
    ("The net loft", "Store"), ("Harbour Office", "Tide gauge hut"), ("Quay Lending Library", "Returns box"),
]  # fmt: skip
FAMILIES = ["harbour-five", "theatre-six", "boathouse-four", "net-loft-seven", "allotment-four", "pier-six"]


def fill_history(people: dict[str, User]) -> None:
    """Make and close the jobs of the last three months, and decline one."""
    random, now = Random(20261), timezone.now()
    for job in range(JOBS):
        at = now - timedelta(days=DAYS * (JOBS - job) / JOBS, hours=random.uniform(0, 5))
        if job == TRIMMED_AT:
            trimmed_once(people["tam"], at - timedelta(hours=6), WANDER_MM * TRIMMED_AT)
        finished_job(people, job, at, random)
    tag = take_in(
        people["wren"],
        TagDetails(
            title="Cash drawer, no key at all",
            customer="A visitor",
            on_bench=OnBench.GOOD_KEY,
            family=family_record("beach-hut-five"),
        ),
    )
    decline(people["wren"], tag, "Nothing shows that the drawer is theirs.")


def finished_job(people: dict[str, User], job: int, at: datetime, random: Random) -> None:
    """One job of the past, from its tag to its key handed over."""
    customer, what = CUSTOMERS[job % len(CUSTOMERS)]
    record = family_record(FAMILIES[job % len(FAMILIES)])
    tag = take_in(
        people["wren"],
        TagDetails(
            title=f"{what}, {'a spare' if job % 3 else 'key lost overboard'}",
            customer=customer,
            on_bench=OnBench.GOOD_KEY if job % 3 else OnBench.WORN_KEY,
            family=record,
            authority="known at the counter",
            locks=[Baseline(what, "free", "free", "free")],
        ),
    )
    settle_as(people["tam"], tag, bitting_of(record.family, random), 0.99)
    card_for(people["tam"], tag, Machine.objects.get(name="Old Gannet"))
    piece = finished_key(tag, at)
    since_trim = job - TRIMMED_AT if job >= TRIMMED_AT else job
    measured(people["tam"], tag, piece, random, off_mm=WANDER_MM * since_trim - 0.004, repeats=4)
    proven(people["tam"], tag, piece, passed=True, reason="turns freely in its lock")
    hand_over(people["wren"], tag)
    Tag.objects.filter(pk=tag.pk).update(taken_in_at=at - timedelta(hours=2), closed_at=at + timedelta(hours=1))
    AuditEntry.objects.filter(tag=tag).update(at=at)
