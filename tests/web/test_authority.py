"""What must be written down before a key is read, by class; what an import assumes, and every fault of it."""

from __future__ import annotations

import json
from typing import Any

import pytest
from django.test import Client

from web.jobs import People, hang
from web.test_bench import words
from wryfalcon.bench.models import OnBench, Tag
from wryfalcon.bench.reading.actions import Typed, add_value
from wryfalcon.demonstration.making import family_record, settle_as
from wryfalcon.library.models import FamilyRecord
from wryfalcon.refusal import NotDone

pytestmark = pytest.mark.django_db

FULL = [OnBench.CODE, OnBench.RECORD, OnBench.LOCK, OnBench.LOCK_PARTS, OnBench.PART_LOCK]


@pytest.mark.parametrize("on_bench", FULL)
def test_what_needs_a_record_is_not_taken_in_without_one(people: People, on_bench: str) -> None:
    with pytest.raises(NotDone, match="write down what shows that they may have this key") as refusal:
        hang(people, on_bench=on_bench, authority="")
    assert refusal.value.field == "authority"
    assert hang(people, on_bench=on_bench, authority="lease seen").pk


def test_a_key_in_the_hand_takes_one_press(people: People) -> None:
    tag = hang(people, authority="", in_hand=True)
    assert tag.authority == "has the key in hand; seen by Wren Hallow"
    assert hang(people, authority="").authority == ""  # an open profile asks no more than the shop wants
    with pytest.raises(NotDone, match="For a bitting or a code"):
        hang(people, on_bench=OnBench.CODE, authority="", in_hand=True)


def test_a_restricted_profile_needs_a_record_with_the_key_in_hand_too(people: People) -> None:
    with pytest.raises(NotDone, match="is restricted: write down"):
        hang(people, family=family_record("harbour-office-six"), authority="", in_hand=True)


def test_a_shop_may_tighten_the_classes(people: People, settings: Any) -> None:
    settings.FULL_RECORD_ALSO = ["good-key"]
    with pytest.raises(NotDone, match="For a good key"):
        hang(people, on_bench=OnBench.GOOD_KEY, authority="", in_hand=True)


def test_an_older_tag_without_a_record_is_not_read_until_it_has_one(smith: Client, people: People) -> None:
    tag = hang(people, on_bench=OnBench.LOCK)
    Tag.objects.filter(pk=tag.pk).update(authority="")
    assert "Write down under Take in what shows" in words(smith, f"/tags/{tag}/read")
    assert "its authority to be written down" in words(smith, "/")
    tag.refresh_from_db()
    with pytest.raises(NotDone, match="Write down under Take in"):
        add_value(people["tam"], tag, Typed("A", 1, "0.28", tag.family.unit))
    Tag.objects.filter(pk=tag.pk).update(authority="lease seen")
    assert "Write down under Take in" not in words(smith, f"/tags/{tag}/read")


def test_a_record_brought_in_and_a_key_made_again_need_an_authority_of_today(owner: Client, people: People) -> None:
    tag = hang(people)
    settle_as(people["tam"], tag, {"A": ["3", "5", "2", "4", "1"]})
    document = owner.post(f"/tags/{tag}/record.json").content.decode()
    answer = owner.post("/records/bring-back", {"document": document, "authority": ""})
    assert answer.status_code == 422
    assert "write down what shows that they may have this key" in answer.content.decode()
    owner.post("/records/bring-back", {"document": document, "authority": "asked in person"})
    assert Tag.objects.count() == 2


def test_what_is_stamped_on_the_bow_is_kept(smith: Client, people: People) -> None:
    tag = hang(people, stamped="DO NOT COPY 12")
    assert 'value="DO NOT COPY 12"' in smith.get(f"/tags/{tag}/take-in").content.decode()


def bare() -> dict[str, Any]:
    document = json.loads(family_record("harbour-five").document)
    return {key: value for key, value in document.items() if key not in ("entry", "play")} | {"id": "bare-five"}


def test_what_a_document_leaves_out_is_listed_at_import(owner: Client, people: People) -> None:
    document = bare()
    del document["tracks"][0]["macs"]
    said = " ".join(
        owner.post("/library/bring-in", {"document": json.dumps(document)}, follow=True).content.decode().split()
    )
    assert "Its document leaves something out" in said
    assert "entry: taken to go in both ways up; a blade cut on one edge usually goes in one way only." in said
    assert "macs of track A: none, so that any two depths may be neighbours." in said
    assert "play: the lock is taken to allow what cutting does" in said


def test_every_fault_of_a_document_is_named_at_once(owner: Client, people: People) -> None:
    document = bare() | {"id": "Bare Five", "colour": "brass"}
    document["unit"] = "cubit"
    document["tracks"][0]["macs"] = "many"
    said = owner.post("/library/bring-in", {"document": json.dumps(document)}).content.decode()
    for field in ("id", "colour", "unit", "tracks[0].macs"):
        assert f"<strong>{field}</strong>" in said
    document = bare() | {"measured": "across", "positions": {"door": [9, 9]}}
    document["tracks"][0]["spaces"] = document["tracks"][0]["spaces"][::-1]
    said = owner.post("/library/bring-in", {"document": json.dumps(document)}).content.decode()
    for field in ("tracks[0].spaces", "measured", "positions.door"):
        assert f"<strong>{field}</strong>" in said
    assert not FamilyRecord.objects.filter(slug="bare-five").exists()
