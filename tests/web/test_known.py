"""A bitting that is simply known: who said so is kept, it is settled at once, and another source may contradict it."""

from __future__ import annotations

import pytest
from django.test import Client

from web.jobs import People, hang, read
from wryfalcon.bench.models import OnBench, Settlement, Source, Tag
from wryfalcon.bench.reading.record import readings_record
from wryfalcon.demonstration.making import family_record

pytestmark = pytest.mark.django_db


@pytest.fixture
def tag(people: People) -> Tag:
    return hang(people, on_bench=OnBench.CODE, authority="the card, and a face we know")


def known(smith: Client, tag: Tag, labels: str, who: str = "the shop's card", track: str = "A") -> str:
    """The bitting typed as it stands; answers where the page then leads, or what it says."""
    if not tag.sources.filter(kind="known", track=track, removed=False).exists():
        smith.post(f"/tags/{tag.number}/read/sources", {"track": track, "kind": "known", "name": ""})
    source = tag.sources.get(kind="known", track=track, removed=False)
    answer = smith.post(f"/tags/{tag.number}/read/{source.pk}/labels", {"labels": labels, "who": who})
    return answer["Location"] if answer.status_code == 302 else answer.content.decode()


def test_it_is_settled_at_once_and_read_back_in_groups(smith: Client, tag: Tag) -> None:
    assert known(smith, tag, "35241") == f"/tags/{tag.number}/settle"
    kept = Settlement.objects.get()
    assert (kept.bitting, kept.intent, kept.read_back_at) == ({"A": ["3", "5", "2", "4", "1"]}, "restore", None)
    assert str(Source.objects.get()) == "A bitting that is known: the shop's card"
    page = smith.get(f"/tags/{tag.number}/settle").content.decode()
    assert "Read it back before anything is cut" in page
    assert readings_record(tag)[0]["source"] == "known"
    smith.post(f"/tags/{tag.number}/settle/read-back")
    assert smith.get(f"/tags/{tag.number}")["Location"].endswith("/set-up")


@pytest.mark.parametrize(
    ("labels", "who", "says"),
    [
        ("3 5 2 4 1", " ", "Say who said so"),
        ("3 5 2 4 9", "a card", "There is no depth 9"),
        ("3 5 2 4", "a card", "5 cuts"),
    ],
)
def test_what_cannot_be_is_refused_and_what_was_typed_stays(
    smith: Client, tag: Tag, labels: str, who: str, says: str
) -> None:
    page = known(smith, tag, labels, who)
    assert says in page
    assert f'value="{labels}"' in page
    assert not Settlement.objects.exists()


def test_one_that_is_not_whole_or_breaks_the_rules_is_not_settled(smith: Client, tag: Tag) -> None:
    assert "/read" in known(smith, tag, "3 5 - 4 1")
    assert not Settlement.objects.exists()
    assert "/read" in known(smith, tag, "1 6 1 6 1")  # steeper than the family allows
    assert not Settlement.objects.exists()


def test_a_source_that_was_there_is_weighed_with_it_and_contradicts_it(smith: Client, people: People, tag: Tag) -> None:
    read(people, tag)
    assert "/read" in known(smith, tag, "3 5 2 4 3")
    assert not Settlement.objects.exists()
    page = smith.get(f"/tags/{tag.number}/settle").content.decode()
    assert "cannot both be right: they part at cut" in page


def test_a_key_of_two_tracks_waits_for_both(smith: Client, people: People) -> None:
    record = family_record("harbour-office-six")
    tag = hang(people, family=record, on_bench=OnBench.CODE, authority="a card")
    tracks = record.family.tracks
    bitting = " ".join([tracks[0].labels[0]] * len(tracks[0].spaces))
    assert "/read" in known(smith, tag, bitting, track=tracks[0].name)
    assert not Settlement.objects.exists()
    assert known(smith, tag, bitting, track=tracks[1].name).endswith("/settle")
    assert set(Settlement.objects.get().bitting) == {track.name for track in tracks}


def test_a_change_of_mind_is_not_settled_behind_anybody(smith: Client, tag: Tag) -> None:
    known(smith, tag, "3 5 2 4 1")
    assert "/read" in known(smith, tag, "3 5 2 4 2", who="the customer")
    assert Settlement.objects.count() == 1
    assert Settlement.objects.get().bitting == {"A": ["3", "5", "2", "4", "1"]}
