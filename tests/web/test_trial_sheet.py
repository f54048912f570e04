"""The trial sheet: the next key on which blank, and a list that shrinks as the smith learns."""

from __future__ import annotations

import re
from typing import Any

import pytest
from django.db.models import Avg
from django.test import Client

from conftest import BenchMachine
from web.jobs import People, asked, by, finish, followed, hang, on_the_line, sent, tick_on_page
from web.test_bench import words
from web.test_codes import in_force
from web.test_sources import reading_of
from wryfalcon.bench.cutting.actions import cut_key, end_piece
from wryfalcon.bench.following import follow_once
from wryfalcon.bench.models import OnBench, Piece, SheetEntry, Source, Tag
from wryfalcon.bench.proving.actions import read_caliper
from wryfalcon.bench.reading.actions import state_labels
from wryfalcon.bench.reading.source_actions import add_source
from wryfalcon.bench.setting_up.queries import hand_checks
from wryfalcon.bench.trying.queries import SheetLeft
from wryfalcon.demonstration.making import card_for, family_record, settle_as
from wryfalcon.library.models import Blank
from wryfalcon.machines.models import Machine
from wryfalcon.refusal import NotDone

pytestmark = pytest.mark.django_db
TOKEN = re.compile(r"[A-Za-z0-9]{64}")  # against forged forms: it may hold any letters


@pytest.fixture
def tag(people: People) -> Tag:
    """A lock of which six cuts of eight were read from its parts."""
    tag = hang(people, family=family_record("lighthouse-eight"), on_bench=OnBench.PART_LOCK)
    source = add_source(people["tam"], tag, "A", "parts", "boot locker")
    state_labels(people["tam"], tag, source, {s: [label] for s, label in enumerate("231243", start=1)})
    return tag


def left(smith: Client, tag: Tag) -> SheetLeft:
    found: SheetLeft = smith.get(f"/tags/{tag}/tries").context["left"]
    return found


def note(smith: Client, tag: Tag, outcome: str) -> None:
    trial = left(smith, tag).next
    assert trial is not None
    smith.post(f"/tags/{tag}/tries/tried", {"key": trial.form_value, "outcome": outcome})


def test_the_list_shrinks_with_every_try_and_blanks_in_hand_go_on_deeper(smith: Client, tag: Tag) -> None:
    first = left(smith, tag)
    assert (first.candidates, first.new_blanks) == (14, 3)
    assert first.next is not None
    assert len(first.next.cuts) == 8  # a new blank is cut all along
    note(smith, tag, "no-turn")
    second = left(smith, tag)
    assert second.candidates == 13
    assert second.new_blanks == 2
    on_it = next(trial for trial in second.trials if trial.blank == 1)
    assert not on_it.is_new
    assert len(on_it.cuts) <= 2  # only what changes
    assert all(b >= a for a, b in zip(first.next.places, on_it.places, strict=True))
    assert "Blank 1 as 2 3 1 2 4 3" in words(smith, f"/tags/{tag}/tries")


def test_what_a_cut_is_or_is_not_strikes_keys_off_and_can_be_taken_back(smith: Client, tag: Tag) -> None:
    smith.post(f"/tags/{tag}/tries/learned", {"space": "7", "is": "is-not", "label": "2"})
    assert left(smith, tag).candidates == 10
    assert "Cut 7 is not a 2" in words(smith, f"/tags/{tag}/tries")
    smith.post(f"/tags/{tag}/tries/learned", {"space": "8", "is": "is", "label": "1"})
    assert left(smith, tag).candidates == 2
    smith.post(f"/tags/{tag}/tries/take-back")
    assert left(smith, tag).candidates == 10
    for label in "1234":
        smith.post(f"/tags/{tag}/tries/learned", {"space": "7", "is": "is-not", "label": label})
    assert "No depth is left for one of the cuts" in words(smith, f"/tags/{tag}/tries")
    refused = smith.post(f"/tags/{tag}/tries/learned", {"space": "9", "is": "is", "label": "1"}, follow=True)
    assert "Say which cut, and which depth it is or is not." in refused.content.decode()


def test_a_key_that_turns_is_the_key_until_it_is_taken_back(smith: Client, tag: Tag) -> None:
    """A source of its own, nothing overruled; its blank is off the hook; it is the tag's first key."""
    assert tag.blank is not None
    hook = Blank.objects.get(pk=tag.blank_id).left
    note(smith, tag, "no-turn")
    assert Blank.objects.get(pk=tag.blank_id).left == hook - 1
    trial = left(smith, tag).next
    assert trial is not None
    note(smith, tag, "turns")
    begun = 1 + trial.is_new
    assert Blank.objects.get(pk=tag.blank_id).left == hook - begun
    assert reading_of(tag).labels == list(trial.labels)
    assert reading_of(tag).overruled == {}
    source = Source.objects.get(kind="tried", removed=False)
    assert str(source) == "Tried in the lock: from the trial sheet"
    assert "This key turned the lock." in words(smith, f"/tags/{tag}/read", source=str(source.pk))
    tried, piece = Piece.objects.order_by("pk")
    assert (tried.state, tried.proof.passed, tried.proof.proven_by) == ("finished", False, "tried")
    assert (piece.state, piece.key_number, piece.blank_taken, piece.machine) == ("finished", 1, trial.is_new, None)
    assert piece.onto == (None if trial.is_new else tried)
    assert "It turns. The bitting is" in words(smith, f"/tags/{tag}/tries")
    smith.post(f"/tags/{tag}/tries/take-back")
    assert reading_of(tag).unread == [7, 8]
    assert left(smith, tag).candidates == 13
    assert Blank.objects.get(pk=tag.blank_id).left == hook - 1
    piece.refresh_from_db()
    assert piece.state == "abandoned"


def test_the_key_that_turned_goes_through_prove_without_a_machine(smith: Client, people: People, tag: Tag) -> None:
    note(smith, tag, "turns")
    labels = reading_of(tag).labels
    settle_as(people["tam"], tag, {reading_of(tag).track.name: list(labels)})
    piece = Piece.objects.get()
    assert piece.settlement == Tag.objects.get(pk=tag.pk).settlement
    assert "its new key to be proven" in words(smith, "/")
    assert "Key 1" in words(smith, f"/tags/{tag}/prove")
    value = tag.family.tracks[0].values[tag.family.tracks[0].step(labels[0])]
    smith.post(f"/tags/{tag}/prove/{piece.pk}/value", {"cut": "1", "typed": f"{value:.4f} {tag.family.unit}"})
    smith.post(f"/tags/{tag}/tries/take-back")
    assert Piece.objects.get().state == "finished"  # measured since: it is not taken back by the way
    settle_as(people["tam"], tag, {reading_of(tag).track.name: ["1"] * 8})
    assert Piece.objects.get().settlement != Tag.objects.get(pk=tag.pk).settlement


def test_a_spoiled_blank_is_out_and_its_key_stays_on_the_list(smith: Client, tag: Tag) -> None:
    note(smith, tag, "no-turn")
    before = left(smith, tag)
    assert before.next is not None
    assert before.next.blank == 1
    note(smith, tag, "spoiled")
    after = left(smith, tag)
    assert after.candidates == before.candidates
    assert all(trial.is_new and trial.blank > 0 for trial in after.trials)
    smith.post(f"/tags/{tag}/tries/tried", {"key": "9:0,0,0", "outcome": "turns"})
    assert SheetEntry.objects.count() == 2  # a key that is not on the list is not noted


def test_the_orders_are_compared_and_the_chosen_one_is_kept(smith: Client, tag: Tag) -> None:
    costs = {cost.order: cost for cost in left(smith, tag).costs}
    assert costs["within"].blanks == costs["blanks"].blanks <= costs["likeliest"].blanks
    assert costs["likeliest"].expected <= costs["within"].expected <= costs["blanks"].expected
    assert [cost.order for cost in costs.values() if cost.is_chosen] == [
        min(costs.values(), key=lambda c: c.price).order
    ]
    assert costs["within"].price == pytest.approx(
        costs["within"].expected * 2 + costs["within"].begun * 2  # 2 min at 60 an hour, 2 a blank
    )
    said = words(smith, f"/tags/{tag}/tries")
    assert "costs least" in said
    smith.post(f"/tags/{tag}/tries/manner", {"order": "likeliest"})
    chances = [trial.chance for trial in left(smith, tag).trials]
    assert chances == sorted(chances, reverse=True)
    assert sum(chances) == pytest.approx(1)
    refused = smith.post(f"/tags/{tag}/tries/manner", {"order": "dearest"}, follow=True)
    assert "There is no such order." in refused.content.decode()


@pytest.mark.parametrize(("blank", "hour", "wanted"), [("500", "1", "fewest"), ("0", "60", "quickest")])
def test_the_default_weighs_time_against_blanks(
    smith: Client, tag: Tag, settings: Any, blank: str, hour: str, wanted: str
) -> None:
    settings.BLANK_PRICE, settings.HOUR_PRICE = float(blank), float(hour)
    sheet = left(smith, tag)
    chosen = next(cost for cost in sheet.costs if cost.is_chosen)
    if wanted == "fewest":
        assert chosen.begun == min(cost.begun for cost in sheet.costs)
    else:
        assert chosen.expected == min(cost.expected for cost in sheet.costs)


def test_half_steps_stand_for_two_depths_and_what_they_leave_is_said(smith: Client, tag: Tag) -> None:
    smith.post(f"/tags/{tag}/tries/manner", {"order": "within", "half_steps": "on"})
    halved = left(smith, tag)
    assert (halved.candidates, len(halved.trials)) == (14, 4)
    assert halved.next is not None
    assert halved.next.labels[-2:] == ("1½", "1½")
    note(smith, tag, "turns")
    assert left(smith, tag).candidates == 4
    assert "Its half steps leave 4 bittings" in words(smith, f"/tags/{tag}/tries")
    assert not reading_of(tag).overruled


def test_half_steps_are_not_offered_where_play_is_too_small(smith: Client, people: People) -> None:
    tag = hang(people)
    source = add_source(people["tam"], tag, "A", "parts")
    state_labels(people["tam"], tag, source, {s: [label] for s, label in enumerate("352", start=1)})
    assert "Half steps do not serve here" in words(smith, f"/tags/{tag}/tries")


def test_only_the_codes_of_a_series_are_tried_when_that_is_chosen(smith: Client, people: People, tag: Tag) -> None:
    rows = [("M1", "23124342"), ("M2", "23124311"), ("M3", "11111111")]
    series = in_force(people, rows, id="moorings", name="Moorings", family="lighthouse-eight")
    smith.post(f"/tags/{tag}/tries/manner", {"order": "within", "series": series.pk})
    assert ["".join(trial.labels) for trial in left(smith, tag).trials] == ["23124311", "23124342"]
    other = in_force(people, [("T1", "35241")])
    refused = smith.post(f"/tags/{tag}/tries/manner", {"order": "within", "series": other.pk}, follow=True)
    assert "Theatre T is a series of another key." in refused.content.decode()


def test_a_reading_says_which_codes_it_may_be_and_they_stay_covered(smith: Client, people: People, tag: Tag) -> None:
    assert "There is no series in force for this family" in words(smith, f"/tags/{tag}/codes")
    rows = [("M1", "23124342"), ("M2", "23124311"), ("M3", "11111111")]
    in_force(people, rows, id="moorings", name="Moorings", family="lighthouse-eight")
    said = words(smith, f"/tags/{tag}/codes")
    assert "of your 5 most likely bittings" in said
    assert "M1" not in TOKEN.sub("", said)
    shown = smith.post(f"/tags/{tag}/codes").content.decode()
    assert "2 3 1 2 4 3 4 2" in shown
    assert "M3" not in TOKEN.sub("", shown)


def test_too_many_keys_are_said_to_be_too_many(smith: Client, people: People) -> None:
    tag = hang(people, family=family_record("theatre-six"))
    source = add_source(people["tam"], tag, "A", "parts")
    state_labels(people["tam"], tag, source, {1: ["2"]})
    said = words(smith, f"/tags/{tag}/tries")
    assert "more than 20,000: find out more before a blank is cut." in said
    assert "The keys in order" not in said


class TestATryThatAMachineCuts:
    @pytest.fixture
    def gannet(self, bench_machine: BenchMachine) -> Machine:
        return on_the_line(bench_machine)

    def send(self, smith: Client, tag: Tag) -> str:
        trial = left(smith, tag).next
        assert trial is not None
        answer = smith.post(f"/tags/{tag}/tries/send", {"key": trial.form_value})
        assert answer["Location"].endswith("/set-up")
        return " ".join(trial.labels)

    def tried(self, smith: Client, tag: Tag, outcome: str) -> str:
        return smith.post(f"/tags/{tag}/tries/out", {"outcome": outcome}, follow=True).content.decode()

    def the(self, tag: Tag) -> Tag:
        return Tag.objects.get(pk=tag.pk)

    def cut_it(self, smith: Client, people: People, tag: Tag) -> Piece:
        tick_on_page(smith, tag, [check.id for check in hand_checks(tag.family)])
        return whole(people, self.the(tag), sent(people, self.the(tag)))

    def test_is_set_up_sent_tried_and_the_next_goes_onto_the_blank_in_hand(
        self, smith: Client, people: People, tag: Tag, gannet: Machine
    ) -> None:
        hook = left_on_hook(tag)
        labels = self.send(smith, tag)
        assert f"For the trial sheet: {labels} on blank 1" in words(smith, f"/tags/{tag}/set-up")
        assert f'data-go href="/tags/{tag.number}/set-up"' in smith.get(f"/tags/{tag}/tries").content.decode()
        card_for(people["tam"], self.the(tag), gannet, [])
        first = self.cut_it(smith, people, tag)
        # finished: what it did is asked here, nothing leads to the machine
        assert "data-go href" not in smith.get(f"/tags/{tag}/tries").content.decode().split('class="next-try')[1]
        assert (first.made_how, first.settlement, len(first.cuts)) == ("driven", None, 16)  # both edges
        assert left_on_hook(tag) == hook - 1
        assert "What did it do in the lock?" in words(smith, f"/tags/{tag}/cut")
        assert "Try it:" in words(smith, f"/tags/{tag}/tries")
        self.tried(smith, tag, "no-turn")
        first.refresh_from_db()
        assert (first.proof.passed, first.proof.proven_by) == (False, "tried")
        assert left(smith, tag).candidates == 13
        before = left(smith, tag).next
        assert before is not None
        assert not before.is_new
        self.send(smith, tag)
        card = self.the(tag).set_up
        assert card is not None
        assert set(card.ticks) == {"cutter"}  # the wheel is as it was, the clamping is new
        second = self.cut_it(smith, people, tag)
        assert (second.onto, len(second.cuts), second.called) == (first, 2 * len(before.cuts), "key 1, cut deeper")
        assert left_on_hook(tag) == hook - 1
        values = tag.family.tracks[0].values
        wanted = [values[place // 2] for place in before.places]
        assert measured_by(people, second) == pytest.approx(wanted, abs=tag.family.depth.from_machine(0.06))
        self.tried(smith, tag, "turns")
        assert reading_of(tag).labels == list(before.labels)
        settle_as(people["tam"], self.the(tag), {"A": list(before.labels)})
        second.refresh_from_db()
        assert second.settlement == self.the(tag).settlement
        assert "its new key to be proven" in words(smith, "/")

    def test_one_at_a_time_and_taken_back_before_it_is_cut_nothing_remains(
        self, smith: Client, people: People, tag: Tag, gannet: Machine
    ) -> None:
        hook = left_on_hook(tag)
        self.send(smith, tag)
        card_for(people["tam"], self.the(tag), gannet)
        assert "Another key of this sheet is out" in sent_again(smith, tag)
        note(smith, tag, "no-turn")  # by hand meanwhile
        assert not Piece.objects.exists()
        assert "That key is not made yet" in self.tried(smith, tag, "turns")
        smith.post(f"/tags/{tag}/tries/take-back")
        assert self.the(tag).set_up is None
        assert (
            "Go through the set-up card first" in smith.post(f"/tags/{tag}/cut/next", {}, follow=True).content.decode()
        )
        assert (left(smith, tag).candidates, left_on_hook(tag)) == (14, hook)

    def test_at_the_machine_it_is_not_taken_back_and_what_it_did_can_be_said_anew(
        self, smith: Client, people: People, tag: Tag, gannet: Machine
    ) -> None:
        self.send(smith, tag)
        card_for(people["tam"], self.the(tag), gannet)
        piece = sent(people, self.the(tag))
        assert piece.state == "loaded"
        assert "a blank to be clamped" in words(smith, "/")
        refused = smith.post(f"/tags/{tag}/tries/take-back", follow=True).content.decode()
        assert "is at the machine, to be clamped: end it under Cut" in refused
        assert "That key is not made yet" in self.tried(smith, tag, "no-turn")
        whole(people, self.the(tag), piece)
        self.tried(smith, tag, "no-turn")
        smith.post(f"/tags/{tag}/tries/take-back")
        piece.refresh_from_db()
        assert (piece.state, hasattr(piece, "proof")) == ("finished", False)
        self.tried(smith, tag, "turns")
        assert reading_of(tag).unread == []

    def test_spoilt_at_the_machine_its_blank_is_spoilt_on_the_sheet_and_given_up_it_is_sent_again(
        self, smith: Client, people: People, tag: Tag, gannet: Machine
    ) -> None:
        self.send(smith, tag)
        card_for(people["tam"], self.the(tag), gannet)
        piece = sent(people, self.the(tag))
        end_piece(by(people), self.the(tag), piece, blank_used=False, why="the wrong blank in the jaw")
        follow_once(gannet)
        again = sent(people, self.the(tag))
        assert again.pk != piece.pk
        end_piece(by(people), self.the(tag), again, blank_used=True, why="it crept")
        assert SheetEntry.objects.get().outcome == "spoiled"
        following = left(smith, tag).next
        assert following is not None
        assert (following.is_new, left(smith, tag).candidates) == (True, 14)

    def test_settled_meanwhile_the_try_is_no_longer_cut(
        self, smith: Client, people: People, tag: Tag, gannet: Machine
    ) -> None:
        self.send(smith, tag)
        card_for(people["tam"], self.the(tag), gannet)
        settle_as(people["tam"], self.the(tag), {"A": list("23124322")})
        assert self.the(tag).set_up is None
        with pytest.raises(NotDone, match="Go through the set-up card first"):
            cut_key(by(people), self.the(tag))
        assert "The bitting is settled" in sent_again(smith, tag)

    def test_after_one_by_hand_all_of_it_is_cut_and_the_machine_is_not_told_of_a_key_it_never_had(
        self, smith: Client, people: People, tag: Tag, gannet: Machine
    ) -> None:
        note(smith, tag, "no-turn")
        by_hand = Piece.objects.get()
        self.send(smith, tag)
        card_for(people["tam"], self.the(tag), gannet)
        Blank.objects.filter(tags=tag).update(left=0)  # the last one is in hand
        piece = whole(people, self.the(tag), sent(people, self.the(tag)))
        assert (piece.onto, len(piece.cuts)) == (by_hand, 16)


def whole(people: People, tag: Tag, piece: Piece) -> Piece:
    """A key of two edges cut to the end, turned over between."""
    for state in ("turn", "finished"):
        finish(asked(people, tag, piece, "clamp", "start"), state)
    return piece


def left_on_hook(tag: Tag) -> int:
    return Blank.objects.get(tags=tag).left


def sent_again(smith: Client, tag: Tag) -> str:
    trial = left(smith, tag).next
    assert trial is not None
    return smith.post(f"/tags/{tag}/tries/send", {"key": trial.form_value}, follow=True).content.decode()


def measured_by(people: People, piece: Piece) -> list[float]:
    """What its machine's own caliper says of a key, the family's unit and order."""
    read_caliper(by(people), piece.tag, piece)
    followed(piece)
    read = piece.proof_values.values("space").annotate(mean=Avg("value")).order_by("space")
    return list(read.values_list("mean", flat=True))
