"""Cutting on a real line: nothing missed, nothing cut twice, every mishap ends in a clear state."""

from __future__ import annotations

import pytest
from django.test import Client
from django.utils import timezone

from conftest import BenchMachine
from web.jobs import (
    People,
    asked,
    by,
    carded,
    cut,
    finish,
    followed,
    hang,
    last_answer,
    on_the_line,
    panel,
    pass_time,
    sent,
    settled,
)
from wryfalcon.bench.cutting.actions import cut_key, end_piece, operate, send_again, touch_up
from wryfalcon.bench.models import MadeHow, Piece, ProofValue, Tag
from wryfalcon.bench.proving.actions import keep_proof, read_caliper
from wryfalcon.bench.proving.queries import cuts_to_deepen, proof_of
from wryfalcon.bench.tags.queries import stage_of
from wryfalcon.library.models import Blank
from wryfalcon.machines.line.queries import line_of
from wryfalcon.machines.models import LineEvent, Machine
from wryfalcon.refusal import NotDone

pytestmark = pytest.mark.django_db


@pytest.fixture
def tag(people: People, bench_machine: BenchMachine) -> Tag:
    """A Harbour five key, settled and set up on the machine."""
    hung = hang(people, quantity=2)
    settled(people, hung)
    carded(people, hung, on_the_line(bench_machine))
    return hung


def blanks() -> int:
    return Blank.objects.get(code="DM-5").left


def test_a_key_is_cut_its_blank_taken_and_every_entry_kept_once(people: People, tag: Tag) -> None:
    before = blanks()
    piece = cut(people, tag)
    for _ in range(3):
        followed(piece)
    kinds = list(LineEvent.objects.filter(job=piece.job).values_list("kind", flat=True))
    assert kinds == ["loaded", "lain", "clamped", "started", *["cut-done"] * 5, "finished"]
    assert piece.done == 5
    assert blanks() == before - 1


def test_times_are_the_machines_own(people: People, tag: Tag) -> None:
    piece = asked(people, tag, sent(people, tag), "clamp", "start")
    finish(piece)
    ended = LineEvent.objects.get(job=piece.job, kind="finished")
    assert piece.finished_at == ended.at
    assert piece.began_at is not None
    assert piece.finished_at is not None
    took = (piece.finished_at - piece.began_at).total_seconds()
    assert took == pytest.approx(5 * 0.05, abs=0.02)  # five cuts of 0.05 s by its stepped clock


def test_an_application_that_died_in_the_middle_catches_up(people: People, tag: Tag) -> None:
    """Nobody asks the machine anything until it is long done."""
    piece = asked(people, tag, sent(people, tag), "clamp")
    operate(by(people), tag, piece, "start")
    assert followed(piece).state == "cutting"
    assert pass_time(piece, 60).state == "finished"
    assert LineEvent.objects.filter(job=piece.job, kind="cut-done").count() == 5


def test_a_lost_line_changes_nothing_and_says_so(people: People, tag: Tag) -> None:
    piece = sent(people, tag)
    Machine.objects.filter(pk=piece.machine_id).update(port=1)
    piece.refresh_from_db()
    operate(by(people), tag, piece, "clamp")
    assert followed(piece).state == "loaded"
    assert piece.machine is not None
    assert line_of(piece.machine).is_silent
    assert last_answer(piece) == "asked"  # and asked again until it is too old


def test_an_open_lid_holds_and_the_key_goes_on_where_it_stood(
    people: People, tag: Tag, bench_machine: BenchMachine
) -> None:
    piece = asked(people, tag, sent(people, tag), "clamp", "start")
    panel(bench_machine.port, do="lid", open=True)
    assert finish(piece, "held").done < 5
    asked(people, tag, piece, "resume")
    assert last_answer(piece) == "refused: the lid is open"
    panel(bench_machine.port, do="lid", open=False)
    assert finish(asked(people, tag, piece, "resume")).done == 5


def test_a_stalled_cutter_is_homed_and_the_key_finished(people: People, tag: Tag, bench_machine: BenchMachine) -> None:
    panel(bench_machine.port, do="inject", fault="stall")
    piece = asked(people, tag, sent(people, tag), "clamp", "start")
    finish(piece, "stalled")
    assert finish(asked(people, tag, piece, "home", "resume")).done == 5


def test_a_machine_that_forgot_everything_loses_the_key_which_is_sent_again_on_the_same_blank(
    people: People, tag: Tag, bench_machine: BenchMachine
) -> None:
    piece = asked(people, tag, sent(people, tag), "clamp", "start")
    left = blanks()
    bench_machine.stop()
    after = BenchMachine(port=bench_machine.port)
    try:
        assert followed(piece).state == "lost"
        assert piece.machine is not None
        assert "it was exchanged, or has forgotten everything" in line_of(piece.machine).misreports[0].says
        on_the_line(after)
        with pytest.raises(NotDone, match="look again"):
            operate(by(people), tag, piece, "start")
        send_again(by(people), tag, piece)
        assert followed(piece).state == "loaded"
        with pytest.raises(NotDone, match="it is not sent again"):
            send_again(by(people), tag, piece)  # a stale tab
        finish(asked(people, tag, piece, "clamp", "start"))
        assert Piece.objects.filter(tag=tag).count() == 1
        assert blanks() == left  # the same blank, not another
    finally:
        after.stop()


def test_another_key_takes_the_place_of_a_stopped_one_which_goes_on_where_it_stood(
    people: People, tag: Tag, bench_machine: BenchMachine
) -> None:
    piece = asked(people, tag, sent(people, tag), "clamp", "start")
    assert pass_time(piece, 0.12).done == 2
    other = hang(people, title="Urgent")
    settled(people, other)
    assert piece.machine is not None
    carded(people, other, piece.machine)
    with pytest.raises(NotDone, match="Old Gannet has key 1 of tag 0401 in hand, cutting: finish it or stop it"):
        cut_key(by(people), other)
    asked(people, tag, piece, "stop")
    urgent = cut(people, other)
    assert urgent.state == "finished"
    assert followed(piece).state == "aside"
    with pytest.raises(NotDone, match="look again"):
        operate(by(people), tag, piece, "clamp")
    send_again(by(people), tag, piece)
    assert (followed(piece).state, piece.done) == ("loaded", 2)
    assert finish(asked(people, tag, piece, "clamp", "start")).done == 5


def test_one_key_of_a_tag_at_a_time(people: People, tag: Tag) -> None:
    sent(people, tag)
    with pytest.raises(NotDone, match="Key 1 is still on the machine"):
        cut_key(by(people), tag)


def test_no_key_without_a_checked_card_or_a_blank(people: People, tag: Tag) -> None:
    Blank.objects.filter(code="DM-5").update(left=0)
    tag.blank.refresh_from_db()  # type: ignore[union-attr]
    with pytest.raises(NotDone, match="no blank DM-5 left on hook"):
        cut_key(by(people), tag)
    unchecked = hang(people)
    settled(people, unchecked)
    with pytest.raises(NotDone, match="set-up card first"):
        cut_key(by(people), unchecked)


def test_a_shallow_key_is_touched_up_deeper_only_and_then_proves(
    people: People, tag: Tag, bench_machine: BenchMachine
) -> None:
    """The machine cuts 0.12 mm shallow; what it is told for the touch-up makes good what was measured."""
    for fault, value in (("depth_offset", 0.12), ("caliper_sd", 0.001), ("jaw_angle", 0.0), ("space_offset", 0.02)):
        panel(bench_machine.port, do="inject", fault=fault, value=value)
    piece = cut(people, tag)
    left = blanks()
    read_caliper(by(people), tag, piece)
    shown = proof_of(tag, followed(piece))
    assert shown is not None
    assert (shown.verdict, shown.causes[0].cause) == ("outside", "depth")
    assert len(cuts_to_deepen(tag, shown)) == 5
    keep_proof(people["tam"], tag, piece, passed=False, reason="")
    again = touch_up(by(people), tag, piece)
    assert again.called == "key 1, touched up"
    with pytest.raises(NotDone, match=r"clamped anew.*Not ticked: .*stop; Tugged"):
        operate(by(people), tag, followed(again), "clamp", checked=["stop-away"])
    finish(asked(people, tag, followed(again), "clamp", "start"))
    with pytest.raises(NotDone, match="Key 1 was touched up already"):
        touch_up(by(people), tag, piece)
    for _ in range(3):
        read_caliper(by(people), tag, again)
        followed(again)
    mended = proof_of(tag, again)
    assert mended is not None
    assert max(abs(cut.error or 0) for cut in mended.cuts) < 0.0015
    assert mended.verdict != "outside"
    assert blanks() == left


def test_a_verdict_needs_every_cut_and_passing_a_bad_key_a_reason(people: People, tag: Tag) -> None:
    piece = cut(people, tag)
    with pytest.raises(NotDone, match="Nothing says yet that it is good: measure every cut, or try it in its lock"):
        keep_proof(people["tam"], tag, piece, passed=True, reason="")
    for space, value in enumerate([0.286, 0.246, 0.306, 0.266, 0.318], start=1):
        ProofValue.objects.create(piece=piece, track="A", space=space, value=value, source="typed", by=people["tam"])
    with pytest.raises(NotDone, match="The key is outside"):
        keep_proof(people["tam"], tag, piece, passed=True, reason=" ")
    assert keep_proof(people["tam"], tag, piece, passed=True, reason="turns freely").passed


def test_a_machine_without_a_line_gets_a_file_and_the_smith_says_when(people: People, settings, tmp_path) -> None:  # type: ignore[no-untyped-def]
    settings.CUT_PLAN_FOLDER = tmp_path
    slip = Machine.objects.get(name="The Slip")
    tag = hang(people)
    settled(people, tag)
    carded(people, tag, slip)
    piece = sent(people, tag)
    assert (tmp_path / f"{piece.job}.nc").read_text().startswith("%\n(tool wheel 1.016 mm, 80°)\n(job")
    asked(people, tag, piece, "clamp", "start")
    before = (tmp_path / f"machine-{slip.pk}.jsonl").read_bytes()
    asked(people, tag, piece, "finish")
    assert (piece.state, piece.done) == ("finished", 5)
    assert (tmp_path / f"machine-{slip.pk}.jsonl").read_bytes().startswith(before)  # only ever added to
    with pytest.raises(NotDone, match="no caliper on the line"):
        read_caliper(by(people), tag, piece)


def test_a_spoilt_key_uses_its_blank_and_the_next_is_its_second_try(people: People, tag: Tag) -> None:
    before = blanks()
    piece = asked(people, tag, sent(people, tag), "clamp", "start")
    with pytest.raises(NotDone, match="stop the machine first"):
        end_piece(by(people), tag, piece, blank_used=True, why="slipped")
    asked(people, tag, piece, "stop")
    with pytest.raises(NotDone, match="what happened"):
        end_piece(by(people), tag, piece, blank_used=True, why=" ")
    end_piece(by(people), tag, piece, blank_used=True, why="slipped in the jaw")
    again = cut(people, tag)
    assert (again.called, followed(piece).state) == ("key 1, second try", "spoilt")
    assert blanks() == before - 2
    assert sent(people, tag).called == "key 2" if proven(people, tag, again) else False


def test_a_key_given_up_before_it_was_cut_hangs_its_blank_back(people: People, tag: Tag) -> None:
    before = blanks()
    piece = sent(people, tag)
    end_piece(by(people), tag, piece, blank_used=False, why="wrong tag")
    assert (followed(piece).state, blanks()) == ("abandoned", before)
    assert sent(people, tag).called == "key 1"


def test_a_key_that_no_machine_made_goes_through_the_same_stages(smith: Client, people: People, tag: Tag) -> None:
    """Filed by hand: no machine, no card, no cuts that were commanded."""
    piece = Piece.objects.create(
        tag=tag,
        settlement=tag.settlement,
        job="by-hand-1",
        made_how=MadeHow.FILED,
        state="finished",
        blank_taken=True,
        finished_at=timezone.now(),
    )
    for stage in ("cut", "prove", "hand-over", f"prove/{piece.pk}/why"):
        assert smith.get(f"/tags/{tag}/{stage}").status_code == 200
    for typed in ("0.286", "0.246", "0.306", "0.266", "0.326"):
        smith.post(f"/tags/{tag}/prove/{piece.pk}/value", {"cut": str(piece.proof_values.count() + 1), "typed": typed})
    assert "its new key to be proven" in smith.get("/").content.decode()
    with pytest.raises(NotDone, match="no caliper on the line"):
        read_caliper(by(people), tag, piece)
    assert keep_proof(people["tam"], tag, piece, passed=True, reason="turns freely").passed
    record = smith.post(f"/tags/{tag}/record.json").json()["keys"][0]
    assert (record["called"], record["machine"], record["state"]) == ("key 1", None, "finished")
    assert "by hand" in smith.get(f"/tags/{tag}/hand-over").content.decode()
    assert sent(people, tag).called == "key 2"
    end_piece(by(people), tag, piece, blank_used=True, why="it snapped at the counter")
    assert stage_of(Tag.objects.get(pk=tag.pk)).progress.proven == 0


def proven(people: People, tag: Tag, piece: Piece) -> bool:
    for space, value in enumerate(piece.settlement.values["A"], start=1):  # type: ignore[union-attr]
        for _ in range(4):
            ProofValue.objects.create(
                piece=piece, track="A", space=space, value=value, source="caliper", by=people["tam"]
            )
    return keep_proof(people["tam"], tag, piece, passed=True, reason="turns").passed
