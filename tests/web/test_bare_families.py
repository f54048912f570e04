"""Families as they come, of every kind: with what the schema needs and no more, or without one thing it leaves free."""

from __future__ import annotations

import json
from contextlib import suppress
from random import Random
from typing import Any

import pytest
from django.test import Client

from keycore import families
from web.jobs import People, hang
from wryfalcon.bench.cutting.by_hand import HandWork, make_by_hand
from wryfalcon.bench.models import OnBench, Piece, PieceState, Tag
from wryfalcon.codes.actions.intake import bring_in
from wryfalcon.codes.actions.offer import offer
from wryfalcon.demonstration.making import bitting_of, measured, settle_as, type_values
from wryfalcon.library.actions.families import import_family
from wryfalcon.library.models import FamilyRecord
from wryfalcon.machines.line.orders import Press
from wryfalcon.machines.models import TRACES, Machine
from wryfalcon.refusal import NotDone

pytestmark = pytest.mark.django_db
NEEDED = ("format", "id", "name", "kind", "unit", "gauge", "numbered_from")
SHIPPED = {
    "edge": "harbour-five", "double-edge": "lighthouse-eight", "tubular": "bollard-six", "rotary": "lantern-nine",
    "side-milled": "slipway-nine", "dimple": "capstan-five", "lever": "sluice-four",
}  # fmt: skip
STAGES = ("take-in", "read", "settle", "settle?again=1", "tries", "codes", "set-up", "cut", "prove", "hand-over")
PAPERS = ("real-size", "cutters", "set-up/card", "measure-lock")
LEFT_OUT = ("tolerance", "blank", "setup", "macs", "tools")
TOOLS = ("cut", "mill", "drill", "slot", "cut_width", "levers", "row", "tumbler", "blade", "clearance")


def document(slug: str, left_out: str) -> dict[str, Any]:
    """A shipped family under another id, without something: all that may be left out, its tools, or one field."""
    given = json.loads(json.dumps(families.shipped(slug)))
    tracks = given["tracks"]
    if left_out == "all":
        given = {name: given[name] for name in NEEDED}
        given["tracks"] = [{name: track[name] for name in ("name", "spaces", "depths")} for track in tracks]
    for track in given["tracks"]:
        for name in TOOLS if left_out == "tools" else (left_out,):
            track.pop(name, None)
    given.pop(left_out, None)
    return {**given, "id": "bare", "name": "Bare"}


CASES = [*((kind, each) for kind in SHIPPED for each in ("all", "play")), *(("edge", each) for each in LEFT_OUT)]


def look(client: Client, tag: Tag, at: str) -> None:
    for page in (*STAGES, *PAPERS):  # one that is not reached yet leads to one of the others
        answer = client.get(f"/tags/{tag}/{page}")
        assert answer.status_code in (200, 302, 404), f"{page} {at}: {answer.status_code}"
    for paper in ("job-card.pdf", "record.json", "set-up/plan.svg", "set-up/plan.nc", "set-up/plan.dxf"):
        if paper != "job-card.pdf" or at == "settled":
            assert client.post(f"/tags/{tag}/{paper}").status_code in (200, 302, 404), f"{paper} {at}"


def codes_of(people: People, record: FamilyRecord) -> None:
    track = record.family.tracks[0]
    rows = [[f"B{n}", " ".join(bitting_of(record.family, Random(n))[track.name])] for n in range(1, 4)]
    about = {"format": "wry-falcon.series/1", "id": "bare-codes", "name": "Bare", "family": "bare", "track": track.name}
    bring_in(people["orla"], offer(people["orla"], json.dumps({**about, "note": "", "codes": rows}).encode()))


def made(people: People, tag: Tag) -> Piece:
    """Its key, made by hand in whichever way its kind and what is known of it allow."""
    tracer = Machine.objects.filter(kind__in=TRACES).first()
    for work in (HandWork("filed"), HandWork("traced", tracer)):
        with suppress(NotDone):
            return make_by_hand(Press(people["tam"]), tag, work)
    return Piece.objects.create(
        tag=tag, settlement=tag.settlement, state=PieceState.FINISHED, job="bought", key_number=1
    )


@pytest.mark.parametrize(("kind", "left_out"), CASES, ids=[" ".join(case) for case in CASES])
def test_no_page_of_a_valid_family_fails(people: People, client: Client, kind: str, left_out: str) -> None:
    client.force_login(people["orla"])
    record = import_family(people["orla"], json.dumps(document(SHIPPED[kind], left_out)).encode())
    bitting = bitting_of(record.family, Random(5))
    codes_of(people, record)
    tag = hang(people, family=record)
    for page in ("/library/bare", "/library/bare/section", f"/library/preview?family={record.pk}", "/tags/new"):
        assert client.get(page, follow=True).status_code == 200
    look(client, tag, "taken in")
    for track in record.family.tracks:
        steps = track.steps(bitting[track.name])
        type_values(people["tam"], tag, track.name, [track.values[step] for step in steps])
    look(client, tag, "read")
    settle_as(people["tam"], tag, bitting)
    look(client, tag, "settled")
    piece = made(people, Tag.objects.get(pk=tag.pk))
    measured(people["tam"], Tag.objects.get(pk=tag.pk), piece, Random(2), off_mm=0.01)
    look(client, Tag.objects.get(pk=tag.pk), "made and measured")
    from_code = hang(people, family=record, on_bench=OnBench.CODE)
    look(client, from_code, "from a code")
    for query in ("code=B1", f"family={record.pk}", "bitting=" + "+".join(bitting[record.family.tracks[0].name])):
        assert client.get(f"/codes/?{query}", follow=True).status_code == 200
