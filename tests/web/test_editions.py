"""Editions of families: offered, looked at, put in force and back; what follows a family, what keeps its edition."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING, Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from keycore import families
from keycore.errors import InputError
from web.jobs import BITTING, People, carded, cut, hang, on_the_line, read, settled
from web.test_bench import words
from web.test_codes import in_force
from wryfalcon.bench.models import Outcome, SourceKind, Tag
from wryfalcon.bench.reading.actions import state_labels
from wryfalcon.bench.reading.queries import readings_of
from wryfalcon.bench.reading.source_actions import add_source
from wryfalcon.bench.setting_up.queries import what_holds
from wryfalcon.bench.settling.actions import read_back
from wryfalcon.bench.tags.editions import go_over
from wryfalcon.bench.tools.actions import make_depth_keys
from wryfalcon.bench.trying.actions import note_try
from wryfalcon.bench.trying.queries import entries_of, left_to_try, sheet_of
from wryfalcon.codes.models import Series
from wryfalcon.demonstration.making import family_record
from wryfalcon.library.actions.editions import put_in_force, throw_away
from wryfalcon.library.actions.families import import_family
from wryfalcon.library.models import Blank, EditionState, FamilyRecord
from wryfalcon.log.models import AuditEntry, Event
from wryfalcon.machines.line.orders import Press
from wryfalcon.machines.models import Machine, MachineOffset
from wryfalcon.machines.offsets import offsets_for
from wryfalcon.refusal import NotDone

if TYPE_CHECKING:
    from conftest import BenchMachine

pytestmark = pytest.mark.django_db

FOURTH = 0.262  # of Harbour five's depth 4, which is 0.266 in the edition before


def corrected(**changes: Any) -> dict[str, Any]:
    """Harbour five's table with its depth 4 corrected, as edition 2027."""
    document = json.loads(json.dumps(families.shipped("harbour-five")))
    document["tracks"][0]["depths"][3]["value"] = FOURTH
    return {**document, "edition": "2027", **changes}


def offered(people: People, document: dict[str, Any]) -> FamilyRecord:
    return import_family(people["orla"], json.dumps(document).encode())


def brought(people: People, document: dict[str, Any]) -> FamilyRecord:
    """An edition in force."""
    record = offered(people, document)
    put_in_force(people["orla"], record, family_record(record.slug).pk, record.digest)
    return FamilyRecord.objects.get(pk=record.pk)


def test_a_known_id_waits_as_the_next_edition_and_shows_what_it_changes(owner: Client, people: People) -> None:
    before = family_record("harbour-five")
    tag = hang(people)
    settled(people, tag)  # 3 5 2 4 1
    page = owner.post("/library/bring-in", {"document": json.dumps(corrected())}, follow=True)
    said = " ".join(page.content.decode().split())
    assert "Harbour five, edition 2027 waits" in said
    assert "Depth 4" in said
    assert "−0.0040 in" in said
    assert "One key of this shop would be cut otherwise by it by more than its tolerance" in said
    assert f"{tag}</a> Stage door" in said
    assert family_record("harbour-five") == before
    assert "Editions, 1 waiting" in words(owner, "/library/")
    assert "Harbour five, edition 2027" in words(owner, "/library/editions/")


def test_an_edition_comes_in_force_as_it_was_looked_at_and_goes_back_the_same_way(
    owner: Client, people: People
) -> None:
    before, after = family_record("harbour-five"), offered(people, corrected())
    owner.post(f"/library/editions/{after.pk}/put-in-force", {"against": before.pk + 1000, "seen": after.digest})
    assert family_record("harbour-five") == before  # looked at beside another one
    owner.post(f"/library/editions/{after.pk}/put-in-force", {"against": before.pk, "seen": after.digest})
    owner.post(
        f"/library/editions/{after.pk}/put-in-force", {"against": before.pk, "seen": after.digest}
    )  # pressed twice
    assert family_record("harbour-five") == after
    assert words(owner, "/library/harbour-five").count("edition 2027")
    assert "edition 2024 : no longer in force" in words(owner, "/library/harbour-five")
    assert "no longer in force" in words(owner, "/library/harbour-five", edition=before.edition)
    page = words(owner, f"/library/editions/{before.pk}")
    assert "Put it back in force" in page
    assert "+0.0040 in" in page
    owner.post(f"/library/editions/{before.pk}/put-in-force", {"against": after.pk, "seen": before.digest})
    assert family_record("harbour-five") == before
    events = AuditEntry.objects.filter(event=Event.EDITION_IN_FORCE).order_by("id").values_list("data", flat=True)
    assert [(each["before"], each["edition"]) for each in events] == [("2024", "2027"), ("2027", "2024")]


def test_a_document_that_was_not_looked_at_is_not_put_in_force(owner: Client, people: People) -> None:
    """Another one was offered in its place while the page stood open."""
    before, waiting = family_record("harbour-five"), offered(people, corrected())
    seen = {"against": before.pk, "seen": waiting.digest}
    offered(people, corrected(notes="and another"))
    said = owner.post(f"/library/editions/{waiting.pk}/put-in-force", seen, follow=True).content.decode()
    assert "was offered anew meanwhile" in said
    assert family_record("harbour-five") == before


def test_a_tag_keeps_its_edition_until_it_goes_over_and_is_read_back_again(smith: Client, people: People) -> None:
    tag = hang(people)
    read(people, tag)
    settled(people, tag)
    carded(people, tag, Machine.objects.get(name="Old Gannet"))
    before = family_record("harbour-five")
    brought(people, corrected())
    assert Tag.objects.get(pk=tag.pk).family_record == before
    head = words(smith, f"/tags/{tag}/settle")
    assert "By edition 2024; edition 2027 is in force now. By that one: cut 4: depth −0.0040 in." in head
    assert "is in force now" not in words(smith, f"/tags/{hang(people)}/take-in")  # a new one is by the new edition
    answer = smith.post(f"/tags/{tag}/edition", follow=True)
    assert "By 2027 from now on. The bitting stands; read it back again." in " ".join(answer.content.decode().split())
    tag = Tag.objects.get(pk=tag.pk)
    assert tag.settlement is not None
    assert tag.settlement.bitting == BITTING
    assert tag.settlement.values["A"][3] == FOURTH
    assert tag.settlement.read_back_at is None
    assert tag.settlement.edition == "2027"
    assert tag.set_up is None  # the card was made by the old table
    smith.post(f"/tags/{tag}/edition")  # a second tab
    assert tag.settlements.count() == 2


def test_what_was_read_may_say_another_bitting_by_the_new_table(smith: Client, people: People) -> None:
    tag = hang(people)
    read(people, tag)
    settled(people, tag)
    document = corrected()
    for depth in document["tracks"][0]["depths"]:
        depth["value"] = round(depth["value"] - 0.020, 4)  # a whole step deeper: the same metal, one label less
    brought(people, document)
    answer = smith.post(f"/tags/{tag}/edition", follow=True)
    assert "By this table what was read says" in " ".join(answer.content.decode().split())


def test_a_key_that_was_begun_stays_with_its_edition(people: People, bench_machine: BenchMachine) -> None:
    tag = hang(people)
    settled(people, tag)
    read_back(people["tam"], tag)
    carded(people, tag, on_the_line(bench_machine))
    piece = cut(people, tag)
    brought(people, corrected())
    with pytest.raises(NotDone, match="Key 1 was begun by Harbour five, edition 2024 and stays with it"):
        go_over(people["tam"], tag)
    assert piece.wanted_values is not None
    assert piece.wanted_values["A"][3] == 0.266
    tag = Tag.objects.get(pk=tag.pk)
    assert tag.set_up is not None
    assert not what_holds(tag, tag.set_up).lapses  # its card still holds


def test_a_tag_whose_keys_were_tried_stays_with_its_edition(people: People) -> None:
    tag = hang(people, on_bench="part-lock")
    sheet = sheet_of(tag, "A")
    state_labels(people["tam"], tag, add_source(people["tam"], tag, "A", SourceKind.PARTS), {1: ["3"], 2: ["5"]})
    left = left_to_try(readings_of(tag)[0], sheet, entries_of(sheet))
    assert left.next is not None
    note_try(people["tam"], sheet, left, left.next.form_value, Outcome.NO_TURN)
    brought(people, corrected())
    with pytest.raises(NotDone, match="was begun by Harbour five, edition 2024"):
        go_over(people["tam"], tag)


def test_a_table_with_other_labels_is_for_new_tags_only(smith: Client, people: People) -> None:
    tag = hang(people)
    settled(people, tag)
    document = corrected()
    for place, depth in enumerate(document["tracks"][0]["depths"]):
        depth["label"] = "ABCDEFGHI"[place]
    brought(people, document)
    assert "take in a new tag for a key by it" in words(smith, f"/tags/{tag}/settle")
    with pytest.raises(NotDone, match="take in a new tag for it"):
        go_over(people["tam"], tag)
    FamilyRecord.objects.filter(pk=family_record("harbour-five").pk).update(state=EditionState.CHECKED)
    FamilyRecord.objects.filter(pk=tag.family_record_id).update(state=EditionState.IN_FORCE)
    said = words(smith, f"/library/editions/{FamilyRecord.objects.checked().get().pk}")
    assert "its labels or cuts are none of this edition" in said


def test_blanks_offsets_restriction_and_positions_follow_the_family(people: People) -> None:
    before = family_record("harbour-five")
    FamilyRecord.objects.filter(pk=before.pk).update(restricted=True)
    Blank.objects.create(code="DM-5 X", hook="Z1").families.add(before)
    gannet = Machine.objects.get(name="Old Gannet")
    MachineOffset.objects.create(machine=gannet, gauge="shoulder", family_record=before, value=0.03)
    document = corrected(blank={**corrected()["blank"], "code": "DM-5 N"})
    positions = document.pop("positions", None)
    after = brought(people, document)
    assert after.restricted
    assert {"DM-5", "DM-5 X", "DM-5 N"} <= set(after.blanks.values_list("code", flat=True))
    if positions:
        assert json.loads(after.document)["positions"] == positions
    for record in (before, after):
        assert offsets_for(gannet, "shoulder", None, record).value == pytest.approx(
            sum(gannet.offsets.filter(gauge="shoulder", jaw_side=None).values_list("value", flat=True))
        )


def test_positions_of_locks_follow_where_the_new_table_says_nothing_of_them(people: People) -> None:
    document = json.loads(json.dumps(families.shipped("chandler-ten")))
    positions = document.get("positions") or {"door": [1, 2, 3]}
    document["positions"] = positions
    slug = "chandler-copy"
    offered(people, {**document, "id": slug})
    plain = {name: value for name, value in document.items() if name != "positions"}
    waiting = offered(people, {**plain, "id": slug, "edition": "next"})
    assert json.loads(waiting.document)["positions"] == positions


def test_codes_keep_the_edition_they_were_made_by_and_are_read_by_one_of_the_same_labels(
    owner: Client, people: People
) -> None:
    series = in_force(people, [("T1", "3 5 2 4 1")])
    before = family_record("harbour-five")
    after = brought(people, corrected())
    series.refresh_from_db()
    assert series.family_record == before
    page = owner.get(f"/tags/new?code={series.codes.get().pk}").content.decode()
    assert f'value="{after.pk}" selected' in page
    tag = hang(people, on_bench="code", family=after)
    assert [each.pk for each in Series.objects.in_force()] == [series.pk]
    assert "Theatre T" in words(owner, f"/codes/by-bitting?family={after.pk}&bitting=3+5+2+4+1&from=bow")
    other = corrected(edition="2028")
    other["tracks"][0]["depths"].pop()
    latest = brought(people, other)
    page = owner.get(f"/tags/new?code={series.codes.get().pk}").content.decode()
    assert f'value="{before.pk}" selected' in page  # a depth less: its own edition
    assert "Harbour five, edition 2024" in page
    assert "Theatre T" not in words(owner, f"/codes/by-bitting?family={latest.pk}&bitting=3+5+2+4+1&from=bow")
    assert tag.family_record == after


def test_a_series_of_a_waiting_edition_comes_in_after_it(owner: Client, people: People) -> None:
    offered(people, corrected())
    document = {
        "format": "wry-falcon.series/1", "id": "theatre-t", "name": "Theatre T", "family": "harbour-five",
        "codes": [["T1", "3 5 2 4 1"]],
    }  # fmt: skip
    owner.post("/codes/bring-in", {"table": json.dumps(document)})
    series = Series.objects.get()
    assert series.family_record.edition == "2027"
    said = owner.post(f"/codes/{series.pk}/bring-in", follow=True).content.decode()
    assert "is not in force yet; put that in force first" in said
    with pytest.raises(NotDone, match="rests on it"):
        throw_away(people["orla"], series.family_record)
    page = owner.get("/library/editions/").content.decode()
    assert "Put these 2 in force together" in page
    pairs = f"{series.family_record_id}:{family_record('harbour-five').pk}:{series.family_record.digest}"
    owner.post("/library/editions/put-in-force", {"family": pairs, "series": series.pk})
    series.refresh_from_db()
    assert (series.state, family_record("harbour-five").edition) == ("in-force", "2027")


def test_all_come_in_force_or_none(owner: Client, people: People) -> None:
    after, before = offered(people, corrected()), family_record("harbour-five")
    said = owner.post(
        "/library/editions/put-in-force",
        {"family": f"{after.pk}:{before.pk}:{after.digest}", "series": "999"},
        follow=True,
    )
    assert "waits no longer" in said.content.decode()
    assert family_record("harbour-five") == before


def test_a_folder_is_brought_in_at_once_each_file_by_itself(owner: Client, people: People) -> None:
    in_force(people, [("T1", "3 5 2 4 1")], edition="2026")
    series = {
        "format": "wry-falcon.series/1", "id": "theatre-t", "name": "Theatre T", "family": "harbour-five",
        "edition": "2027", "codes": [["T1", "3 5 2 4 1"], ["T2", "3 5 2 4 2"]],
    }  # fmt: skip
    files = [
        SimpleUploadedFile("a-series.json", json.dumps(series).encode()),
        SimpleUploadedFile("harbour-five.json", json.dumps(corrected()).encode()),
        SimpleUploadedFile("broken.json", b'{"format": "wry-falcon.family/1", "id": "x"}'),
        SimpleUploadedFile("readme.txt", b"Dear locksmith"),
        SimpleUploadedFile("other.csv", b"code,bitting\nQ1,3 5 2 4 1\n"),
        SimpleUploadedFile(".DS_Store", b"\0\0"),
    ]
    said = " ".join(owner.post("/library/editions/bring-in", {"files": files}).content.decode().split())
    assert "3 files refused; the others are taken." in said
    assert "Harbour five, edition 2027: checked, not in force yet" in said
    assert "Theatre T, 2027: checked, not in force yet" in said
    assert "name it as its series" in said
    assert "DS_Store" not in said
    waiting = Series.objects.get(edition="2027")
    assert waiting.family_record.edition == "2027"  # though its file came first
    assert FamilyRecord.objects.checked().count() == 1


def test_a_table_named_as_its_series_is_the_next_edition_of_it(owner: Client, people: People) -> None:
    in_force(people, [("T1", "3 5 2 4 1")], edition="2026")
    table = SimpleUploadedFile("theatre-t.csv", b"code,bitting\nT1,3 5 2 4 2\n")
    said = owner.post("/library/editions/bring-in", {"files": [table]}).content.decode()
    assert "Theatre T, brought in" in said
    assert Series.objects.in_force().get().edition == "2026"


def test_an_edition_that_its_document_does_not_name_is_named_by_its_day(people: People) -> None:
    unnamed = corrected()
    del unnamed["edition"]
    first = offered(people, unnamed)
    assert first.edition.startswith("brought in 20")
    assert first.family.edition == first.edition
    with pytest.raises(InputError, match="in the library already"):
        offered(people, unnamed)
    same_name = offered(people, corrected(edition="2024", notes="another"))
    assert same_name.edition.startswith("2024, brought in 20")
    assert FamilyRecord.objects.filter(slug="harbour-five").count() == 2  # the one that waited made way


def test_the_same_document_again_and_another_kind_are_refused(people: People) -> None:
    with pytest.raises(InputError, match="in the library already: Harbour five, edition 2024, in force"):
        offered(people, families.shipped("harbour-five"))
    with pytest.raises(InputError, match="another kind needs an id of its own"):
        offered(people, {**families.shipped("lighthouse-eight"), "id": "harbour-five"})


def test_an_edition_in_force_or_replaced_is_not_thrown_away(owner: Client, people: People) -> None:
    before = family_record("harbour-five")
    after = brought(people, corrected())
    for record in (before, after):
        with pytest.raises(NotDone, match="is in force, or was"):
            throw_away(people["orla"], record)
    waiting = offered(people, corrected(edition="2028", notes="more"))
    owner.post(f"/library/editions/{waiting.pk}/throw-away")
    assert not FamilyRecord.objects.filter(pk=waiting.pk).exists()


def test_tools_of_the_shop_cut_by_the_old_table_are_named(owner: Client, people: People) -> None:
    make_depth_keys(Press(people["tam"]), family_record("harbour-five"))
    waiting = offered(people, corrected())
    page = words(owner, f"/library/editions/{waiting.pk}")
    assert "depth key 4" in page
    assert "depth key 3" not in page


def test_counter_sees_no_editions_and_smith_puts_none_in_force(people: People, client: Client) -> None:
    waiting = offered(people, corrected())
    client.force_login(people["wren"])
    assert client.get("/library/editions/").status_code == 403
    client.force_login(people["tam"])
    assert "Put it in force" not in client.get(f"/library/editions/{waiting.pk}").content.decode()
    against = family_record("harbour-five").pk
    assert client.post(f"/library/editions/{waiting.pk}/put-in-force", {"against": against}).status_code == 403
    assert FamilyRecord.objects.get(pk=waiting.pk).state == EditionState.CHECKED
