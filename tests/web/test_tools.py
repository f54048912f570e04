"""Blanks cut for tools: numbered, held by somebody named, never a customer's, never of a restricted family."""

from __future__ import annotations

from uuid import uuid4

import pytest
from django.test import Client

from web.jobs import People, by
from wryfalcon.bench.models import Piece, ShopTool, Tag
from wryfalcon.bench.tools.actions import destroy_tool, hand_tool_on, make_depth_keys, make_test_key
from wryfalcon.demonstration.making import family_record
from wryfalcon.library.models import Blank
from wryfalcon.log.models import AuditEntry
from wryfalcon.machines.line.orders import Press
from wryfalcon.refusal import NotDone

pytestmark = pytest.mark.django_db


def test_one_press_makes_a_labelled_blank_for_each_depth(smith: Client, people: People) -> None:
    record = family_record("harbour-five")
    before, key = Blank.objects.get(families=record).left, str(uuid4())
    for _ in range(2):  # the same press, its answer lost
        smith.post("/tools/make", {"family": record.pk, "set": "1", "press": key})
    tools = ShopTool.objects.all()
    labels = list(record.family.tracks[0].labels)
    assert [(str(tool), tool.label) for tool in tools] == [
        (f"T{n:03d}", each) for n, each in enumerate(labels, start=1)
    ]
    assert {tool.holder for tool in tools} == {people["tam"]}
    assert Blank.objects.get(families=record).left == before - len(labels)
    assert all(set(piece.bitting["A"]) == {tool.label} for tool in tools for piece in [tool.piece])
    assert not Tag.objects.filter(state="open", pieces__tool__isnull=False).exists()
    assert smith.get("/tools").content.decode().count("depth key</td>") == len(labels)
    assert "depth keys" in smith.get("/records/").content.decode().lower()


def test_never_for_a_restricted_family_nor_from_an_empty_hook(people: People) -> None:
    record = family_record("harbour-five")
    Blank.objects.filter(families=record).update(left=2)
    with pytest.raises(NotDone, match="2 of DM-5 are left"):
        make_depth_keys(by(people), record)
    record.restricted = True
    record.save()
    with pytest.raises(NotDone, match="is restricted: no tools are cut for it"):
        make_test_key(by(people), record, list("31524"))
    assert not Piece.objects.exists()


def test_a_test_key_has_a_depth_at_every_cut(smith: Client, people: People) -> None:
    record = family_record("harbour-five")
    for typed in ("3 1 - 2 4", "3 1 5 2", "9 9 9 9 9", ""):
        page = smith.post("/tools/make", {"family": record.pk, "bitting": typed}, follow=True)
        assert page.status_code == 200
        assert not ShopTool.objects.exists()
    smith.post("/tools/make", {"family": record.pk, "bitting": "3 1 5 2 4"})
    assert ShopTool.objects.get().label == "3 1 5 2 4"


def test_it_is_handed_on_to_a_smith_and_its_end_is_kept(smith: Client, people: People) -> None:
    tool = make_test_key(Press(people["tam"]), family_record("harbour-five"), list("31524"))
    smith.post(f"/tools/{tool.pk}", {"holder": people["wren"].pk})
    tool.refresh_from_db()
    assert tool.holder == people["tam"]  # the counter holds none
    hand_tool_on(people["tam"], tool, people["orla"])
    with pytest.raises(NotDone, match="Say how"):
        destroy_tool(people["orla"], tool, " ")
    destroy_tool(people["orla"], tool, "cut through at the vice")
    with pytest.raises(NotDone, match="T001 was destroyed"):
        hand_tool_on(people["orla"], tool, people["tam"])
    assert "cut through at the vice" in smith.get("/tools").content.decode()
    assert AuditEntry.objects.filter(event__startswith="tool").count() == 3


def test_the_counter_looks_and_makes_none(client: Client, people: People) -> None:
    client.force_login(people["wren"])
    assert client.get("/tools").status_code == 200
    assert client.post("/tools/make", {"family": family_record("harbour-five").pk, "set": "1"}).status_code == 403
