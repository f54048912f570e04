"""Code series: brought in whole or not at all, found as a smith writes codes, and used to fill half a lock."""

from __future__ import annotations

import json

import pytest
from django.test import Client

from web.jobs import People, hang
from web.test_bench import words
from web.test_sources import reading_of
from wryfalcon.bench.actions.read import state_labels
from wryfalcon.bench.actions.sources import add_source
from wryfalcon.bench.models import OnBench, Tag
from wryfalcon.codes.actions import import_series, offer_series
from wryfalcon.codes.models import Code, Series
from wryfalcon.demonstration.making import family_record

pytestmark = pytest.mark.django_db

TABLE = "code,bitting\nT 0041,3 5 2 4 1\nT-0042,35241\nT0043,1 6 1 6 1\n"
ABOUT = {"id": "theatre-t", "name": "Theatre T", "family": "harbour-five"}


def test_a_table_is_shown_before_it_is_brought_in_and_then_found_by_its_code(owner: Client) -> None:
    shown = owner.post("/codes/bring-in", {**ABOUT, "table": TABLE, "check": "1"}).content.decode()
    assert "<strong>3 codes</strong> for Harbour five, 1 of them breaking a rule" in shown
    assert not Series.objects.exists()
    assert owner.post("/codes/bring-in", {**ABOUT, "table": TABLE, "bring": "1"}).status_code == 302
    said = words(owner, "/codes/", code="t 00-42")
    assert "T-0042 Theatre T Harbour five" in said  # as it was printed, however it is asked for
    assert "breaks macs" in words(owner, "/codes/", code="T0043")
    assert "No series here has that code" in words(owner, "/codes/", code="T42")  # leading zeros are kept
    again = owner.post("/codes/bring-in", {**ABOUT, "table": TABLE, "bring": "1"}).content.decode()
    assert "theatre-t is in the library already" in again


@pytest.mark.parametrize(
    ("table", "says"),
    [
        ("code,bitting\nT1,3 5 2 4 1\nT2,3 5 2\n", "line 3, T2: 3 cuts where the family has 5"),
        ("code,bitting\nT1,3 5 2 4 1\n t-1 ,3 5 2 4 1\n", "the same code as line 2"),
        ("code,bitting\n,3 5 2 4 1\nT2,\n", "line 2, no code: no code"),
        ("number,cuts\nT1,35241\n", "the first line must name the columns code and bitting"),
        ('{"format": "wry-falcon.series/1"}', "is missing"),
    ],
)
def test_a_bad_row_is_named_with_its_line_and_nothing_is_brought_in(owner: Client, table: str, says: str) -> None:
    page = owner.post("/codes/bring-in", {**ABOUT, "table": table, "bring": "1"})
    assert page.status_code == 422
    assert says in page.content.decode()
    assert not Code.objects.exists()


def test_a_series_document_says_everything_itself(owner: Client, people: People) -> None:
    document = {"format": "wry-falcon.series/1", **ABOUT, "codes": [["T1001", "3 5 2 4 1"]]}
    import_series(people["orla"], offer_series(json.dumps(document).encode()))
    assert Code.objects.get().bitting == "3 5 2 4 1"


def test_half_a_lock_is_filled_from_the_code_that_fits(smith: Client, people: People) -> None:
    rows = ["M1,2 3 1 2 4 3 4 2", "M2,2 3 1 2 4 2 1 1", "M3,1 1 1 1 1 1 1 1"]
    document = {
        "format": "wry-falcon.series/1", "id": "moorings", "name": "Moorings", "family": "lighthouse-eight",
        "codes": [row.split(",") for row in rows],
    }  # fmt: skip
    import_series(people["orla"], offer_series(json.dumps(document).encode()))
    tag = hang(people, family=family_record("lighthouse-eight"), on_bench=OnBench.PART_LOCK)
    source = add_source(people["tam"], tag, tag.family.tracks[0].name, "parts")
    state_labels(people["tam"], tag, source, {s: [label] for s, label in enumerate("231243", start=1)})
    assert "M1 Moorings: 2 3 1 2 4 3 4 2 , over 99 in 100 of the codes" in words(smith, f"/tags/{tag}/settle")
    smith.post(f"/tags/{tag}/settle/fill", {"code": Code.objects.get(code="M1").pk})
    reading = reading_of(tag)
    assert reading.labels == list("23124342")
    assert reading.locks == {"boot locker": True, "engine cover": True}
    assert {o.reason for o in reading.overruled.values()} == {"code M1 of Moorings"}


def test_from_a_code_to_a_settled_bitting_with_its_provenance(smith: Client, people: People) -> None:
    document = {"format": "wry-falcon.series/1", **ABOUT, "codes": [["T-1001", "3 5 2 4 1"]]}
    import_series(people["orla"], offer_series(json.dumps(document).encode()))
    found = words(smith, "/records/find", q="t1001")
    assert "Theatre T, Harbour five" in found
    assert "3 5 2 4 1" not in found
    code = Code.objects.get()
    assert "From code T-1001 of Theatre T." in words(smith, "/tags/new", code=str(code.pk))
    job = {
        "code": code.pk, "title": "Spare", "customer": "Quay", "on_bench": "code", "quantity": "1",
        "family": code.series.family_record_id, "locks-TOTAL_FORMS": "0", "locks-INITIAL_FORMS": "0",
    }  # fmt: skip
    page = smith.post("/tags/new", job, follow=True).content.decode()
    assert "Settle on 3 5 2 4 1" in page
    assert "By a code: T-1001, Theatre T." in page
    tag = Tag.objects.get()
    assert str(reading_of(tag).sources[0].record) == "A code: T-1001, Theatre T"
    assert reading_of(tag).chance is not None
    other = smith.post("/tags/new", {**job, "family": family_record("theatre-six").pk}).content.decode()
    assert "is a series of Harbour five" in other
    assert Tag.objects.count() == 1  # a tag is not hung without its code


def test_a_code_typed_on_read_is_looked_up_in_the_familys_own_series(smith: Client, people: People) -> None:
    document = {"format": "wry-falcon.series/1", **ABOUT, "codes": [["T-1001", "3 5 2 4 1"]]}
    import_series(people["orla"], offer_series(json.dumps(document).encode()))
    tag = hang(people, on_bench=OnBench.CODE)
    source = add_source(people["tam"], tag, "A", "code")
    refused = smith.post(f"/tags/{tag}/read/{source.pk}/code", {"code": "T 9"})
    assert refused.status_code == 422
    assert "No series of this family has the code “T 9”." in refused.content.decode()
    smith.post(f"/tags/{tag}/read/{source.pk}/code", {"code": "t 1001"})
    assert reading_of(tag).labels == ["3", "5", "2", "4", "1"]
