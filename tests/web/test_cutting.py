"""Cutting on a real line: nothing missed, nothing cut twice, every mishap ends in a clear state."""

from __future__ import annotations

import time

import pytest

from conftest import BenchMachine
from web.jobs import People, carded, cut, finish, hang, on_the_line, settled
from wryfalcon.bench.actions.cut import cut_key, operate_run, send_again, touch_up
from wryfalcon.bench.actions.prove import keep_proof, read_caliper
from wryfalcon.bench.models import ProofValue, Tag
from wryfalcon.bench.queries.proving import cuts_to_deepen, proof_of
from wryfalcon.bench.refusal import NotDone
from wryfalcon.library.models import Blank
from wryfalcon.machines.drivers.bench import BenchDriver
from wryfalcon.machines.following import catch_up
from wryfalcon.machines.models import Machine, RunEvent

pytestmark = pytest.mark.django_db


@pytest.fixture
def tag(people: People, bench_machine: BenchMachine) -> Tag:
    """A Harbour five key, settled and set up on the machine."""
    hung = hang(people, quantity=2)
    settled(people, hung)
    carded(people, hung, on_the_line(bench_machine))
    return hung


def panel(machine: BenchMachine, **request: object) -> None:
    BenchDriver("127.0.0.1", machine.port, 2).panel(**request)


def test_a_key_is_cut_its_blank_taken_and_every_event_kept_once(people: People, tag: Tag) -> None:
    before = Blank.objects.get(code="DM-5").left
    run = cut(people, tag)
    for _ in range(3):
        catch_up(run)
    kinds = list(run.events.values_list("kind", flat=True))
    assert kinds == ["loaded", "clamped", "started", *["cut-done"] * 5, "finished"]
    assert run.done == 5
    assert Blank.objects.get(code="DM-5").left == before - 1


def test_an_application_that_died_in_the_middle_catches_up(people: People, tag: Tag) -> None:
    """Nobody asks the machine anything until it is long done."""
    run = cut_key(people["tam"], tag)
    operate_run(people["tam"], tag, run, "clamp")
    operate_run(people["tam"], tag, run, "start")
    time.sleep(0.6)
    fresh = type(run).objects.get(pk=run.pk)
    catch_up(fresh)
    assert (fresh.state, fresh.done) == ("finished", 5)
    assert RunEvent.objects.filter(run=run, kind="cut-done").count() == 5


def test_a_lost_line_changes_nothing_and_says_so(people: People, tag: Tag) -> None:
    run = cut_key(people["tam"], tag)
    Machine.objects.filter(pk=run.machine_id).update(port=1)
    run.refresh_from_db()
    contact = catch_up(run)
    assert contact.status is None
    assert (contact.problem != "", run.state) == (True, "loaded")
    with pytest.raises(NotDone, match="No answer from the machine"):
        operate_run(people["tam"], tag, run, "clamp")


def test_an_open_lid_holds_and_the_run_goes_on_where_it_stood(
    people: People, tag: Tag, bench_machine: BenchMachine
) -> None:
    run = cut_key(people["tam"], tag)
    operate_run(people["tam"], tag, run, "clamp")
    operate_run(people["tam"], tag, run, "start")
    panel(bench_machine, do="lid", open=True)
    assert finish(run, "held").done < 5
    with pytest.raises(NotDone, match="the lid is open"):
        operate_run(people["tam"], tag, run, "resume")
    panel(bench_machine, do="lid", open=False)
    operate_run(people["tam"], tag, run, "resume")
    assert finish(run).done == 5


def test_a_stalled_cutter_is_homed_and_the_key_finished(people: People, tag: Tag, bench_machine: BenchMachine) -> None:
    panel(bench_machine, do="inject", fault="stall")
    run = cut_key(people["tam"], tag)
    operate_run(people["tam"], tag, run, "clamp")
    operate_run(people["tam"], tag, run, "start")
    finish(run, "stalled")
    operate_run(people["tam"], tag, run, "home")
    operate_run(people["tam"], tag, run, "resume")
    assert finish(run).done == 5


def test_a_machine_switched_off_forgets_and_the_key_is_sent_again(
    people: People, tag: Tag, bench_machine: BenchMachine
) -> None:
    run = cut_key(people["tam"], tag)
    operate_run(people["tam"], tag, run, "clamp")
    operate_run(people["tam"], tag, run, "start")
    left = Blank.objects.get(code="DM-5").left
    bench_machine.stop()
    after = BenchMachine()
    try:
        on_the_line(after)
        run.machine.refresh_from_db()
        catch_up(run)
        assert run.state == "lost"
        with pytest.raises(NotDone, match="holds no key now"):
            operate_run(people["tam"], tag, run, "start")
        again = send_again(people["tam"], tag, run)
        operate_run(people["tam"], tag, again, "clamp")
        operate_run(people["tam"], tag, again, "start")
        assert finish(again).key_number == run.key_number
        assert Blank.objects.get(code="DM-5").left == left  # the same blank, not another
    finally:
        after.stop()


def test_another_key_on_the_machine_is_not_operated_by_mistake(people: People, tag: Tag) -> None:
    run = cut_key(people["tam"], tag)
    operate_run(people["tam"], tag, run, "stop")
    other = hang(people, title="Other")
    settled(people, other)
    carded(people, other, run.machine)
    cut_key(people["tam"], other)
    with pytest.raises(NotDone, match="another key now"):
        operate_run(people["tam"], tag, run, "clamp")
    run.refresh_from_db()
    assert run.state == "lost"


def test_one_key_of_a_tag_at_a_time(people: People, tag: Tag) -> None:
    cut_key(people["tam"], tag)
    with pytest.raises(NotDone, match="still on the machine"):
        cut_key(people["tam"], tag)


def test_no_key_without_a_checked_card_or_a_blank(people: People, tag: Tag) -> None:
    Blank.objects.filter(code="DM-5").update(left=0)
    tag.blank.refresh_from_db()  # type: ignore[union-attr]
    with pytest.raises(NotDone, match="no blank DM-5 left on hook"):
        cut_key(people["tam"], tag)
    unchecked = hang(people)
    settled(people, unchecked)
    with pytest.raises(NotDone, match="set-up card first"):
        cut_key(people["tam"], unchecked)


def test_a_shallow_key_is_touched_up_deeper_only_and_then_proves(
    people: People, tag: Tag, bench_machine: BenchMachine
) -> None:
    """The machine cuts 0.12 mm shallow; what it is told for the touch-up makes good what was measured."""
    for fault, value in (("depth_offset", 0.12), ("caliper_sd", 0.001), ("jaw_angle", 0.0), ("space_offset", 0.02)):
        panel(bench_machine, do="inject", fault=fault, value=value)
    run = cut(people, tag)
    read_caliper(people["tam"], tag, run)
    shown = proof_of(tag, run)
    assert shown is not None
    assert (shown.verdict, shown.causes[0].cause) == ("outside", "depth")
    assert len(cuts_to_deepen(tag, shown)) == 5
    keep_proof(people["tam"], tag, run, passed=False, reason="")
    again = touch_up(people["tam"], tag, run)
    operate_run(people["tam"], tag, again, "clamp")
    operate_run(people["tam"], tag, again, "start")
    finish(again)
    assert again.key_number == run.key_number
    for _ in range(3):
        read_caliper(people["tam"], tag, again)
    mended = proof_of(tag, again)
    assert mended is not None
    assert max(abs(cut.error or 0) for cut in mended.cuts) < 0.0015
    assert mended.verdict != "outside"


def test_a_verdict_needs_every_cut_and_passing_a_bad_key_a_reason(people: People, tag: Tag) -> None:
    run = cut(people, tag)
    with pytest.raises(NotDone, match="Measure every cut"):
        keep_proof(people["tam"], tag, run, passed=True, reason="")
    for space, value in enumerate([0.286, 0.246, 0.306, 0.266, 0.318], start=1):
        ProofValue.objects.create(run=run, track="A", space=space, value=value, source="typed", by=people["tam"])
    with pytest.raises(NotDone, match="The key is outside"):
        keep_proof(people["tam"], tag, run, passed=True, reason=" ")
    assert keep_proof(people["tam"], tag, run, passed=True, reason="turns freely").passed


def test_a_machine_without_a_line_gets_a_file_and_the_smith_says_when(people: People, settings, tmp_path) -> None:  # type: ignore[no-untyped-def]
    settings.CUT_PLAN_FOLDER = tmp_path
    slip = Machine.objects.get(name="The Slip")
    tag = hang(people)
    settled(people, tag)
    carded(people, tag, slip)
    run = cut_key(people["tam"], tag)
    assert (tmp_path / f"{run.job}.nc").read_text().startswith("%\n(job")
    operate_run(people["tam"], tag, run, "clamp")
    operate_run(people["tam"], tag, run, "start")
    operate_run(people["tam"], tag, run, "finish")
    assert (run.state, run.done) == ("finished", 5)
    with pytest.raises(NotDone, match="no caliper on the line"):
        read_caliper(people["tam"], tag, run)
