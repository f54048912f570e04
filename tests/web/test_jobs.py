"""Whole jobs through the pages: both edges, many keys, trials, handing over, finding again."""

from __future__ import annotations

import re

import pytest
from django.test import Client

from conftest import BenchMachine
from keycore.reading.decode import RULES_LEFT_OUT
from web.jobs import BITTING, People, by, carded, cut, followed, hang, on_the_line, read, settled, tick_on_page
from wryfalcon.bench.models import Piece, ProofValue, SetUp, Tag, Trial
from wryfalcon.bench.proving.actions import TrialFelt, keep_proof, read_caliper, try_in_lock
from wryfalcon.bench.reading.actions import look_with_depth_key
from wryfalcon.bench.reading.queries import readings_of
from wryfalcon.bench.reading.source_actions import add_source
from wryfalcon.demonstration.making import family_record, finished_key, type_values
from wryfalcon.library.models import FamilyRecord
from wryfalcon.log.models import AuditEntry, Event
from wryfalcon.machines.models import Cutter, Machine

pytestmark = pytest.mark.django_db


def words(client: Client, path: str) -> str:
    answer = client.get(path)
    assert answer.status_code == 200
    text = re.sub(r"<[^>]+>", " ", answer.content.decode()).replace("\N{NO-BREAK SPACE}", " ")
    return " ".join(text.split())


@pytest.fixture
def made(people: People) -> Piece:
    """A finished Harbour five key of two wanted, not measured yet."""
    tag = hang(people, quantity=2)
    settled(people, tag)
    carded(people, tag, Machine.objects.get(name="Old Gannet"))
    return finished_key(tag, tag.taken_in_at)


def measured(people: People, piece: Piece, errors: list[float], times: int = 4) -> None:
    for space, (value, error) in enumerate(zip(piece.settlement.values["A"], errors, strict=True), start=1):
        for _ in range(times):
            ProofValue.objects.create(
                piece=piece, track="A", space=space, value=value + error, source="caliper", by=people["tam"]
            )


def test_both_edges_of_a_key_are_read_and_settled_apart(smith: Client, people: People) -> None:
    tag = hang(people, family=family_record("harbour-office-six"), authority="letter")
    values = tag.family.tracks[0].values
    type_values(people["tam"], tag, "A", [values[s] - 0.003 for s in (1, 3, 2, 4, 0, 2)])
    assert "Edge B is still to be read." in words(smith, f"/tags/{tag}/settle?track=A")
    smith.post(f"/tags/{tag}/settle/keep", {"intent": "restore"})
    assert not tag.settlements.exists()
    type_values(people["tam"], tag, "B", [values[s] - 0.003 for s in (2, 0, 3, 1, 4, 5)])
    smith.post(f"/tags/{tag}/settle/keep", {"intent": "restore"})
    kept = tag.settlements.get()
    assert kept.bitting == {"A": ["2", "4", "3", "5", "1", "3"], "B": ["3", "1", "4", "2", "5", "6"]}
    said = words(smith, f"/tags/{tag}/settle")
    assert "2 4 3 · 5 1 3" in said
    assert "3 1 4 · 2 5 6" in said


def test_the_machine_is_told_the_bitting_from_its_gauge(smith: Client, people: People) -> None:
    """Beach hut five counts from the tip and gauges from the shoulder: read back both ways round."""
    tag = hang(people, family=family_record("beach-hut-five"))
    settled(people, tag, {"A": ["A", "C", "B", "E", "D"]})
    said = words(smith, f"/tags/{tag}/settle")
    assert "As its source was counted, from the tip A C B · E D" in said
    assert "As the machine cuts, from the shoulder gauge D E B · C A" in said


def test_a_familys_other_rules_are_held_to_once_every_cut_is_read(people: People) -> None:
    record = family_record("harbour-five")
    document = record.document.replace('"source"', '"rules": {"most_alike": 1}, "source"')
    FamilyRecord.objects.filter(pk=record.pk).update(document=document)
    tag = hang(people, family=FamilyRecord.objects.get(pk=record.pk))
    values = [0.286, 0.2965, 0.306, 0.266, 0.246]
    type_values(people["tam"], tag, "A", values[:4])
    assert readings_of(tag)[0].posterior is not None
    type_values(people["tam"], tag, "A", [None] * 4 + values[4:])
    reading = readings_of(tag)[0]
    assert len(set(reading.labels)) == 5  # no two alike, though the second cut lies between two depths
    assert reading.problem == ""


def test_rules_beyond_reach_fall_back_to_macs_and_say_so(smith: Client, people: People) -> None:
    record = family_record("theatre-six")
    wide = record.document.replace('"macs": 6', '"macs": 9').replace('"label": "9"', '"label": "9"')
    depths = ", ".join(f'{{"label": "{c}", "value": {0.19 - 0.01 * i:.3f}}}' for i, c in enumerate("XYZ"))
    document = re.sub(r'("label": "9",\s*"value": 0\.204\s*\})', rf"\1, {depths}", wide)
    document = document.replace('"source"', '"rules": {"fewest_depths": 2}, "source"')
    FamilyRecord.objects.filter(pk=record.pk).update(document=document)
    tag = hang(people, family=FamilyRecord.objects.get(pk=record.pk))
    source = add_source(people["tam"], tag, "A", "depth-keys")
    look_with_depth_key(people["tam"], tag, source, "3", {})  # says something of every cut, and little of any
    assert readings_of(tag)[0].posterior is not None
    assert RULES_LEFT_OUT in words(smith, f"/tags/{tag}/read").replace("&#x27;", "'")


def test_a_good_key_goes_on_to_the_next_and_the_last_to_handing_over(
    smith: Client, people: People, made: Piece
) -> None:
    tag = made.set_up.tag
    measured(people, made, [0.0001, -0.0002, 0.0, 0.0002, 0.0])
    answer = smith.post(f"/tags/{tag}/prove/{made.pk}/verdict", {"passed": "1"})
    assert answer["Location"] == f"/tags/{tag.number}/cut"
    assert smith.get(f"/tags/{tag}")["Location"] == f"/tags/{tag.number}/cut"
    second = finished_key(tag, tag.taken_in_at, 2)
    measured(people, second, [0.0] * 5)
    answer = smith.post(f"/tags/{tag}/prove/{second.pk}/verdict", {"passed": "1"})
    assert answer["Location"] == f"/tags/{tag.number}/hand-over"


def test_a_tag_with_fewer_keys_than_wanted_closes_with_a_reason_only(
    smith: Client, people: People, made: Piece
) -> None:
    tag = made.set_up.tag
    measured(people, made, [0.0] * 5)
    keep_proof(people["tam"], tag, made, passed=True, reason="")
    answer = smith.post(f"/tags/{tag}/hand-over/close", {"reason": ""}, follow=True)
    assert "1 of 2 keys are proven. Say why the job ends here" in answer.content.decode()
    smith.post(f"/tags/{tag}/hand-over/close", {"reason": "one is enough after all"})
    tag.refresh_from_db()
    assert (tag.state, tag.note) == ("closed", "one is enough after all")
    smith.post(f"/tags/{tag}/settle/keep", {"intent": "copy"})
    assert tag.settlements.count() == 1  # closed is closed


def test_a_failed_proof_leads_back_to_the_stage_that_can_mend_it(smith: Client, people: People, made: Piece) -> None:
    tag = made.set_up.tag
    measured(people, made, [-0.005] * 5)
    said = words(smith, f"/tags/{tag}/prove")
    assert "All cuts deep alike: the blank was not bottomed in the jaw" in said
    assert "Clamp and cut again" in said
    assert "turns freely under 1 in 100 in a true lock" in said
    assert said.count("snags") >= 5
    smith.post(f"/tags/{tag}/prove/{made.pk}/verdict", {"failed": "1"})
    assert smith.get(f"/tags/{tag}")["Location"] == f"/tags/{tag.number}/prove"
    carded(people, tag, Machine.objects.get(name="Old Gannet"))
    assert smith.get(f"/tags/{tag}")["Location"] == f"/tags/{tag.number}/cut"


def test_a_doubtful_key_says_how_many_readings_would_settle_it(smith: Client, people: People, made: Piece) -> None:
    measured(people, made, [0.0015, 0.0, 0.0, 0.0, 0.0], times=1)
    said = words(smith, f"/tags/{made.set_up.tag}/prove")
    assert "doubtful" in said
    assert re.search(r"\d+ readings? of each cut a perfect key passes 9 times in 10", said)


def test_trials_are_kept_for_each_lock_way_up_and_after_working(people: People, made: Piece) -> None:
    tag, lock = made.set_up.tag, made.set_up.tag.locks.get()
    for felt in ("rubs", "free"):
        try_in_lock(people["tam"], tag, made, lock, TrialFelt(turns=felt))
    try_in_lock(people["tam"], tag, made, lock, TrialFelt("down", worked=True, turns="snags"))
    kept = Trial.objects.values_list("way_up", "worked", "turns")
    assert list(kept) == [("up", False, "free"), ("down", True, "snags")]


def test_taking_back_a_pass_of_the_caliper_takes_back_all_of_it(
    smith: Client, people: People, bench_machine: BenchMachine
) -> None:
    tag = hang(people)
    settled(people, tag)
    carded(people, tag, on_the_line(bench_machine))
    piece = cut(people, tag)
    for _ in range(2):
        read_caliper(by(people), tag, piece)
        followed(piece)
    smith.post(f"/tags/{tag}/prove/{piece.pk}/value", {"cut": "2", "typed": "0.246"})
    for left in (10, 5, 0):
        smith.post(f"/tags/{tag}/prove/{piece.pk}/measure", {"withdraw": "1"})
        assert piece.proof_values.filter(withdrawn=False).count() == left


def test_the_set_up_proposes_what_the_family_asks_for(smith: Client, people: People) -> None:
    tag = hang(people)
    settled(people, tag)
    page = smith.get(f"/tags/{tag}/set-up").content.decode()
    wheel = Cutter.objects.get(name="W-80")
    assert re.search(rf'name="cutter" value="{wheel.pk}"\s+checked><span>W-80, fitted now', page)
    assert "leaves 0.039 in and 90°" in page or "does not go on Old Gannet" in page
    bad = smith.post(f"/tags/{tag}/set-up/choose", {"machine": "999", "cutter": "", "style": "sideways"})
    assert bad.status_code == 422
    assert not SetUp.objects.exists()


def test_checks_left_out_keep_the_card_from_being_ready(smith: Client, people: People) -> None:
    tag = hang(people)
    settled(people, tag)
    carded(people, tag, Machine.objects.get(name="Old Gannet"))
    tick_on_page(smith, tag, ["glasses", "guard"])
    card = SetUp.objects.get()
    assert (card.ticks, card.checked_at) == (["glasses", "guard"], None)
    assert "The set-up card comes first." in words(smith, f"/tags/{tag}/cut")


def test_anything_is_found_from_the_one_box(smith: Client, people: People) -> None:
    tag = hang(people, title="Stage door, brass")
    for text, found in (
        ("brass", f"{tag} Stage door, brass"),
        (str(tag), f"{tag} Stage door, brass"),
        ("saltmarsh", "Saltmarsh Players"),
        ("theatre", "Theatre six"),
        ("PS-4", "PS-4"),
        ("gannet", "Old Gannet"),
    ):
        assert found in words(smith, f"/records/find?q={text}")
    assert "Nothing has that number or name" in words(smith, "/records/find?q=zzz")


def test_records_come_in_pages_and_by_customer(smith: Client, people: People) -> None:
    for number in range(30):
        hang(people, title=f"Job {number}", customer="Gull's Nest" if number % 2 else "Lifeboat shed")
    assert "1 of 2" in words(smith, "/records/")
    nest = Tag.objects.filter(customer__name="Gull's Nest").first()
    assert nest is not None
    assert "15 tags" in words(smith, f"/records/?customer={nest.customer_id}")
    assert smith.get("/records/?page=nonsense&customer=nonsense").status_code == 200


def test_keys_in_the_records_are_covered_until_a_smith_asks_and_that_is_written_down(
    client: Client, people: People
) -> None:
    tag = hang(people)
    settled(people, tag)
    hang(people, title="Not settled yet")
    client.force_login(people["wren"])
    page = client.get("/records/").content.decode()
    assert page.count("the cuts are covered") == 2
    assert "Show the bittings" not in page
    assert client.post("/records/").status_code == 403
    client.force_login(people["tam"])
    blade = re.findall(r'class="blade is-covered" d="([^"]*)"', client.get("/records/").content.decode())
    assert blade[0] == blade[1]  # nothing of the cuts is in the page
    page = client.post("/records/").content.decode()
    assert page.count("the cuts are covered") == 1
    look = AuditEntry.objects.get(event=Event.BITTING_SEEN, data__what="keys drawn in the records")
    assert (look.actor, look.data["tags"]) == (people["tam"], [tag.number])


@pytest.mark.parametrize("path", ["/tags/999", "/tags/999/read", "/library/none", "/nowhere", "/tags/999/hand-over"])
def test_what_is_not_there_is_said_in_words(smith: Client, people: People, path: str) -> None:
    answer = smith.get(path)
    assert answer.status_code == 404
    assert "There is no such page, tag or family" in answer.content.decode()


def test_a_forged_form_is_refused(people: People) -> None:
    strict = Client(enforce_csrf_checks=True)
    strict.force_login(people["tam"])
    tag = hang(people)
    assert strict.post(f"/tags/{tag}/settle/read-back").status_code == 403


def test_a_key_copied_keeps_the_wear_and_says_so(smith: Client, people: People) -> None:
    tag = hang(people)
    read(people, tag)
    smith.post(f"/tags/{tag}/settle/keep", {"intent": "copy", "reason": "a new lock is coming"})
    kept = tag.settlements.get()
    assert kept.bitting == BITTING
    assert kept.values["A"] == pytest.approx([0.2779, 0.2353, 0.2947, 0.2577, 0.3189])
    assert "Copy" in words(smith, f"/tags/{tag}/settle")
