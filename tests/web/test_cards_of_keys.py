"""A code on a card that spells the bitting: unused characters, groups laid out to rows, kept for the next card."""

from __future__ import annotations

import pytest
from django.test import Client

from keycore.codes.card import read_card
from keycore.documents.family import read_family
from keycore.errors import InputError
from web.jobs import People, hang
from web.test_bench import words
from wryfalcon.bench.models import OnBench, Source, SourceKind, Tag
from wryfalcon.bench.reading.source_actions import add_source
from wryfalcon.demonstration.making import family_record
from wryfalcon.library.models import CardRule

PRINTED = "####x########"
CARD = "2313-K2 1232 abc"


@pytest.mark.parametrize(
    ("code", "printed", "says"),
    [
        ("2313", PRINTED, "4 characters where the card has 13"),
        ("2319-K2 1232 abc", PRINTED, "9 is no depth of track A, whose are 1, 2, 3"),
        (CARD, "####", "has 4 characters that count, the family 12 cuts"),
        (CARD, "####?", "use # for each character that counts"),
    ],
)
def test_a_card_that_cannot_be_so_is_refused(code: str, printed: str, says: str) -> None:
    with pytest.raises(InputError, match=says):
        read_card(read_family("capstan-five"), code, printed)


def test_what_was_shortened_already_is_taken_as_it_is() -> None:
    capstan = read_family("capstan-five")
    assert read_card(capstan, "231321232abc", PRINTED) == read_card(capstan, CARD, PRINTED)


@pytest.fixture
def capstan(people: People) -> Tag:
    return hang(people, family=family_record("capstan-five"), on_bench=OnBench.CODE)


@pytest.fixture
def known(people: People, capstan: Tag) -> Source:
    return add_source(people["tam"], capstan, "A", SourceKind.KNOWN)


def laid(smith: Client, tag: Tag, source: Source, card: str = CARD, printed: str = PRINTED) -> str:
    posted = {"card": card, "printed": printed, "who": "its card"}
    answer = smith.post(f"/tags/{tag}/read/{source.pk}/card", posted, follow=True)
    return " ".join(answer.content.decode().split())


@pytest.mark.django_db
def test_one_card_settles_every_row_and_its_rule_is_there_for_the_next(
    smith: Client, people: People, capstan: Tag, known: Source
) -> None:
    laid(smith, capstan, known)
    tag = Tag.objects.get(pk=capstan.pk)
    assert tag.settlement is not None
    assert tag.settlement.bitting == {"A": list("23132"), "B": list("1232"), "C": list("abc")}
    assert tag.settlement.read_back_at is None  # that comes on Settle, group by group
    assert CardRule.objects.get().printed == PRINTED
    other = hang(people, family=family_record("capstan-five"), on_bench=OnBench.CODE)
    source = add_source(people["tam"], other, "B", SourceKind.KNOWN)
    page = smith.get(f"/tags/{other}/read", {"source": source.pk}).content.decode()
    assert f'value="{PRINTED}"' in page
    assert "5 of A, then 4 of B, then 3 of C" in words(smith, f"/tags/{other}/read", source=source.pk)


@pytest.mark.django_db
def test_a_wrong_card_stays_typed_and_nothing_of_it_is_kept(smith: Client, capstan: Tag, known: Source) -> None:
    page = laid(smith, capstan, known, card="9999-K2 1232 abc")
    assert "9 is no depth of track A" in page
    assert 'value="9999-K2 1232 abc"' in page
    assert not known.sightings.exists()
    assert not CardRule.objects.exists()


@pytest.mark.django_db
def test_said_again_it_is_the_same_sources(smith: Client, capstan: Tag, known: Source) -> None:
    laid(smith, capstan, known)
    laid(smith, capstan, known)
    assert Source.objects.filter(tag=capstan, removed=False).count() == 3
