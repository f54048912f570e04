"""Keys that no machine is told to make: one life for all, copies, what a verdict rests on, touching up."""

from __future__ import annotations

import re
from datetime import timedelta

import pytest
from django.test import Client
from django.utils import timezone

from conftest import BenchMachine
from web.jobs import People, by, carded, cut, finish, followed, hang, on_the_line, settled
from wryfalcon.bench.copying.actions import clamp_key, do_step, move_on_purpose, put_back
from wryfalcon.bench.copying.brief import generation_of
from wryfalcon.bench.copying.queries import copy_steps
from wryfalcon.bench.cutting.actions import end_piece
from wryfalcon.bench.cutting.by_hand import HandWork, begin_by_hand, deburr, finish_by_hand, make_by_hand
from wryfalcon.bench.cutting.touching_up import TouchedCut, touch_up_cuts
from wryfalcon.bench.handing_over.actions import hand_over
from wryfalcon.bench.models import MadeHow, OnBench, Piece, PieceState, ProofValue, ProvenBy, Tag
from wryfalcon.bench.proving.actions import TrialFelt, keep_proof, read_caliper, try_in_lock
from wryfalcon.bench.proving.queries import ground_of, proof_of
from wryfalcon.bench.proving.room import rooms_of
from wryfalcon.bench.tags.actions import Baseline, copy_or_read
from wryfalcon.bench.tags.queries import stage_of
from wryfalcon.demonstration.making import family_record, type_values
from wryfalcon.keeping.course.queries import course_of
from wryfalcon.keeping.why.queries import why_wrong
from wryfalcon.library.models import Blank
from wryfalcon.log.models import AuditEntry, Event
from wryfalcon.machines.care.actions import note_work
from wryfalcon.machines.models import CopyStep, Machine
from wryfalcon.refusal import NotDone

pytestmark = pytest.mark.django_db
TWO_LOCKS = [Baseline("Stage door", "free", "free", "free"), Baseline("Cash box", "free", "rubs", "free")]
TARGETS = (0.286, 0.246, 0.306, 0.266, 0.326)


@pytest.fixture
def tern() -> Machine:
    return Machine.objects.get(name="The Tern")


@pytest.fixture
def copy_tag(people: People) -> Tag:
    """A good key to be copied, two of it."""
    return hang(people, on_bench=OnBench.GOOD_KEY, is_copied=True, quantity=2, locks=TWO_LOCKS)


def traced(people: People, tag: Tag, machine: Machine) -> Piece:
    return make_by_hand(by(people), tag, HandWork(MadeHow.TRACED, machine))


def left(tag: Tag) -> int:
    return Blank.objects.get(tags=tag).left


def measured(people: People, piece: Piece, off: float = 0.0) -> None:
    for space, value in enumerate(TARGETS, start=1):
        for _ in range(3):
            ProofValue.objects.create(
                piece=piece, track="A", space=space, value=value + off, source="typed", by=people["tam"]
            )


class TestACopy:
    def test_is_taken_in_made_compared_and_given_back_in_seven_presses(self, smith: Client) -> None:
        blank = Blank.objects.get(code="DM-5")
        page = smith.get("/tags/new/copy").content.decode()
        typed = {
            name: re.search(f'name="{name}"[^>]*value="([^"]*)"', page) for name in ("title", "customer", "quantity")
        }
        form = {name: found[1] for name, found in typed.items() if found}
        before = blank.left
        presses = ["Copy a key", "choose the blank", "they have it in hand"]
        answer = smith.post("/tags/new/copy", {**form, "blank": blank.pk, "in_hand": "1"}, follow=True)
        tag = Tag.objects.latest("pk")
        presses.append("hang the tag")
        assert (tag.is_copied, tag.family.id, tag.authority) == (
            True,
            "harbour-five",
            "has the key in hand; seen by Tam Escott",
        )
        assert answer.request["PATH_INFO"] == f"/tags/{tag.number}/cut"
        page = answer.content.decode()
        assert "Pattern at the gauge first" in page
        made = dict(re.findall(r'name="(press|way|expected)" value="([^"]*)"', page.split("/cut/by-hand")[1]))
        answer = smith.post(f"/tags/{tag.number}/cut/by-hand", {**made, "made": "1"}, follow=True)
        presses.append("made and deburred")
        piece = Piece.objects.get(tag=tag)
        assert (piece.state, piece.made_how, piece.maker.username) == ("finished", "traced", "tam")
        assert piece.deburred_at is not None
        assert Blank.objects.get(pk=blank.pk).left == before - 1
        assert "Like its pattern, not tried here" in answer.content.decode()
        answer = smith.post(f"/tags/{tag.number}/prove/{piece.pk}/verdict", {"compared": "1"}, follow=True)
        presses.append("like its pattern")
        assert answer.request["PATH_INFO"] == f"/tags/{tag.number}/hand-over"
        assert "compared with its pattern, not tried here" in answer.content.decode()
        smith.post(f"/tags/{tag.number}/hand-over/close", {})
        presses.append("handed over")
        piece.refresh_from_db()
        tag.refresh_from_db()
        assert (tag.state, piece.given_at) == ("closed", tag.closed_at)
        assert len(presses) <= 12

    def test_says_what_to_mind_where_the_hand_is(self, smith: Client, copy_tag: Tag, tern: Machine) -> None:
        for page in (f"/tags/{copy_tag}/cut?way=traced:{tern.pk}", "/tags/new/copy"):
            said = " ".join(smith.get(page).content.decode().split())
            assert said.count("Glasses on; no gloves, sleeves, hair or rings near the") == 1
            assert "hands clear until it stands" in said

    def test_waits_for_each_key_in_turn(self, smith: Client, people: People, copy_tag: Tag, tern: Machine) -> None:
        def waits() -> str:
            found = re.search(rf'/tags/{copy_tag.number}">([^<]*)</a></td>\n</tr>', smith.get("/").content.decode())
            assert found is not None
            return found[1]

        assert waits() == "key 1 of 2 to be copied"
        piece = begin_by_hand(by(people), copy_tag, HandWork(MadeHow.TRACED, tern))
        assert waits() == "a key to be finished by hand"
        with pytest.raises(NotDone, match="Key 1 is begun by hand: finish it or end it under Cut"):
            hand_over(people["wren"], copy_tag, "in a hurry")
        finish_by_hand(by(people), copy_tag, piece)
        finish_by_hand(by(people), copy_tag, piece)  # said twice, done once
        assert AuditEntry.objects.filter(tag=copy_tag, event=Event.PIECE_MADE).count() == 1
        assert waits() == "its new key to be proven"
        keep_proof(people["tam"], copy_tag, piece, passed=True, reason="", is_compared=True)
        assert waits() == "key 2 of 2 to be copied"

    def test_can_be_made_of_a_key_whose_family_nobody_knows(self, smith: Client, people: People, tern: Machine) -> None:
        tag = hang(people, on_bench=OnBench.GOOD_KEY, is_copied=True, family=None, locks=[Baseline("Kiosk")])
        for stage, answer in {"read": 404, "settle": 404, "set-up": 404, "cut": 200, "prove": 200}.items():
            assert smith.get(f"/tags/{tag.number}/{stage}").status_code == answer, stage
        piece = traced(people, tag, tern)
        assert smith.get(f"/tags/{tag.number}/prove").status_code == 200
        smith.post(
            f"/tags/{tag.number}/prove/{piece.pk}/try", {"lock": tag.locks.get().pk, "way_up": "up", "free": "1"}
        )
        smith.post(f"/tags/{tag.number}/prove/{piece.pk}/verdict", {"passed": "1"})
        piece.refresh_from_db()
        assert piece.proof.proven_by == ProvenBy.TRIED
        for page in ("hand-over", "take-in", "cut"):
            assert smith.get(f"/tags/{tag.number}/{page}").status_code == 200

    def test_of_a_restricted_profile_needs_what_shows_that_they_may_have_it(
        self, people: People, tern: Machine
    ) -> None:
        restricted = Blank.objects.get(families__slug="harbour-office-six")
        for family in (None, family_record("harbour-office-six")):
            with pytest.raises(NotDone, match="is restricted: write down what shows"):
                hang(people, on_bench=OnBench.GOOD_KEY, is_copied=True, family=family, blank=restricted, authority="")
        tag = hang(people, on_bench=OnBench.GOOD_KEY, is_copied=True)
        tag.family_record.restricted = True
        tag.family_record.save()
        Tag.objects.filter(pk=tag.pk).update(authority="")
        with pytest.raises(NotDone, match="Write down under Take in"):
            traced(people, Tag.objects.get(pk=tag.pk), tern)

    def test_is_read_after_all_and_copied_all_the_same(self, smith: Client, people: People, copy_tag: Tag) -> None:
        answer = smith.post(f"/tags/{copy_tag.number}/copying", {"read": "1"})
        assert answer["Location"].endswith("/read")
        copy_or_read(people["tam"], copy_tag, is_copied=True)
        assert smith.get(f"/tags/{copy_tag.number}")["Location"].endswith("/cut")
        lock = hang(people, on_bench=OnBench.LOCK)
        with pytest.raises(NotDone, match="Only a key that lies here can be copied"):
            copy_or_read(people["tam"], lock, is_copied=True)

    def test_counter_staff_take_it_in_and_make_nothing(self, client: Client, people: People, copy_tag: Tag) -> None:
        client.force_login(people["wren"])
        counter = client
        assert counter.get("/tags/new/copy").status_code == 200
        assert counter.post(f"/tags/{copy_tag.number}/cut/by-hand", {"way": "traced:1", "made": "1"}).status_code == 403
        assert "Made and deburred" not in counter.get(f"/tags/{copy_tag.number}/cut").content.decode()


class TestOneLifeForAll:
    def test_the_same_press_is_the_same_key_and_another_page_is_stale(
        self, people: People, copy_tag: Tag, tern: Machine, smith: Client
    ) -> None:
        page = smith.get(f"/tags/{copy_tag.number}/cut").content.decode()
        form = dict(re.findall(r'name="(press|way|expected)" value="([^"]*)"', page.split("/cut/by-hand")[1]))
        for _ in range(2):
            smith.post(f"/tags/{copy_tag.number}/cut/by-hand", {**form, "made": "1"})
        assert Piece.objects.filter(tag=copy_tag).count() == 1
        keep_proof(people["tam"], copy_tag, Piece.objects.get(tag=copy_tag), passed=True, reason="", is_compared=True)
        with pytest.raises(NotDone, match="Another key is next by now"):
            make_by_hand(by(people), copy_tag, HandWork(MadeHow.TRACED, tern, expected="1.1"))

    def test_a_spoilt_one_is_ended_honestly_and_its_blank_is_gone(
        self, people: People, copy_tag: Tag, tern: Machine
    ) -> None:
        before = left(copy_tag)
        piece = begin_by_hand(by(people), copy_tag, HandWork(MadeHow.TRACED, tern))
        end_piece(by(people), copy_tag, piece, blank_used=True, why="the blank crept in the jaw")
        again = begin_by_hand(by(people), copy_tag, HandWork(MadeHow.TRACED, tern))
        assert (again.called, left(copy_tag)) == ("key 1, second try", before - 2)
        end_piece(by(people), copy_tag, again, blank_used=False, why="the wrong blank, not touched yet")
        assert left(copy_tag) == before - 1
        with pytest.raises(NotDone, match="is given up before it was cut: look again"):
            finish_by_hand(by(people), copy_tag, again)

    def test_no_blank_no_key_but_one_bought_in_takes_none(self, people: People, copy_tag: Tag, tern: Machine) -> None:
        Blank.objects.filter(tags=copy_tag).update(left=0)
        tag = Tag.objects.get(pk=copy_tag.pk)
        with pytest.raises(NotDone, match="There is no blank"):
            traced(people, tag, tern)
        assert make_by_hand(by(people), tag, HandWork(MadeHow.BOUGHT)).made_on == "bought in"
        assert left(tag) == 0

    def test_ways_that_do_not_suit_are_refused(self, people: People, tern: Machine) -> None:
        tag, gannet = hang(people), Machine.objects.get(name="Old Gannet")
        for work, why in {
            HandWork("driven"): "Say how the key is made",
            HandWork("nonsense"): "Say how the key is made",
            HandWork(MadeHow.FILED): "Settle the bitting and read it back first",
            HandWork(MadeHow.TRACED, gannet): "Say which machine it is made on",
            HandWork(MadeHow.TRACED): "Say which machine it is made on",
        }.items():
            with pytest.raises(NotDone, match=why):
                begin_by_hand(by(people), tag, work)
        settled(people, tag)
        with pytest.raises(NotDone, match="Say which machine it is made on"):
            begin_by_hand(by(people), tag, HandWork(MadeHow.DIALS, tern))
        piece = begin_by_hand(by(people), tag, HandWork(MadeHow.FILED))
        with pytest.raises(NotDone, match="Key 1 is begun by hand: go on with it, or end it, first"):
            begin_by_hand(by(people), tag, HandWork(MadeHow.FILED))
        finish_by_hand(by(people), tag, piece)
        keep_proof(people["tam"], tag, piece, passed=True, reason="", is_compared=True)
        with pytest.raises(NotDone, match="1 key was ordered and made"):
            begin_by_hand(by(people), tag, HandWork(MadeHow.FILED))

    def test_a_key_by_hand_and_one_by_machine_on_one_tag(
        self, smith: Client, people: People, bench_machine: BenchMachine
    ) -> None:
        tag = hang(people, quantity=2)
        settled(people, tag)
        carded(people, tag, on_the_line(bench_machine))
        by_hand = make_by_hand(by(people), tag, HandWork(MadeHow.FILED))
        assert "Send key 2 of 2" in smith.get(f"/tags/{tag.number}/cut").content.decode()
        keep_proof(people["tam"], tag, by_hand, passed=True, reason="", is_compared=True)
        assert cut(people, tag).called == "key 2"
        page = smith.get(f"/tags/{tag.number}/cut?piece={by_hand.pk}").content.decode()
        assert "cut or filed by hand" in page

    def test_a_key_that_came_back_says_how_it_was_made(
        self, smith: Client, people: People, copy_tag: Tag, tern: Machine
    ) -> None:
        piece = traced(people, copy_tag, tern)
        back = hang(people, on_bench=OnBench.RETURNED_KEY, family=None, blank=None, brought_back=str(copy_tag))
        assert (back.made_by, back.family.id) == (piece, "harbour-five")
        for page in (f"{back.number}/take-in", f"{back.number}/read", f"{copy_tag.number}/prove/{piece.pk}/why"):
            assert smith.get(f"/tags/{page}", follow=True).status_code == 200, page
        assert "The Tern" in smith.get(f"/tags/{back.number}/take-in").content.decode()
        assert why_wrong(copy_tag, piece) is None  # nothing was measured of it

    def test_one_that_was_traced_lately_comes_back_as_a_copy_with_its_machine_wheel_and_last_trim(
        self, smith: Client, people: People, copy_tag: Tag, tern: Machine
    ) -> None:
        piece = traced(people, copy_tag, tern)
        filled = smith.post("/tags/new/fill", {"brought_back": str(copy_tag)}).content.decode()
        form = dict(re.findall(r'name="([^"]+)"[^>]*?value="([^"]*)"', filled))
        assert re.search(r'name="is_copied" value="1"\s+checked', filled)
        said = {
            "title": "Sticks", "customer": "Saltmarsh Players", "on_bench": "returned-key", "in_hand": "1",
            "quantity": "1", "brought_back": str(copy_tag), "locks-TOTAL_FORMS": "0", "locks-INITIAL_FORMS": "0",
        }  # fmt: skip
        answer = smith.post("/tags/new", said, follow=True)
        assert answer.request["PATH_INFO"].endswith("/cut")
        page = re.sub(r"\s+", " ", answer.content.decode())
        assert f"Key 1 of tag {copy_tag}, made on The Tern on" in page
        assert f", wheel {tern.fitted}, by Tam Escott, 0 days before" in page
        assert "0 days before it came back. Never trimmed here. Nothing was done to it since." in page
        note_work(people["tam"], tern, "jaw")
        back = Tag.objects.latest("pk")
        assert "its jaw was changed or squared" in smith.get(f"/tags/{back.number}/cut").content.decode()
        unchecked = {**said, "filled": form["filled"]}  # the form was filled, and its box then cleared
        assert smith.post("/tags/new", unchecked)["Location"].endswith("/read")
        Piece.objects.filter(pk=piece.pk).update(finished_at=timezone.now() - timedelta(days=31))
        assert smith.post("/tags/new", said)["Location"].endswith("/read")

    def test_a_blank_goes_back_to_the_hook_it_came_from(self, people: People, copy_tag: Tag, tern: Machine) -> None:
        first, other = copy_tag.blank, Blank.objects.exclude(pk=copy_tag.blank.pk).first()
        assert other is not None
        before = first.left, other.left
        piece = begin_by_hand(by(people), copy_tag, HandWork(MadeHow.TRACED, tern))
        Tag.objects.filter(pk=copy_tag.pk).update(blank=other)  # changed under Take in, the key half made
        end_piece(by(people), Tag.objects.get(pk=copy_tag.pk), piece, blank_used=False, why="the wrong blank")
        first.refresh_from_db()
        other.refresh_from_db()
        assert (first.left, other.left) == before

    def test_which_copy_it_is_counts_and_a_key_of_our_own_knows(
        self, smith: Client, people: People, copy_tag: Tag, tern: Machine
    ) -> None:
        said = {"look": "copy", "generation": "2", "typed_in": "in"}
        smith.post(f"/tags/{copy_tag.number}/copying/brief", said)
        page = re.sub(r"\s+", " ", smith.get(f"/tags/{copy_tag.number}/cut").content.decode())
        assert "the new key is a third copy of a key that was cut by its depths" in page
        smith.post(f"/tags/{copy_tag.number}/copying/brief", {**said, "generation": "-3"})
        copy_tag.refresh_from_db()
        assert copy_tag.generation is None
        smith.post(f"/tags/{copy_tag.number}/copying/brief", {**said, "generation": "1"})
        traced(people, Tag.objects.get(pk=copy_tag.pk), tern)
        back = hang(people, on_bench=OnBench.RETURNED_KEY, family=None, blank=None, brought_back=str(copy_tag))
        assert generation_of(Tag.objects.get(pk=back.pk)) == 2

    def test_one_cut_by_hand_that_came_back_names_no_machine(self, smith: Client, people: People) -> None:
        tag = hang(people)
        settled(people, tag)
        make_by_hand(by(people), tag, HandWork(MadeHow.FILED))
        back = hang(people, on_bench=OnBench.RETURNED_KEY, family=None, blank=None, brought_back=str(tag))
        for stage in ("take-in", "read"):
            page = smith.get(f"/tags/{back.number}/{stage}").content.decode()
            assert "cut or filed by hand" in page
            assert "None" not in page

    def test_it_is_deburred_once(self, people: People, copy_tag: Tag, tern: Machine) -> None:
        piece = begin_by_hand(by(people), copy_tag, HandWork(MadeHow.TRACED, tern))
        with pytest.raises(NotDone, match="begun by hand"):
            deburr(by(people), copy_tag, piece)
        finish_by_hand(by(people), copy_tag, piece)
        for _ in range(2):
            deburr(by(people), copy_tag, piece)
        assert AuditEntry.objects.filter(event=Event.PIECE_DEBURRED).count() == 1

    def test_one_that_a_machine_made_is_deburred_too(
        self, smith: Client, people: People, bench_machine: BenchMachine
    ) -> None:
        tag = hang(people)
        settled(people, tag)
        carded(people, tag, on_the_line(bench_machine))
        piece = cut(people, tag)
        assert "It is deburred" in smith.get(f"/tags/{tag.number}/cut").content.decode()
        smith.post(f"/tags/{tag.number}/cut/{piece.pk}/made", {"deburred": "1"})
        piece.refresh_from_db()
        assert piece.deburred_at is not None
        assert "It is deburred" not in smith.get(f"/tags/{tag.number}/cut").content.decode()


class TestTheDuplicator:
    @pytest.mark.parametrize("is_moved", [False, True])
    def test_a_traced_key_beside_its_pattern_tells_of_its_machine_unless_it_was_moved(
        self, people: People, copy_tag: Tag, tern: Machine, is_moved: bool
    ) -> None:
        type_values(people["tam"], copy_tag, "A", [value - 0.003 for value in TARGETS])
        if is_moved:
            move_on_purpose(people["tam"], copy_tag, tern, 0.07)
        piece = begin_by_hand(by(people), copy_tag, HandWork(MadeHow.TRACED, tern))
        if is_moved:
            put_back(people["tam"], tern)  # too soon: what is in the jaw was begun with it
        finish_by_hand(by(people), copy_tag, piece)
        measured(people, piece, off=-0.001)
        keys = course_of(tern, "shoulder").keys
        assert [round(key.error, 3) for key in keys] == ([] if is_moved else [round(0.002 * 25.4, 3)])

    def test_a_traced_key_is_judged_by_its_pattern_as_measured_and_moved_not_by_what_was_restored(
        self, smith: Client, people: People, tern: Machine
    ) -> None:
        tag = hang(people)
        worn = [value - 0.004 for value in TARGETS]
        type_values(people["tam"], tag, "A", worn)
        settled(people, tag)
        move_on_purpose(people["tam"], tag, tern, 0.0508)  # 0.002 in, away from the key
        piece = traced(people, tag, tern)
        assert piece.values["A"] == pytest.approx([value + 0.002 for value in worn])
        measured(people, piece, off=-0.002)
        proof = proof_of(tag, piece)
        assert proof is not None
        assert proof.is_inside
        assert "its pattern as it was measured" in smith.get(f"/tags/{tag.number}/prove").content.decode()

    def test_a_pattern_that_was_not_measured_whole_says_nothing_of_its_copy(
        self, people: People, tern: Machine
    ) -> None:
        tag = hang(people)
        type_values(people["tam"], tag, "A", list(TARGETS)[:3])
        settled(people, tag)
        assert traced(people, tag, tern).values is None

    def test_a_side_mills_steps_are_done_in_order_and_what_holds_is_said(self, smith: Client, people: People) -> None:
        fulmar = Machine.objects.get(name="The Fulmar")
        tag = hang(people, on_bench=OnBench.GOOD_KEY, is_copied=True, family=None, quantity=2)
        do_step(people["tam"], tag, fulmar, CopyStep.BACK)
        do_step(people["tam"], tag, fulmar, CopyStep.MATCH)
        with pytest.raises(NotDone, match="First: Depth set on the pattern"):
            do_step(people["tam"], tag, fulmar, CopyStep.BLANK)
        with pytest.raises(NotDone, match="First, at The Fulmar: Depth set on the pattern"):
            traced(people, tag, fulmar)
        for step in (CopyStep.DEPTH, CopyStep.LIFT, CopyStep.BLANK):
            smith.post(f"/tags/{tag.number}/cut/at/{fulmar.pk}", {"step": step.value})
        piece = traced(people, tag, fulmar)
        keep_proof(people["tam"], tag, piece, passed=True, reason="", is_compared=True)
        assert holding(tag, fulmar) == {"match", "depth", "lift"}  # of the same kind: only the key's own are done anew
        page = smith.get(f"/tags/{tag.number}/cut?way=traced:{fulmar.pk}").content.decode()
        assert page.count("holds from the last job") == 3
        other = hang(people, on_bench=OnBench.GOOD_KEY, is_copied=True)
        assert holding(other, fulmar) == {"match"}
        note_work(people["tam"], fulmar, "jaw")
        assert holding(tag, fulmar) == set()

    def test_one_clamp_asks_which_key_is_in_it(self, people: People) -> None:
        dunlin = Machine.objects.get(name="The Dunlin")
        tag = hang(people, on_bench=OnBench.GOOD_KEY, is_copied=True, family=None)
        for step in CopyStep.of_grooves():
            do_step(people["tam"], tag, dunlin, step)
        with pytest.raises(NotDone, match="take turns in its clamp"):
            traced(people, tag, dunlin)
        piece = begin_by_hand(by(people), tag, HandWork(MadeHow.TRACED, dunlin))
        clamp_key(tag, piece, "pattern")
        with pytest.raises(NotDone, match="the customer’s key: it must not be cut"):
            clamp_key(tag, piece, "pattern")
        with pytest.raises(NotDone, match="A side is still to be done"):
            finish_by_hand(by(people), tag, piece)
        clamp_key(tag, piece, "new")
        with pytest.raises(NotDone, match="That is the new key: there is nothing to trace"):
            clamp_key(tag, piece, "new")
        clamp_key(tag, piece, "pattern")
        clamp_key(tag, piece, "new")
        finish_by_hand(by(people), tag, piece)
        assert piece.state == PieceState.FINISHED

    def test_moved_on_purpose_it_makes_no_other_key_until_it_is_put_back(
        self, smith: Client, people: People, copy_tag: Tag, tern: Machine
    ) -> None:
        move_on_purpose(people["tam"], copy_tag, tern, 0.12)
        with pytest.raises(NotDone, match="moved already"):
            move_on_purpose(people["tam"], copy_tag, tern, 0.05)
        traced(people, copy_tag, tern)
        other = hang(people, on_bench=OnBench.GOOD_KEY, is_copied=True)
        with pytest.raises(NotDone, match=f"moved on purpose for tag {copy_tag}"):
            traced(people, other, tern)
        for page in (f"/tags/{other.number}/cut", "/", f"/machines/{tern.pk}"):
            assert "moved on purpose" in smith.get(page).content.decode(), page
        put_back(people["tam"], tern)
        assert traced(people, other, tern).called == "key 1"
        with pytest.raises(NotDone, match="is not moved"):
            put_back(people["tam"], tern)


def holding(tag: Tag, machine: Machine) -> set[str]:
    return {each.step.value for each in copy_steps(tag, machine) if each.holds}


class TestAVerdictSaysWhatItRestsOn:
    @pytest.fixture
    def made(self, people: People) -> Piece:
        tag = hang(people, locks=TWO_LOCKS)
        settled(people, tag)
        return make_by_hand(by(people), tag, HandWork(MadeHow.FILED))

    def test_nothing_done_says_nothing(self, people: People, made: Piece) -> None:
        with pytest.raises(NotDone, match="Nothing says yet that it is good"):
            keep_proof(people["tam"], made.tag, made, passed=True, reason="I feel it")
        with pytest.raises(NotDone, match="Say what is wrong with it"):
            keep_proof(people["tam"], made.tag, made, passed=False, reason="")
        assert not keep_proof(people["tam"], made.tag, made, passed=False, reason="bent").passed

    def test_a_lock_that_says_yes_is_enough_and_what_is_left_is_named(
        self, smith: Client, people: People, made: Piece
    ) -> None:
        try_in_lock(
            people["tam"],
            made.tag,
            made,
            made.tag.locks.first(),
            TrialFelt("up", enters="free", turns="free", leaves="free"),
        )
        page = smith.get(f"/tags/{made.tag.number}/prove").content.decode()
        assert "Still to be tried in Cash box" in page
        proof = keep_proof(people["tam"], made.tag, made, passed=True, reason="")
        assert (proof.proven_by, proof.verdict) == (ProvenBy.TRIED, "")
        record = smith.post(f"/tags/{made.tag.number}/record.json").json()["keys"][0]
        assert record["proof"]["proven_by"] == "tried"
        assert record["made_how"] == "filed"

    def test_measured_and_tried_is_both_and_the_lock_outweighs_the_caliper(self, people: People, made: Piece) -> None:
        measured(people, made, off=0.006)
        with pytest.raises(NotDone, match="The key is outside"):
            keep_proof(people["tam"], made.tag, made, passed=True, reason="")
        try_in_lock(people["tam"], made.tag, made, made.tag.locks.first(), TrialFelt(turns="free"))
        proof = keep_proof(people["tam"], made.tag, made, passed=True, reason="")
        assert (proof.proven_by, proof.verdict) == (ProvenBy.BOTH, "outside")

    def test_a_lock_that_says_no_asks_for_a_reason_until_it_was_worked(self, people: People, made: Piece) -> None:
        measured(people, made)
        lock = made.tag.locks.first()
        try_in_lock(people["tam"], made.tag, made, lock, TrialFelt(turns="rubs", at=("A", 2), grade=6))
        with pytest.raises(NotDone, match="It did not go freely"):
            keep_proof(people["tam"], made.tag, made, passed=True, reason="")
        try_in_lock(people["tam"], made.tag, made, lock, TrialFelt(turns="free", worked=True))
        assert keep_proof(people["tam"], made.tag, made, passed=True, reason="").passed
        with pytest.raises(NotDone, match="A grade is 0 to 10"):
            try_in_lock(people["tam"], made.tag, made, lock, TrialFelt(turns="free", grade=11))
        with pytest.raises(NotDone, match="There is no cut 9"):
            try_in_lock(people["tam"], made.tag, made, lock, TrialFelt(turns="rubs", at=("A", 9)))

    def test_what_is_learned_afterwards_lifts_it(self, smith: Client, people: People, made: Piece) -> None:
        tag, lock = made.tag, made.tag.locks.first()
        try_in_lock(people["tam"], tag, made, lock, TrialFelt(turns="free"))
        keep_proof(people["tam"], tag, made, passed=True, reason="")
        assert stage_of(Tag.objects.get(pk=tag.pk)).progress.proven == 1
        try_in_lock(people["tam"], tag, made, lock, TrialFelt(turns="snags", worked=True))
        assert stage_of(Tag.objects.get(pk=tag.pk)).progress.proven == 0
        keep_proof(people["tam"], tag, made, passed=True, reason="they take it as it is")
        smith.post(f"/tags/{tag.number}/prove/{made.pk}/value", {"cut": "1", "typed": "0.286"})
        assert not Piece.objects.filter(tag=tag, proof__isnull=False).exists()
        assert AuditEntry.objects.filter(event=Event.VERDICT_LIFTED).count() == 2

    def test_the_easy_lock_comes_first(self, people: People, made: Piece) -> None:
        names = [lock.name for lock in ground_of(made.tag, made, None).locks]
        assert names == ["Stage door", "Cash box"]
        made.tag.locks.filter(name="Cash box").update(grade=9)
        assert ground_of(made.tag, made, None).locks[0].name == "Cash box"

    def test_sizes_beside_the_old_key_teach_limits(self, smith: Client, people: People, made: Piece) -> None:
        at = f"/tags/{made.tag.number}/prove/{made.pk}/beside"
        smith.post(at, {"height-old": ".330", "height-new": "0.331", "length-old": "25 mm", "finish": ["burrs"]})
        kept = {row.what: (row.old, row.new) for row in made.dimensions.all()}
        assert kept["height"] == pytest.approx((8.382, 8.4074))
        assert kept["length"] == (25.0, None)
        page = smith.post(at, {"height-old": "a hair"}, follow=True).content.decode()
        assert "Nothing was kept" in page
        assert made.dimensions.count() == 2
        smith.post(at, {"height-new": "15 in"})
        assert made.dimensions.get(what="height").new == pytest.approx(8.4074)
        assert "too few known" in page


def test_what_a_caliper_reads_after_the_key_is_given_out_changes_nothing_of_its_verdict(
    people: People, bench_machine: BenchMachine
) -> None:
    tag = hang(people)
    settled(people, tag)
    carded(people, tag, on_the_line(bench_machine))
    piece = cut(people, tag)
    try_in_lock(people["tam"], tag, piece, tag.locks.get(), TrialFelt(turns="free"))
    keep_proof(people["tam"], tag, piece, passed=True, reason="")
    read_caliper(by(people), tag, piece)
    hand_over(people["wren"], tag)
    followed(piece)
    assert piece.proof_values.count() == 5
    assert Piece.objects.get(pk=piece.pk).proof.passed


class TestTouchingUp:
    @pytest.fixture
    def cut_key(self, people: People, bench_machine: BenchMachine) -> Piece:
        tag = hang(people, locks=TWO_LOCKS)
        settled(people, tag)
        carded(people, tag, on_the_line(bench_machine))
        return cut(people, tag)

    def test_any_cut_goes_deeper_on_its_machine_and_its_target_with_it(self, people: People, cut_key: Piece) -> None:
        tag, lock = cut_key.tag, cut_key.tag.locks.first()
        fresh = touch_up_cuts(by(people), tag, cut_key, [TouchedCut("A", 2, 0.004, lock=lock)], by_file=False)
        assert [
            round(each["value"] - before["value"], 4)
            for each, before in zip(fresh.cuts, cut_key.cuts[1:2], strict=True)
        ] == [-0.1016]
        assert fresh.wanted_values["A"] == pytest.approx([0.286, 0.242, 0.306, 0.266, 0.326])
        assert fresh.touched[0]["lock"] == "Stage door"
        followed(fresh)
        with pytest.raises(NotDone, match="still on the machine"):
            touch_up_cuts(by(people), tag, cut_key, [TouchedCut("A", 3, 0.002, "rubs")], by_file=True)

    def test_or_with_a_file_and_again_after_another_trial(self, people: People, cut_key: Piece) -> None:
        tag = cut_key.tag
        first = touch_up_cuts(by(people), tag, cut_key, [TouchedCut("A", 2, 0.003, "rubs at cut 2")], by_file=True)
        assert (first.state, first.called) == ("begun", "key 1, touched up")
        finish_by_hand(by(people), tag, first)
        with pytest.raises(NotDone, match="was touched up already"):
            touch_up_cuts(by(people), tag, cut_key, [TouchedCut("A", 2, 0.003, "again")], by_file=True)
        second = touch_up_cuts(by(people), tag, first, [TouchedCut("A", 2, 0.002, "a hair more")], by_file=True)
        assert second.wanted_values["A"][1] == pytest.approx(0.246 - 0.005)

    def test_never_without_a_reason_never_shallower_never_a_cut_that_is_not_there(
        self, people: People, cut_key: Piece
    ) -> None:
        for touched, why in {
            TouchedCut("A", 2, 0.003): "Say why, or which lock",
            TouchedCut("A", 2, -0.003, "high"): "deeper only",
            TouchedCut("A", 2, float("nan"), "high"): "deeper only",
            TouchedCut("A", 9, 0.003, "high"): "There is no cut 9",
            TouchedCut("B", 1, 0.003, "high"): "There is no cut 1",
        }.items():
            with pytest.raises(NotDone, match=why):
                touch_up_cuts(by(people), cut_key.tag, cut_key, [touched], by_file=True)

    def test_a_machine_that_moved_since_is_not_trusted(self, people: People, cut_key: Piece) -> None:
        note_work(people["tam"], cut_key.machine, "wheel", at=timezone.now() + timedelta(seconds=1))
        with pytest.raises(NotDone, match="Make the card anew"):
            touch_up_cuts(by(people), cut_key.tag, cut_key, [TouchedCut("A", 2, 0.003, "rubs")], by_file=False)

    def test_the_page_says_how_much_after_a_trial_and_takes_it_in_thousandths(
        self, smith: Client, people: People, cut_key: Piece
    ) -> None:
        tag, at = cut_key.tag, f"/tags/{cut_key.tag.number}/prove/{cut_key.pk}"
        lock = tag.locks.first()
        assert "How much may be taken off?" not in smith.get(f"/tags/{tag.number}/prove").content.decode()
        smith.post(f"{at}/try", {"lock": lock.pk, "way_up": "up", "turns": "rubs", "at": "A:2"})
        page = smith.get(f"/tags/{tag.number}/prove").content.decode()
        assert 'value="A:2" selected' in page
        amount = int(re.search(r'id="by"[^>]*value="(\d+)"', page)[1])  # type: ignore[index]
        rooms = rooms_of(tag, cut_key, ground_of(tag, cut_key, proof_of(tag, cut_key)))
        assert amount == int(rooms[1].room.safe * 1000) > 0
        others = [each.room for each in rooms if each.space != 2]
        assert rooms[1].room.safe >= max(each.safe for each in others)
        assert rooms[1].room.middle > max(each.middle for each in others)
        smith.post(f"{at}/take-off", {"at": "A:2", "by": str(amount), "file": "1", "lock": lock.pk, "typed_in": "in"})
        piece = Piece.objects.latest("pk")
        assert piece.touched[0]["by"] == pytest.approx(amount / 1000)

    def test_a_tip_that_catches_is_told_how_high_it_may_stand(self, smith: Client, cut_key: Piece) -> None:
        tag = cut_key.tag
        posted = {"lock": tag.locks.first().pk, "way_up": "up", "enters": "snags", "at": "tip"}
        page = smith.post(f"/tags/{tag.number}/prove/{cut_key.pk}/try", posted, follow=True).content.decode()
        assert re.search(r"Its corner may stand at most 0\.2\d\d in high, give or take", page)


def test_a_touched_up_key_is_measured_against_its_new_target(people: People, bench_machine: BenchMachine) -> None:
    tag = hang(people)
    settled(people, tag)
    carded(people, tag, on_the_line(bench_machine))
    piece = cut(people, tag)
    fresh = touch_up_cuts(by(people), tag, piece, [TouchedCut("A", 1, 0.005, "a choice")], by_file=False)
    finish(followed_to_start(people, tag, fresh))
    proof = proof_of(tag, fresh)
    assert proof is not None
    assert proof.cuts[0].wanted == pytest.approx(0.281)


def followed_to_start(people: People, tag: Tag, piece: Piece) -> Piece:
    from web.jobs import asked

    return asked(people, tag, followed(piece), "clamp", "start")
