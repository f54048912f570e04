"""An older print that the pier's first keys were made by, and an update that waits: a family's table and a series."""

from __future__ import annotations

import json
from collections.abc import Callable
from datetime import timedelta
from typing import Any

from django.utils import timezone

from keycore import families
from keycore.documents.series import SeriesDocument
from wryfalcon.accounts.models import User
from wryfalcon.codes.actions.offer import offer
from wryfalcon.codes.models import Code, Series
from wryfalcon.demonstration.making import family_record
from wryfalcon.library.actions.editions import put_in_force
from wryfalcon.library.actions.families import import_family
from wryfalcon.library.models import FamilyRecord

CORRECTED = 0.263  # of Harbour five's depth 4, inches; 0.266 before


def by_an_older_print(people: dict[str, User], past: Callable[[dict[str, User]], None]) -> None:
    """Let the past of the shop happen while an older print of Pier six was in force."""
    now = family_record("pier-six")
    document = _copy("pier-six", "2009, first print")
    track = document["tracks"][0]
    track["spaces"] = [round(space + 0.004, 4) for space in track["spaces"]]
    older = import_family(people["orla"], json.dumps(document).encode())
    put_in_force(people["orla"], older, now.pk, older.digest)
    past(people)
    put_in_force(people["orla"], now, older.pk, now.digest)
    FamilyRecord.objects.filter(pk=now.pk).update(in_force_at=timezone.now() - timedelta(days=9))


def offer_an_update(owner: User) -> None:
    """What came with the post: Harbour five with a depth measured anew, and the huts' codes."""
    document = _copy("harbour-five", "2027")
    document["tracks"][0]["depths"][3]["value"] = CORRECTED
    document["notes"] = "Depth 4 measured anew on forty locks."
    import_family(owner, json.dumps(document).encode())
    series = Series.objects.in_force().get(slug="hut-locks")
    rows = list(Code.objects.filter(series=series).order_by("pk").values_list("code", "bitting"))
    rows[30], rows[31] = (rows[30][0], rows[31][1]), (rows[31][0], rows[30][1])
    about = SeriesDocument(
        series.slug, series.name, series.family_record.slug, maker=series.maker, use=series.use, note=series.note,
        printed=series.printed, edition="2027",
    )  # fmt: skip
    offer(owner, "\n".join(["code,bitting", *(",".join(row) for row in rows[5:])]).encode(), about)


def _copy(family_id: str, edition: str) -> dict[str, Any]:
    return {**json.loads(json.dumps(families.shipped(family_id))), "edition": edition}
