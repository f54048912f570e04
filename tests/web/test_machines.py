"""Machines kept true: trims by measured keys, morning checks, drift from proofs, care, hands and calipers."""

from __future__ import annotations

from datetime import timedelta
from random import Random

import pytest
from django.test import Client
from django.utils import timezone

from conftest import BenchMachine
from web.jobs import People, carded, cut, hang, on_the_line, sent, settled
from web.test_bench import words
from wryfalcon.bench.following import follow_once
from wryfalcon.bench.models import Felt, Piece, SetUp, Tag, Trial
from wryfalcon.bench.proving.caliper import looks_at
from wryfalcon.bench.reading.source_actions import add_source
from wryfalcon.bench.setting_up.cutters import cutters_for
from wryfalcon.demonstration.making import again, family_record, finished_key, measured, proven
from wryfalcon.keeping.course.queries import course_of
from wryfalcon.keeping.practising.actions import begin_practice
from wryfalcon.keeping.trimming.actions import begin_trim, change_offset, hang_test_key
from wryfalcon.keeping.trimming.queries import trim_state
from wryfalcon.keeping.trimming.test_key import errors_of
from wryfalcon.keeping.why.queries import why_wrong
from wryfalcon.machines.drivers import Delivery, driver_of
from wryfalcon.machines.fittings.presenters import turn_words
from wryfalcon.machines.hands.queries import caliper_sd_mm
from wryfalcon.machines.models import (
    Cutter,
    HandStudy,
    HiddenFault,
    Machine,
    MachineOffset,
    MachineWork,
    OffsetChange,
    Practice,
    TouchTry,
    Trim,
    TrimReading,
)
from wryfalcon.machines.offsets import offsets_for
from wryfalcon.refusal import NotDone

pytestmark = pytest.mark.django_db


@pytest.fixture
def gannet(people: People) -> Machine:
    """The code machine by the window."""
    return Machine.objects.get(name="Old Gannet")


def begun(client: Client, machine: Machine, **more: str) -> Trim:
    posted = {"family": str(family_record("harbour-five").pk), **more}
    client.post(f"/machines/{machine.pk}/trim", posted)
    return Trim.objects.latest("pk")


def measure(client: Client, trim: Trim, errors: list[float], clamping: int = 1) -> str:
    """Type one clamping whose cuts are so far from their target, inches."""
    track = trim.family_record.family.track(trim.track)
    typed = {
        f"v{space}": f"{track.values[step] + error:.4f}"
        for space, (step, error) in enumerate(zip(trim.steps, errors, strict=True), start=1)
    }
    posted = {"clamping": clamping, "partly": "1", **typed}
    page = client.post(f"/machines/trims/{trim.pk}/measured", posted, follow=True)
    return " ".join(page.content.decode().split())


def test_a_trim_is_measured_put_in_force_and_undone(smith: Client, gannet: Machine) -> None:
    trim = begun(smith, gannet)
    assert "Nothing is measured yet." in words(smith, f"/machines/trims/{trim.pk}")
    first = measure(smith, trim, [0.0031, 0.0029, 0.0034, 0.0030, 0.0027])
    assert "One clamping cannot tell a badly seated key from a machine out of true" in first
    refused = smith.post(f"/machines/trims/{trim.pk}/close", {"apply": "1"}, follow=True)
    assert "Measure the test keys first." in refused.content.decode()
    second = measure(smith, trim, [0.0030, 0.0032, 0.0027, 0.0031, 0.0033], clamping=2)
    assert "It cuts 0.0030 in shallow. Depth: add \N{MINUS SIGN}0.0031 in to the offset, deeper." in second
    assert "The caliper was not tried on a known size" in second
    smith.post(f"/machines/trims/{trim.pk}/close", {"apply": "1"})
    own = MachineOffset.objects.get(machine=gannet, gauge="shoulder")
    assert own.value == pytest.approx(0.012 - 0.08)
    said = words(smith, f"/machines/{gannet.pk}")
    assert "trimmed by measured keys" in said
    assert "1 proven" not in said
    smith.post(f"/machines/{gannet.pk}/undo/{OffsetChange.objects.get().pk}")
    own.refresh_from_db()
    assert own.value == pytest.approx(0.012)
    assert "That trim is closed" in smith.post(f"/machines/trims/{trim.pk}/close", follow=True).content.decode()


def test_a_screw_that_was_turned_is_kept_beside_the_number(smith: Client, gannet: Machine) -> None:
    Machine.objects.filter(pk=gannet.pk).update(screw_lead=0.5, closer="clockwise")
    trim = begun(smith, gannet)
    for clamping in (1, 2):
        said = measure(smith, trim, [0.0031, 0.0029, 0.0034, 0.0030, 0.0027], clamping)
    assert "turn the screw 0.16 of a turn clockwise, closer" in said
    assert "I have turned it: keep that" in said
    smith.post(f"/machines/trims/{trim.pk}/close", {"apply": "1"})
    change = OffsetChange.objects.get()
    assert change.turned == pytest.approx(-0.08)
    assert change.value_after == change.value_before == pytest.approx(0.012)
    assert [mark.by for mark in course_of(gannet).marks] == [pytest.approx(-0.08)]
    smith.post(f"/machines/{gannet.pk}/undo/{change.pk}")
    assert sum(mark.by or 0 for mark in course_of(gannet).marks) == pytest.approx(0)


def test_a_course_fills_the_keys_of_one_wheel_where_swaps_would_crowd_it(
    smith: Client, people: People, gannet: Machine
) -> None:
    made(people, gannet, [0.0] * 7)
    other = Cutter.objects.get(name="W-100")
    for piece in Piece.objects.order_by("pk")[::2]:
        SetUp.objects.filter(pk=piece.set_up_id).update(cutter=other)
        MachineWork.objects.create(machine=gannet, what="swapped", at=piece.finished_at + timedelta(hours=1))
    desk, phone = smith.get(f"/machines/{gannet.pk}/course").context["charts"]
    assert [dot.is_of_wheel for dot in desk.dots] == [True, False] * 3 + [True]
    assert "Filled: cut by W-100" in desk.legend
    assert len(desk.swaps) == 4
    for hours in (2, 3):
        MachineWork.objects.create(machine=gannet, what="swapped", at=piece.finished_at - timedelta(hours=hours))
    desk, phone = smith.get(f"/machines/{gannet.pk}/course").context["charts"]
    assert (desk.swaps, "Ticks" in desk.legend) == ((), False)
    assert phone.width <= 380
    assert all(phone.left <= dot.x <= phone.right for dot in phone.dots)


def test_a_trim_draws_its_test_key_with_each_cuts_error_less_the_calipers_own(smith: Client, gannet: Machine) -> None:
    trim = begun(smith, gannet)
    page = smith.get(f"/machines/trims/{trim.pk}")
    assert page.context["errors"] is None
    assert page.context["key"] is not None
    smith.post(f"/machines/trims/{trim.pk}/caliper", {"known": "0.2500", "read": "0.2504", "typed_in": "in"})
    for clamping, errors in ((1, [0.0014, 0.0004, 0.0004, 0.0004, 0.0004]), (2, [0.0034, 0.0004] + [0.0004] * 3)):
        measure(smith, trim, errors, clamping=clamping)
    found = errors_of(trim_state(Trim.objects.select_related("machine", "family_record").get(pk=trim.pk)))
    assert [error for _, error in found] == pytest.approx([0.002, 0, 0, 0, 0], abs=2e-5)
    drawn = smith.get(f"/machines/trims/{trim.pk}").context["errors"]
    assert drawn.marks[0].y < drawn.middle == pytest.approx(drawn.marks[1].y, abs=0.5)  # shallow is above


def test_noise_is_left_alone_and_says_how_many_more_would_settle_it(smith: Client, gannet: Machine) -> None:
    trim = begun(smith, gannet)
    measure(smith, trim, [0.0007, 0.0, 0.0004, -0.0002, 0.0005])
    said = measure(smith, trim, [0.0006, 0.0001, -0.0001, 0.0009, 0.0003], clamping=2)
    assert "Leave it alone" in said
    assert "Put the adjustment in force" not in said
    state = trim_state(trim)
    assert state.fit is not None
    assert (state.fit.depth_adjust, state.fit.advice) == (0, "leave")
    smith.post(f"/machines/trims/{trim.pk}/close", {"apply": "1"}, follow=True)
    assert not OffsetChange.objects.exists()


def test_a_key_that_was_not_seated_is_taken_back_and_not_adjusted_for(smith: Client, gannet: Machine) -> None:
    trim = begun(smith, gannet)
    true = [0.0002, -0.0003, 0.0001, 0.0004, -0.0002]
    measure(smith, trim, true)
    said = measure(smith, trim, [error - 0.009 for error in true], clamping=2)
    assert "the clampings disagree, and clamping 2 is the deeper" in said
    assert "data-go>Take clamping 2 back" in said
    assert said.count("data-go>") == 1
    assert "Put the adjustment in force" not in said
    refused = smith.post(f"/machines/trims/{trim.pk}/close", {"apply": "1"}, follow=True)
    assert "a badly seated key looks just like a machine out of true" in refused.content.decode()
    smith.post(f"/machines/trims/{trim.pk}/clampings/2/withdraw")
    assert "One clamping cannot tell" in words(smith, f"/machines/trims/{trim.pk}")
    again = smith.post(f"/machines/trims/{trim.pk}/clampings/2/withdraw", follow=True).content.decode()
    assert "Nothing is kept of clamping 2" in again
    assert "Leave it alone" in measure(smith, trim, true[::-1], clamping=2)
    assert not OffsetChange.objects.exists()


def test_cuts_deep_beside_steep_neighbours_ask_for_another_wheel(smith: Client, gannet: Machine) -> None:
    posted = {"family": str(family_record("harbour-five").pk), "own": "5 5 3 3 3"}
    smith.post(f"/machines/{gannet.pk}/trim", posted)
    trim = Trim.objects.get()
    for clamping in (1, 2, 3):
        said = measure(smith, trim, [0.0, -0.006, -0.006, 0.0001, 0.0], clamping)
    assert "This is not an adjustment: cuts beside the steepest neighbours come out" in said
    assert "look at the wheel and change it" in said
    assert "Put the adjustment in force" not in said


def test_a_tilted_key_is_no_adjustment(smith: Client, gannet: Machine) -> None:
    trim = begun(smith, gannet)
    for clamping in (1, 2):
        said = measure(smith, trim, [0.0, 0.0015, 0.003, 0.0045, 0.006], clamping)
    assert "This is not an adjustment: the error grows by" in said
    assert "square the jaw" in said


def test_the_calipers_own_error_is_taken_off(smith: Client, gannet: Machine) -> None:
    trim = begun(smith, gannet)
    smith.post(f"/machines/trims/{trim.pk}/caliper", {"known": "0.3000", "read": "0.3030"})
    for clamping in (1, 2):
        said = measure(smith, trim, [0.0031, 0.0029, 0.0034, 0.0030, 0.0027], clamping)
    assert "Leave it alone" in said
    refused = smith.post(f"/machines/trims/{trim.pk}/caliper", {"known": "0.3", "read": "0.9"})
    assert "That is no reading of that size" in refused.content.decode()


def test_what_is_typed_wrongly_is_kept_on_the_page(smith: Client, gannet: Machine) -> None:
    trim = begun(smith, gannet)
    page = smith.post(f"/machines/trims/{trim.pk}/measured", {"clamping": "1", "v1": "0.301", "v2": "half"})
    assert page.status_code == 422
    said = page.content.decode()
    assert "Cut 2: “half” is not a length." in said
    assert 'value="0.301"' in said
    far = smith.post(f"/machines/trims/{trim.pk}/measured", {"clamping": "1", "v1": "0.9"})
    assert "Cut 1 is far from the" in far.content.decode()
    assert (
        "Type at least one cut."
        in smith.post(f"/machines/trims/{trim.pk}/measured", {"clamping": "1"}).content.decode()
    )
    assert not TrimReading.objects.exists()


def test_a_morning_check_says_true_or_not(smith: Client, gannet: Machine) -> None:
    check = begun(smith, gannet, check="1")
    assert "True, as far as one key can tell" in measure(smith, check, [0.0004, 0.0, 0.0002, -0.0004, 0.0001])
    smith.post(f"/machines/trims/{check.pk}/close")
    check.refresh_from_db()
    assert check.verdict == "true"
    assert "morning check by Harbour five" in words(smith, f"/machines/{gannet.pk}")
    check = begun(smith, gannet, check="1")
    assert "Not true: 0.0040 in deep." in measure(smith, check, [-0.004] * 5)


def test_the_test_keys_can_be_cut_and_proven_as_any_key_is(smith: Client, people: People, gannet: Machine) -> None:
    trim = begun(smith, gannet)
    smith.post(f"/machines/trims/{trim.pk}/tag")
    trim.refresh_from_db()
    tag = trim.tag
    assert tag is not None
    assert tag.settlement is not None
    labels = tag.family.tracks[0].labels
    assert tag.settlement.bitting["A"] == [labels[step] for step in trim.steps]
    smith.post(f"/tags/{tag}/settle/read-back")
    again(tag)
    carded(people, tag, gannet)
    for key in (1, 2):
        measured(people["tam"], tag, finished_key(tag, timezone.now(), key), Random(key), off_mm=0.06)
    state = trim_state(trim)
    assert [clamping.from_tag for clamping in state.clampings] == [True, True]
    assert state.fit is not None
    assert state.fit.depth_adjust == pytest.approx(-0.06, abs=0.011)


def test_an_adjustment_becomes_a_part_of_a_turn_and_which_way(gannet: Machine) -> None:
    assert turn_words(gannet, -0.02) == "add \N{MINUS SIGN}0.020 mm to the offset, deeper"
    gannet.screw_lead, gannet.closer = 0.5, "anticlockwise"
    assert turn_words(gannet, -0.125) == "turn the screw 0.25 of a turn anticlockwise, closer"
    assert turn_words(gannet, 0.05) == "turn the screw 0.10 of a turn clockwise, away"


def test_offsets_of_a_side_and_a_family_come_on_top(owner: Client, gannet: Machine) -> None:
    side, record = gannet.jaw_sides.get(name="B"), family_record("harbour-five")
    posted = {"gauge": "shoulder", "value": "0.005 mm", "space": "0", "why": "side B sits proud"}
    owner.post(f"/machines/{gannet.pk}/offset", {**posted, "jaw_side": side.pk})
    owner.post(
        f"/machines/{gannet.pk}/offset",
        {**posted, "value": "-0.02 mm", "why": "their locks are worn", "family": record.pk},
    )
    assert offsets_for(gannet, "shoulder").value == pytest.approx(0.012)
    assert offsets_for(gannet, "shoulder", side).value == pytest.approx(0.017)
    assert offsets_for(gannet, "shoulder", side, record).value == pytest.approx(-0.003)
    assert offsets_for(gannet, "tip", side, record).value == pytest.approx(0.012)
    assert "their locks are worn" in words(owner, f"/machines/{gannet.pk}")
    page = owner.post(f"/machines/{gannet.pk}/offset", {**posted, "why": ""})
    assert page.status_code == 422


def made(people: People, gannet: Machine, errors: list[float]) -> None:
    """Keys proven on a machine, one a day, so far off; mm."""
    begin = timezone.now() - timedelta(days=len(errors))
    for number, error in enumerate(errors):
        tag = hang(people)
        settled(people, tag)
        carded(people, tag, gannet)
        piece = finished_key(tag, begin + timedelta(days=number))
        measured(people["tam"], tag, piece, Random(number), off_mm=error, repeats=4)
        proven(people["tam"], tag, piece, passed=True, reason="turns")


def test_every_proof_feeds_the_drift_and_a_changed_wheel_calls_for_a_check(
    smith: Client, people: People, gannet: Machine
) -> None:
    assert "Too few proven keys to follow it yet: 0 of 6." in words(smith, f"/machines/{gannet.pk}/course")
    made(people, gannet, [0.002 * n for n in range(8)] + [-0.15])
    course = course_of(gannet)
    assert course.fitted is not None
    assert course.fitted.points[-1].is_misseated
    assert course.fitted.offset.mean == pytest.approx(0.014, abs=0.008)
    said = words(smith, f"/machines/{gannet.pk}/course")
    assert "Half of the tolerance" in said
    assert "not seated: kept out" in said
    smith.post(f"/machines/{gannet.pk}/care", {"what": "wheel", "note": "chipped"})
    assert "Check it now: a new cutter was put on" in words(smith, f"/machines/{gannet.pk}/course")
    assert words(smith, f"/machines/{gannet.pk}/due").strip() == "check due"
    check = begun(smith, gannet, check="1")
    measure(smith, check, [0.0] * 5)
    smith.post(f"/machines/trims/{check.pk}/close")
    assert "Check it now" not in words(smith, f"/machines/{gannet.pk}/course")


def test_why_a_key_came_out_wrong_weighs_its_errors_the_lock_and_the_machine(
    smith: Client, people: People, gannet: Machine
) -> None:
    made(people, gannet, [0.0] * 8 + [-0.12])
    piece = Piece.objects.latest("finished_at")
    tag = piece.tag
    page = words(smith, f"/tags/{tag}/prove/{piece.pk}/why")
    assert "The cheapest check that tells the first two apart." in page
    assert "All cuts deep alike: the blank was not bottomed" in page
    assert "the machine&#x27;s keys before were true" in page
    why = why_wrong(tag, piece)
    assert why is not None
    assert why.suspects[0].cause == "seat"
    felt = {"enters": Felt.STUCK, "turns": Felt.FREE, "leaves": Felt.FREE}
    Trial.objects.create(piece=piece, lock=tag.locks.get(), by=people["tam"], **felt)
    tight = why_wrong(tag, piece)
    assert tight is not None
    chance = {s.cause: s.chance for s in why.suspects}.get("burr", 0.0)
    assert {s.cause: s.chance for s in tight.suspects}.get("burr", 0.0) >= chance
    file = smith.post(f"/tags/{tag}/prove/{piece.pk}/why.json").json()
    assert file["bitting"] == {"A": ["3", "5", "2", "4", "1"]}
    assert (file["machine"]["name"], len(file["cuts"]), file["suspects"][0]["cause"]) == ("Old Gannet", 5, "seat")
    assert "Saltmarsh" not in str(file)  # nobody's customer is told to anyone


def test_care_is_ticked_off_with_its_caution(smith: Client, gannet: Machine) -> None:
    said = words(smith, f"/machines/{gannet.pk}/care")
    assert "Unplug it. The wheel nut may be left-handed; take the hex key out at once." in said
    smith.post(f"/machines/{gannet.pk}/care", {"what": "tightened"})
    assert MachineWork.objects.get().what == "tightened"
    refused = smith.post(f"/machines/{gannet.pk}/care", {"what": "danced"}, follow=True)
    assert "Say what was done." in refused.content.decode()


def test_a_study_of_hands_is_used_from_then_on(smith: Client, people: People) -> None:
    before = add_source(people["tam"], hang(people), "A", "calipers")
    lines = ["Tam .301 .286 .322", "Tam .3015 .2855 .3225", "Orla .302 .287 .3235", "Orla .3025 .2865 .323"]
    page = smith.post("/machines/hands", {"instrument": "bench caliper", "readings": "\n".join(lines)}, follow=True)
    study = HandStudy.objects.get()
    assert f"One reading counts as good to {study.whole / 25.4:.5f} in" in " ".join(page.content.decode().split())
    assert caliper_sd_mm() == pytest.approx(study.whole)
    after = add_source(people["tam"], hang(people), "A", "calipers")
    assert (before.caliper_sd, after.caliper_sd) == (None, pytest.approx(study.whole))


@pytest.mark.parametrize(
    ("readings", "says"),
    [
        ("Tam .301 .286\nTam .301", "Tam: the lines are not of the same cuts."),
        ("Tam .301 .286\nTam .301 x", "Line 2: “x” is not a length."),
        ("Tam .301 .286", "needs at least two cuts, each measured twice by everyone"),
        ("Tam .301 .286\nTam .301 .287\nOrla .301 .287", "everyone must measure every cut as often"),
        ("Tam .301 .286\nTam .301 .286", "Every reading is the same"),
        ("Tam", "Line 1: no reading after Tam."),
    ],
)
def test_a_study_with_gaps_is_refused_and_nothing_typed_is_lost(smith: Client, readings: str, says: str) -> None:
    page = smith.post("/machines/hands", {"instrument": "c", "readings": readings})
    assert page.status_code == 422
    assert says in page.content.decode()
    assert readings.splitlines()[0] in page.content.decode()
    assert not HandStudy.objects.exists()


def test_the_counter_may_look_at_a_machine_and_change_nothing(client: Client, people: People, gannet: Machine) -> None:
    client.force_login(people["wren"])
    assert client.get(f"/machines/{gannet.pk}").status_code == 200
    for path in ("trim", "care", "offset", "describe"):
        assert client.post(f"/machines/{gannet.pk}/{path}").status_code == 403
    assert not Tag.objects.exists()


def test_two_like_blanks_lead_to_a_hairline_nick_by_turns_of_the_screw(smith: Client) -> None:
    tern = Machine.objects.get(name="The Tern")
    said = words(smith, f"/machines/{tern.pk}/touch")
    assert "A follower of another shape copies every flank wrongly." in said
    true_gap, at, mark = 0.113, 0.0, ""  # how much closer the wheel has to come, mm
    for _ in range(12):
        away = true_gap - at
        mark = "nick" if abs(away) < 0.008 else "nothing" if away > 0 else "cut" if away < -0.1 else "line"
        smith.post(f"/machines/{tern.pk}/touch/showed", {"mark": mark})
        if mark == "nick":
            break
        last = TouchTry.objects.last()
        assert last is not None
        at += last.moved
        assert "of a turn" in words(smith, f"/machines/{tern.pk}/touch")
    assert mark == "nick"
    assert MachineWork.objects.get().what == "touched"
    assert "A hairline nick: lock it. Then cut a proving key" in words(smith, f"/machines/{tern.pk}/touch")
    refused = smith.post(f"/machines/{tern.pk}/touch/showed", {"mark": "scratch"}, follow=True)
    assert "Say what the blank shows" in refused.content.decode()
    gannet = Machine.objects.get(name="Old Gannet")
    assert smith.get(f"/machines/{gannet.pk}/touch").status_code == 404


def test_a_trim_by_touch_ends_with_what_the_cylinder_of_its_proving_key_said(smith: Client, people: People) -> None:
    tern = Machine.objects.get(name="The Tern")
    page, showed = f"/machines/{tern.pk}/touch", f"/machines/{tern.pk}/touch/showed"
    for early in ("free", "rubs"):
        assert "Set it by touch first" in smith.post(showed, {"cylinder": early}, follow=True).content.decode()
    smith.post(showed, {"mark": "line"})
    assert "Set it by touch first" in smith.post(showed, {"cylinder": "free"}, follow=True).content.decode()
    smith.post(showed, {"mark": "nick"})
    tag = hang(people, on_bench="good-key", is_copied=True)
    assert "was set by touch and not proven yet" in smith.get(f"/tags/{tag.number}/cut").content.decode()
    assert "Say how the proving key went" in smith.post(showed, {"cylinder": "well"}, follow=True).content.decode()
    smith.post(showed, {"cylinder": "rubs"})
    assert "closer. Lock it, and cut another proving key" in words(smith, page)
    smith.post(showed, {"cylinder": "stuck"})
    assert "That says nothing of the setting yet" in words(smith, page)
    assert "not proven yet" in smith.get(f"/tags/{tag.number}/cut").content.decode()
    smith.post(showed, {"cylinder": "free"})
    assert not TouchTry.objects.filter(is_done=False).exists()
    assert "not proven yet" not in smith.get(f"/tags/{tag.number}/cut").content.decode()
    assert [(each.showed, each.cylinder) for each in TouchTry.objects.order_by("pk")] == [
        ("line", ""), ("nick", "rubs"), ("nick", "stuck"), ("nick", "free"),
    ]  # fmt: skip
    moved = MachineWork.objects.filter(machine=tern, what="touched")
    assert [work.note.split(";")[0] for work in moved.order_by("pk")] == [
        "after 2 tries", "moved after its proving key",
    ]  # fmt: skip


def test_a_clamping_of_one_cut_is_not_kept_by_an_early_enter(smith: Client, people: People) -> None:
    """Nor is any that lacks a cut, unless that is said; what was typed comes back."""
    gannet = Machine.objects.get(name="Old Gannet")
    trim = begin_trim(people["tam"], gannet, family_record("harbour-five"), own="3 5 2 4 1")
    to = f"/machines/trims/{trim.pk}/measured"
    answer = smith.post(to, {"clamping": "1", "v1": "0.2947"})
    assert answer.status_code == 422
    said = answer.content.decode()
    assert "Cuts 2, 3, 4, 5 of it are not measured" in said
    assert 'name="v1" value="0.2947"' in said
    assert not TrimReading.objects.exists()
    smith.post(to, {"clamping": "1", "v1": "0.2947", "partly": "1"})
    assert TrimReading.objects.count() == 1


@pytest.mark.parametrize("apart", [" ", "  ", "\t"])
def test_a_line_of_values_pasted_into_the_first_field_is_one_for_each_cut(
    smith: Client, people: People, apart: str
) -> None:
    gannet = Machine.objects.get(name="Old Gannet")
    trim = begin_trim(people["tam"], gannet, family_record("harbour-five"), own="3 5 2 4 1")
    track = family_record("harbour-five").family.tracks[0]
    values = [track.values[step] for step in trim.steps]
    to = f"/machines/trims/{trim.pk}/measured"
    smith.post(to, {"clamping": "1", "v1": apart.join(f"{v:.4f}" for v in values)})
    assert list(TrimReading.objects.order_by("space").values_list("value", flat=True)) == pytest.approx(values)
    many = smith.post(to, {"clamping": "2", "v1": "0.3 0.3 0.3 0.3 0.3 0.3"}).content.decode()
    assert "6 values for 5 cuts." in many


def test_a_trims_value_in_the_other_unit_is_asked_about(smith: Client, people: People) -> None:
    gannet = Machine.objects.get(name="Old Gannet")
    trim = begin_trim(people["tam"], gannet, family_record("harbour-five"), own="3 5 2 4 1")
    said = smith.post(f"/machines/trims/{trim.pk}/measured", {"clamping": "1", "v1": "7.26"}).content.decode()
    assert "Cut 1: 7.26 mm?" in said
    assert not TrimReading.objects.exists()


def test_a_trims_key_is_read_by_the_machines_own_caliper_from_its_page(
    smith: Client, people: People, bench_machine: BenchMachine
) -> None:
    gannet = on_the_line(bench_machine)
    trim = begin_trim(people["tam"], gannet, family_record("harbour-five"), own="3 5 2 4 1")
    tag = hang_test_key(people["tam"], trim)
    settled(people, tag)
    carded(people, tag, gannet)
    piece = cut(people, tag)
    assert "Read the machine’s caliper: key 1" in words(smith, f"/machines/trims/{trim.pk}")
    smith.post(f"/machines/trims/{trim.pk}/caliper/{piece.pk}")
    follow_once(gannet)
    assert piece.proof_values.count() == 5
    said = words(smith, f"/machines/trims/{trim.pk}")
    assert "Read the machine’s caliper" not in said
    assert len(trim_state(trim).clampings) == 1
    other = hang(people)
    assert smith.post(f"/machines/trims/{trim.pk}/caliper/{piece.pk + 99}").status_code == 404
    assert other.pk


def seeded(hidden: HiddenFault) -> Random:
    """A seed whose first choice is this fault."""
    return next(Random(seed) for seed in range(99) if Random(seed).choice(list(HiddenFault)) == hidden)


@pytest.mark.parametrize("hidden", list(HiddenFault))
def test_a_hidden_fault_shows_in_what_is_cut_and_is_scored(
    smith: Client, people: People, bench_machine: BenchMachine, hidden: HiddenFault
) -> None:
    gannet = on_the_line(bench_machine)
    practice = begin_practice(people["tam"], gannet, seeded(hidden))
    follow_once(gannet)
    assert practice.hidden == hidden
    with pytest.raises(NotDone, match="A practice is on already"):
        begin_practice(people["tam"], gannet)
    customers = hang(people, quantity=1)
    settled(people, customers)
    carded(people, customers, gannet)
    with pytest.raises(NotDone, match="Old Gannet is out of true on purpose: a practice is on"):
        sent(people, customers)
    tag = hang(people, quantity=1)
    begin_trim(people["tam"], gannet, tag.family_record, own="3 5 2 4 1")  # type: ignore[arg-type]
    Trim.objects.update(tag=tag)
    settled(people, tag)
    carded(people, tag, gannet)
    piece = cut(people, tag)
    last = piece.cuts[3]  # the deepest: the blank's own edge limits a shallow one
    place = last["place"]
    looks = {place: looks_at(piece)[place]}
    read = driver_of(gannet).deliver(Delivery("m", "measure", piece.job, {"places": looks}))[place]
    value, position = read["value"], read["position"]
    offsets = offsets_for(gannet, "shoulder")
    off_depth = value - (float(last["value"]) - offsets.value)
    off_along = position - (float(last["position"]) - offsets.space)
    times = {"depth": 1.0, "jaw": float(last["position"]), "wheel": 3}.get(hidden, 0.0)
    assert off_depth == pytest.approx(practice.fault * times, abs=0.06)
    assert off_along == pytest.approx(practice.fault if hidden == "gauge" else 0.0, abs=0.06)
    own = MachineOffset.objects.get(machine=gannet, gauge="shoulder")
    if hidden.is_trimmed:
        depth, along = (practice.fault, 0.0) if hidden == "depth" else (0.0, practice.fault)
        change_offset(people["tam"], own, own.value - depth + 0.004 * bool(depth), own.space - along, why="trimmed")
    refused = smith.post(f"/machines/{gannet.pk}/practice", {"named": "gremlins"}, follow=True)
    assert "Say what it was." in refused.content.decode()
    smith.post(f"/machines/{gannet.pk}/practice", {"named": hidden})
    practice.refresh_from_db()
    assert practice.left_over == pytest.approx(0.004 if hidden == "depth" else 0.0, abs=1e-3)
    assert practice.keys_used == 1
    assert f"Found, and thriftily: it was {hidden.label}" in words(smith, f"/machines/{gannet.pk}/care")


def test_a_fault_called_by_another_name_is_no_success(
    smith: Client, people: People, bench_machine: BenchMachine
) -> None:
    gannet = on_the_line(bench_machine)
    begin_practice(people["tam"], gannet, seeded(HiddenFault.JAW))
    smith.post(f"/machines/{gannet.pk}/practice", {"named": "depth"})
    assert "It was the jaw out of square" in words(smith, f"/machines/{gannet.pk}/care")
    assert "not the depth setting" in words(smith, f"/machines/{gannet.pk}/care")
    begin_practice(people["tam"], gannet, seeded(HiddenFault.NOTHING))
    own = MachineOffset.objects.get(machine=gannet, gauge="shoulder")
    change_offset(people["tam"], own, own.value + 0.05, own.space, why="chased noise")
    smith.post(f"/machines/{gannet.pk}/practice", {"named": "nothing"})
    assert "no adjustment mends that, and one was made" in words(smith, f"/machines/{gannet.pk}/care")
    Practice.objects.update(hidden="depth", named="", left_over=0.004)  # as they were kept before
    assert "Found, and thriftily: it was the depth setting" in words(smith, f"/machines/{gannet.pk}/care")


def test_practice_is_for_the_simulated_machine_alone(smith: Client, people: People) -> None:
    slip = Machine.objects.get(name="The Slip")
    assert (
        "a real one is not put out of true" in smith.post(f"/machines/{slip.pk}/practice", follow=True).content.decode()
    )


def test_which_cutter_serves_and_what_a_wrong_one_would_do(smith: Client, people: People) -> None:
    tag = hang(people)
    assert smith.get(f"/tags/{tag}/cutters").status_code == 302  # nothing is settled yet
    settled(people, tag, {"A": ["1", "5", "1", "5", "1"]})
    said = words(smith, f"/tags/{tag}/cutters")
    assert "the wheel that the family asks for." in said
    assert tag.settlement is not None
    fits = cutters_for(tag, tag.settlement)
    assert fits[0].serves
    assert not fits[0].moved
    wide = Cutter.objects.create(name="W-wide", flat=2.2, angle=130)
    wrong = next(fit for fit in cutters_for(tag, tag.settlement) if fit.cutter == wide)
    assert {tumbler.space for tumbler in wrong.moved} == {1, 3, 5}  # the shallow cuts beside deep ones are eaten
    assert all(tumbler.by < 0 for tumbler in wrong.moved)
    assert wrong.chance is not None
    assert fits[0].chance is not None
    assert wrong.chance < 0.05 < fits[0].chance
    assert "the dashed outline is the right wheel’s edge" in words(smith, f"/tags/{tag}/cutters", cutter=str(wide.pk))
