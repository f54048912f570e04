"""The machine's book: what is fitted, clamps and axes, wheels, duplicates, keys brought back, side mills."""

from __future__ import annotations

import re
from datetime import timedelta
from math import radians, tan
from random import Random

import pytest
from django.test import Client
from django.utils import timezone

from conftest import BenchMachine
from web.jobs import People, carded, hang, on_the_line, settled, tick_on_page
from web.test_bench import words
from wryfalcon.bench.models import OnBench, Piece, Tag
from wryfalcon.bench.tags.actions import Baseline
from wryfalcon.demonstration.making import family_record, finished_key, measured, proven, type_values
from wryfalcon.keeping.course.presenters import due_words, forecast_words, offset_words
from wryfalcon.keeping.course.queries import course_of, offset_before
from wryfalcon.keeping.fittings.queries import counters_of
from wryfalcon.keeping.wheels.queries import wheel_of
from wryfalcon.keeping.wheels.views import verdict_words
from wryfalcon.keeping.why.help_file import help_file
from wryfalcon.keeping.why.queries import why_wrong
from wryfalcon.log.models import AuditEntry, Event
from wryfalcon.machines.fittings.presenters import dial_words, turn_words
from wryfalcon.machines.fittings.queries import makes
from wryfalcon.machines.models import (
    Clamp,
    Cutter,
    CutterLook,
    DriverKind,
    Duplicate,
    Follower,
    HandStudy,
    JawSide,
    Machine,
    MachineOffset,
    MachineWork,
    Trim,
)
from wryfalcon.refusal import NotDone

pytestmark = pytest.mark.django_db


@pytest.fixture(autouse=True)
def studied(people: People) -> HandStudy:
    """Half a thou in one reading, as the shop's own study found."""
    return HandStudy.objects.create(
        instrument="bench caliper", people=["Tam"], readings=[], repeatability=0.0127, reproducibility=0.0,
        by=people["tam"],
    )  # fmt: skip


@pytest.fixture
def gannet(people: People) -> Machine:
    """The code machine by the window."""
    return Machine.objects.get(name="Old Gannet")


@pytest.fixture
def tern(people: People) -> Machine:
    """The tracing duplicator by the door."""
    return Machine.objects.get(name="The Tern")


def key_made(people: People, machine: Machine, days_ago: float) -> tuple[Tag, Piece]:
    tag = hang(people)
    settled(people, tag)
    carded(people, tag, machine)
    return tag, finished_key(tag, timezone.now() - timedelta(days=days_ago))


def came_back(people: People, tag: Tag, off: float) -> Tag:
    """The key taken in again and measured so far from what it was to be, inches."""
    back = hang(people, on_bench=OnBench.RETURNED_KEY, brought_back=str(tag))
    assert tag.settlement is not None
    type_values(people["tam"], back, "A", [value + off for value in tag.settlement.values["A"]])
    return back


def traced(client: Client, machine: Machine, pattern: str, copy: str, **more: str) -> str:
    posted = {"key": f"{family_record('harbour-five').pk}:A", "pattern": pattern, "copy": copy, **more}
    page = client.post(f"/machines/{machine.pk}/duplicates", posted, follow=True)
    return " ".join(page.content.decode().split())


def test_a_key_that_was_never_proven_counts_when_it_comes_back(smith: Client, people: People, gannet: Machine) -> None:
    tag, piece = key_made(people, gannet, 20)
    assert why_wrong(tag, piece) is None
    back = came_back(people, tag, -0.003)
    course = course_of(gannet)
    assert [key.name for key in course.keys] == [f"tag {tag}, brought back {timezone.now():%d %b}"]
    assert course.keys[0].at == piece.finished_at
    assert course.keys[0].error == pytest.approx(-0.0762 + 0.0011, abs=0.0005)  # less three weeks' wear
    assert course.keys[0].extra_sd > 0
    why = why_wrong(tag, piece)
    assert why is not None
    assert why.changed is None
    assert "all cuts deep alike" in why.suspects[0].says.lower()
    said = words(smith, f"/tags/{tag.number}/prove/{piece.pk}/why")
    assert "so it counts as evidence about Old Gannet" in said
    assert f'href="/tags/{tag.number}/prove/{piece.pk}/why"' in smith.get(f"/tags/{back.number}/read").content.decode()
    assert help_file(tag, piece, why)["brought_back"]["tag"] == f"{back.number:04d}"


def test_a_key_that_changed_since_it_was_proven_says_nothing_of_its_machine(
    smith: Client, people: People, gannet: Machine
) -> None:
    tag, piece = key_made(people, gannet, 9)
    measured(people["tam"], tag, piece, Random(2), off_mm=0.0, repeats=3)
    proven(people["tam"], tag, piece, passed=True)
    before = course_of(gannet).keys[0]
    came_back(people, tag, -0.006)
    assert course_of(gannet).keys[0].error == pytest.approx(before.error)
    said = words(smith, f"/tags/{tag.number}/prove/{piece.pk}/why")
    assert "Measure it once more: is it the same key" in said
    assert "since it was proven, more than use explains." in said
    assert "so it counts as evidence" not in said


def test_one_side_alone_off_points_to_how_it_was_turned_over(people: People, gannet: Machine) -> None:
    tag = hang(people, family=family_record("harbour-office-six"))
    values = {track.name: [track.labels[1]] * len(track.spaces) for track in tag.family.tracks}
    assert len(values) == 2
    settled(people, tag, values)
    carded(people, tag, gannet)
    piece = finished_key(tag, timezone.now())
    measured(people["tam"], tag, piece, Random(1), off_mm=0.0, scatter_mm=0.002, repeats=4)
    second = tag.family.tracks[1].name
    for value in piece.proof_values.filter(track=second):
        value.value -= 0.004
        value.save()
    why = why_wrong(tag, piece)
    assert why is not None
    crooked = next(suspect for suspect in why.suspects if suspect.cause == "crooked")
    assert "the errors are on one side only" in crooked.evidence


def test_a_thump_past_home_is_mended_before_anything_else(smith: Client, people: People, gannet: Machine) -> None:
    tag, piece = key_made(people, gannet, 1)
    measured(people["tam"], tag, piece, Random(3), off_mm=-0.08)
    smith.post(f"/machines/{gannet.pk}/care", {"what": "thumped"})
    said = words(smith, f"/tags/{tag.number}/prove/{piece.pk}/why")
    assert "heard it thump past home" in said
    assert "Home it before anything else" in said
    assert "it was heard to thump past home" in words(smith, f"/machines/{gannet.pk}/course")
    smith.post(f"/machines/{gannet.pk}/care", {"what": "homed"})
    assert "Home it before anything else" not in words(smith, f"/tags/{tag.number}/prove/{piece.pk}/why")


def test_a_duplicate_is_compared_and_followed(smith: Client, tern: Machine) -> None:
    said = traced(smith, tern, ".306 .286 .326 .266 .286", ".302 .282 .322 .262 .282")
    assert "The machine strayed from the pattern, and the key is outside its depths." in said
    assert "bitting 2 3 1 4 3" not in said  # covered until somebody asks
    shown = " ".join(smith.post(f"/machines/{tern.pk}/duplicates", {"uncover": "1"}).content.decode().split())
    assert "bitting 2 3 1 4 3" in shown
    assert AuditEntry.objects.get(event=Event.BITTING_SEEN).data["what"] == "a copy beside its pattern"
    keys = course_of(tern).keys
    assert [(key.name, key.error) for key in keys] == [("a duplicate", pytest.approx(-0.1016))]
    assert "touched" not in due_words(course_of(tern))
    kept = Duplicate.objects.get()
    smith.post(f"/machines/{tern.pk}/duplicates/{kept.pk}/withdraw")
    assert not course_of(tern).keys


def test_repeats_of_a_duplicate_sharpen_its_verdict(smith: Client, tern: Machine) -> None:
    once = traced(smith, tern, ".306 .286 .326 .266 .286", ".305 .285 .325 .265 .285")
    assert "Between: 2 measurements of each cut would settle it" in once
    four = " ".join("/".join([cut] * 4) for cut in (".306", ".286", ".326", ".266", ".286"))
    copy = " ".join("/".join([cut] * 4) for cut in (".305", ".285", ".325", ".265", ".285"))
    assert "A good copy of a good key." in traced(smith, tern, four, copy)
    assert Duplicate.objects.latest("pk").repeats == 4


@pytest.mark.parametrize(
    ("pattern", "copy", "more", "says"),
    [
        (".306 .286", ".306 .286", {}, "5 values of each are wanted"),
        (".306 - - - -", ".306 - - - -", {}, "measure at least two cuts on both keys"),
        (".306 .286 .326 .266 soft", ".306 .286 .326 .266 .286", {}, "is not a length"),
        (".306 .286 .326 .266 .886", ".306 .286 .326 .266 .286", {}, "Cut 5 of the pattern is far from every depth"),
        (".306 .286 .326 .266 .286", ".306 .286 .326 .266 .286", {"tag": "99999"}, "There is no tag 99999"),
        (".306 .286 .326 .266 .286", ".306 .286 .326 .266 .286", {"key": "x:A"}, "Say which family"),
    ],
)
def test_a_duplicate_that_cannot_be_is_refused_and_kept_on_the_page(
    smith: Client, tern: Machine, pattern: str, copy: str, more: dict[str, str], says: str
) -> None:
    said = traced(smith, tern, pattern, copy, **more)
    assert says in said
    assert "Nothing is lost." in said
    assert f'value="{pattern}"' in said
    assert not Duplicate.objects.exists()


def test_a_tags_own_readings_fill_the_pattern(smith: Client, people: People, tern: Machine) -> None:
    tag = hang(people)
    type_values(people["tam"], tag, "A", [0.306, 0.286, None, 0.266, 0.286])
    said = words(smith, f"/machines/{tern.pk}/duplicates", tag=str(tag))
    assert (
        'value="0.3060 0.2860 - 0.2660 0.2860"'
        in smith.get(f"/machines/{tern.pk}/duplicates", {"tag": str(tag)}).content.decode()
    )
    assert "Harbour five" in said


def test_a_fitted_wheel_counts_its_keys_and_makes_a_check_due(smith: Client, people: People, gannet: Machine) -> None:
    key_made(people, gannet, 3)
    wheel = Cutter.objects.get(name="W-80")
    smith.post(f"/machines/{gannet.pk}/cutter", {"cutter": str(wheel.pk)})
    gannet.refresh_from_db()
    assert gannet.fitted == wheel
    assert "another cutter was put on" not in due_words(course_of(gannet))  # it was on already: a new one
    assert "a new cutter was put on" in due_words(course_of(gannet))
    assert counters_of(gannet).since == (("wheel", 0),)
    key_made(people, gannet, -0.01)
    assert counters_of(gannet).keys == 2
    assert counters_of(gannet).since == (("wheel", 1),)
    refused = smith.post(
        f"/machines/{gannet.pk}/cutter", {"cutter": str(Cutter.objects.get(name="Warding file").pk)}, follow=True
    )
    assert "Warding file does not go on Old Gannet" in refused.content.decode()


def test_a_wheel_is_measured_by_test_cuts_and_judged(smith: Client, gannet: Machine) -> None:
    wheel = Cutter.objects.get(name="W-80")
    page = f"/machines/cutters/{wheel.pk}"
    assert "Keep it: nothing speaks against it." in words(smith, page)
    for lines, says in (("1.0", "two lengths are wanted"), ("1.0 mm 3.0 mm", "two cuts of different depths")):
        answer = smith.post(page, {"cuts": lines})
        assert (answer.status_code, says in answer.content.decode()) == (422, True)
    cuts = "\n".join(f"{d} mm {1.3 + 2 * d * tan(radians(40)):.3f} mm" for d in (1.0, 2.0, 3.0))
    smith.post(page, {"cuts": cuts})
    look = CutterLook.objects.get()
    assert (look.flat, look.angle) == pytest.approx((1.3, 80.0), abs=0.05)
    assert "Change it: its flank stands" in words(smith, page)
    smith.post(f"/machines/{gannet.pk}/cutter", {"cutter": str(wheel.pk)})  # a new one of that name
    assert wheel_of(wheel).look is None
    for _ in range(2):
        smith.post(f"/machines/{gannet.pk}/care", {"what": "burrs"})
    smith.post(f"/machines/{gannet.pk}/care", {"what": "shook"})
    said = words(smith, page)
    assert "Look at it: it was felt to shake; 2 keys had burrs." in said
    assert MachineWork.objects.filter(cutter=wheel).count() == 4


def test_keys_deep_beside_steep_neighbours_condemn_their_wheel(people: People, gannet: Machine) -> None:
    wheel = Cutter.objects.get(name=family_record("harbour-five").family.setup["cutter"])
    for _ in range(6):
        tag, piece = key_made(people, gannet, 1)
        measured(people["tam"], tag, piece, Random(5), off_mm=0.0, scatter_mm=0.001, repeats=2)
        values = list(tag.settlement.values["A"])  # type: ignore[union-attr]
        jumps = [max(abs(values[o] - v) for o in (n - 1, n + 1) if 0 <= o < 5) for n, v in enumerate(values)]
        for value in piece.proof_values.all():
            value.value -= 0.04 * jumps[value.space - 1]
            value.save()
        proven(people["tam"], tag, piece, passed=True, reason="as it is")
    found = wheel_of(wheel)
    assert found.steep is not None
    assert found.steep.value == pytest.approx(-0.04, abs=0.01)
    assert found.verdict.advice == "change"
    assert "beside the steepest neighbours" in verdict_words(found.verdict)


def test_a_follower_unlike_the_wheel_is_spoken_of(owner: Client, tern: Machine) -> None:
    assert "not of one shape" not in words(owner, f"/machines/{tern.pk}/touch")
    broad = Follower.objects.get(machine=tern, name="F-broad")
    fitted = owner.post(f"/machines/{tern.pk}/followers/{broad.pk}/fit", follow=True).content.decode()
    assert fitted.count("Trim it by touch anew.") == 1
    said = words(owner, f"/machines/{tern.pk}/touch")
    assert "F-broad and W-80 are not of one shape" in said
    assert "too shallow where it rides on the flanks" in said
    owner.post(f"/machines/{tern.pk}/followers", {"name": "F-90", "flat": "1.0 mm", "angle": "90"})
    assert Follower.objects.filter(machine=tern, name="F-90").exists()
    again = owner.post(f"/machines/{tern.pk}/followers", {"name": "F-90", "flat": "1 mm", "angle": "90"}, follow=True)
    assert "There is a follower F-90 already." in again.content.decode()
    assert owner.post(f"/machines/{tern.pk}/followers", {"name": "", "flat": "x"}).status_code == 422


def test_an_adapter_has_axes_and_offsets_of_its_own(owner: Client, gannet: Machine) -> None:
    new = {
        "name": "Angle clamp", "space_axis": "X", "depth_axis": "Z", "face": "2", "slot_depth": "1.5 mm", "note": "",
    }  # fmt: skip
    owner.post(f"/machines/{gannet.pk}/clamps", new)
    side = JawSide.objects.get(machine=gannet, clamp__name="Angle clamp", name="2")
    same = owner.post(f"/machines/{gannet.pk}/clamps", {**new, "depth_axis": "X", "face": "3"}, follow=True)
    assert "One axis cannot make both space and depth." in same.content.decode()
    swapped = Clamp.objects.get(machine=gannet, name="Round-key adapter")
    said = words(owner, f"/machines/{gannet.pk}/fitted")
    assert f"Here {swapped.depth_axis} makes the depth" in said
    harbour = family_record("harbour-five").family
    holds = {each.name for each in gannet.jaw_sides.select_related("clamp") if makes(gannet, each, harbour)}
    assert holds == {"A", "B", "2"}
    posted = {"family": str(family_record("harbour-five").pk), "side": str(side.pk)}
    owner.post(f"/machines/{gannet.pk}/trim", posted)
    trim = Trim.objects.latest("pk")
    assert trim.jaw_side == side
    values = trim.family_record.family.track(trim.track).values
    for clamping in (1, 2):
        typed = {f"v{n}": f"{values[step] + 0.004:.4f}" for n, step in enumerate(trim.steps, start=1)}
        owner.post(f"/machines/trims/{trim.pk}/measured", {"clamping": clamping, "partly": "1", **typed})
    assert "Depth, axis Z for Angle clamp, face 2: add \N{MINUS SIGN}0.0039 in" in words(
        owner, f"/machines/trims/{trim.pk}"
    )
    owner.post(f"/machines/trims/{trim.pk}/close", {"apply": "1"})
    own = MachineOffset.objects.get(machine=gannet, jaw_side=side)
    assert own.value == pytest.approx(-0.10)
    assert "Should be" in words(owner, f"/machines/trims/{trim.pk}/paper")


def test_keys_of_a_swapped_adapter_are_not_cut_from_here(smith: Client, gannet: Machine) -> None:
    face = JawSide.objects.get(machine=gannet, clamp__name="Round-key adapter")
    posted = {"family": str(family_record("harbour-five").pk), "side": str(face.pk)}
    smith.post(f"/machines/{gannet.pk}/trim", posted)
    trim = Trim.objects.latest("pk")
    assert "cut at the machine itself; type what they measure" in words(smith, f"/machines/trims/{trim.pk}")
    smith.post(f"/machines/trims/{trim.pk}/tag")
    trim.refresh_from_db()
    assert trim.tag is None


def test_axes_of_a_file_machine_are_the_letters_of_its_program(owner: Client, people: People) -> None:
    slip = Machine.objects.get(name="The Slip")
    posted = {
        "kind": "code", "depth_step": "0.01", "space_step": "0.01", "space_axis": "Y", "depth_axis": "W",
    }  # fmt: skip
    owner.post(f"/machines/{slip.pk}/describe", posted)
    wrong = owner.post(f"/machines/{slip.pk}/describe", {**posted, "depth_axis": "Y"})
    assert "One axis cannot make both" in wrong.content.decode()
    slip.refresh_from_db()
    tag, _ = key_made(people, slip, 0)
    program = owner.post(f"/tags/{tag.number}/set-up/plan.nc").content.decode()
    assert "G0 Y" in program
    assert "G1 W" in program
    assert " X" not in program


def test_a_side_mill_is_set_by_arithmetic_and_corrected_by_its_proof(smith: Client, people: People) -> None:
    fulmar = Machine.objects.get(name="The Fulmar")
    page = f"/machines/{fulmar.pk}/touch"
    asked = {"tracer": "2.4 mm", "mill": "2.5 mm", "touched": "10 mm", "floor": "11.2 mm", "clearance": "0.25 mm"}
    said = words(smith, page, **asked)
    assert "Every track comes out 0.004 in wider" in said
    assert "The track is 0.0472 in deep. Lock the stop at 0.4409 in, then lift the tracer alone by 0.0098 in" in said
    assert "reads no deeper than the flat" in words(smith, page, **{**asked, "floor": "9"})
    proof = {
        "pattern_depth": "1.2 mm", "pattern_width": "3.0 mm", "copy_depth": "1.1 mm", "copy_width": "3.0 mm",
    }  # fmt: skip
    assert "Lower the mill by 0.0039 in against the tracer" in words(smith, page, **proof)
    assert "too deep: raise the mill" in words(smith, page, **{**proof, "copy_depth": "1.4 mm"})
    assert "no height mends that" in words(smith, page, **{**proof, "copy_width": "3.2"})


def test_a_machine_worked_by_hand_is_not_homed_from_here(smith: Client, tern: Machine) -> None:
    assert tern.driver == DriverKind.NONE
    assert smith.post(f"/machines/{tern.pk}/home").status_code == 404


def test_a_card_whose_wheel_is_not_fitted_says_so_and_notes_the_change(
    smith: Client, people: People, gannet: Machine
) -> None:
    tag, _ = key_made(people, gannet, 1)
    assert not MachineWork.objects.exists()
    other = Cutter.objects.get(name="W-100")
    smith.post(f"/machines/{gannet.pk}/cutter", {"cutter": str(other.pk)})
    card = f"/tags/{tag.number}/set-up"
    assert "Old Gannet has W-100 fitted. Unplug it before" in words(smith, card)
    wheel = tag.set_up.cutter  # type: ignore[union-attr]
    back = smith.post(f"/machines/{gannet.pk}/cutter", {"cutter": str(wheel.pk), "back": card})
    assert back["Location"] == card
    assert "has W-100 fitted" not in words(smith, card)
    away = smith.post(f"/machines/{gannet.pk}/cutter", {"cutter": str(other.pk), "back": "https://elsewhere.example/"})
    assert away["Location"] == f"/machines/{gannet.pk}/fitted"
    odd = smith.post(f"/machines/{gannet.pk}/cutter", {"cutter": str(other.pk), "back": "bench:tag"})
    assert odd["Location"] == f"/machines/{gannet.pk}/fitted"
    tick_on_page(smith, tag, ["cutter"])  # says that the right one is on
    gannet.refresh_from_db()
    assert gannet.fitted == wheel
    assert [w.what for w in MachineWork.objects.all()] == ["swapped", "wheel", "swapped", "swapped", "swapped"]


def test_the_makers_figures_stand_beside_those_in_force(owner: Client, gannet: Machine) -> None:
    posted = {
        "gauge": "tip",
        "value": "0.02 mm",
        "space": "0",
        "maker_value": "0.015 mm",
        "maker_space": "",
        "why": "new jaw",
    }
    owner.post(f"/machines/{gannet.pk}/offset", posted)
    own = MachineOffset.objects.get(machine=gannet, gauge="tip")
    assert (own.value, own.maker_value, own.maker_space) == (0.02, 0.015, 0.0)
    owner.post(f"/machines/{gannet.pk}/offset", {**posted, "maker_value": "40 mm"})
    own.refresh_from_db()
    assert own.maker_value == 0.015


def test_a_check_is_due_by_a_day(people: People, smith: Client, gannet: Machine) -> None:
    for day in range(10):
        tag, piece = key_made(people, gannet, 20 - 2 * day)
        measured(people["tam"], tag, piece, Random(day), off_mm=0.0, repeats=2)
        proven(people["tam"], tag, piece, passed=True)
    course = course_of(gannet)
    assert course.by is not None
    assert course.by > timezone.now()
    assert f"Check it by {course.by:%-d %B}." in words(smith, f"/machines/{gannet.pk}/course")
    smith.post(f"/machines/{gannet.pk}/care", {"what": "jam"})
    assert course_of(gannet).by is None


def test_a_swapped_wheel_makes_a_check_due_until_a_key_is_proven_with_it(
    smith: Client, people: People, gannet: Machine
) -> None:
    for n in range(8):
        tag, piece = key_made(people, gannet, 9 - n)
        measured(people["tam"], tag, piece, Random(n), off_mm=0.0, repeats=2)
        proven(people["tam"], tag, piece, passed=True)
    other = Cutter.objects.get(name="W-100")
    smith.post(f"/machines/{gannet.pk}/cutter", {"cutter": str(other.pk)})
    course = course_of(Machine.objects.get(pk=gannet.pk))
    assert "another cutter was put on" in due_words(course)
    assert not course.marks  # the machine itself did not move
    assert course.fitted
    assert course.fitted.on == other.pk
    assert course.fitted.offset.sd > 0.015  # it never cut here
    assert "has proven no key here yet" in offset_words(course)
    assert forecast_words(course) == "Prove a key with it before anything is foretold."
    tag, piece = key_made(people, gannet, -0.01)
    measured(people["tam"], tag, piece, Random(9), off_mm=0.0, repeats=2)
    proven(people["tam"], tag, piece, passed=True)
    assert "another cutter was put on" not in due_words(course_of(Machine.objects.get(pk=gannet.pk)))


def test_a_key_taken_in_as_another_family_says_nothing_of_its_maker(people: People, gannet: Machine) -> None:
    tag, _ = key_made(people, gannet, 4)
    with pytest.raises(NotDone, match=f"Tag {tag} made a Harbour five key"):
        hang(people, on_bench=OnBench.RETURNED_KEY, brought_back=str(tag), family=family_record("theatre-six"))
    back = hang(people, on_bench=OnBench.RETURNED_KEY, brought_back=str(tag))
    Tag.objects.filter(pk=back.pk).update(family_record=family_record("theatre-six"))  # as older tags may be
    back.refresh_from_db()
    type_values(people["tam"], back, "A", [0.3] * 6)
    assert not course_of(gannet).keys


def test_a_key_brought_back_takes_family_blank_and_locks_from_its_tag(
    smith: Client, people: People, gannet: Machine
) -> None:
    tag, piece = key_made(people, gannet, 4)
    form = smith.post("/tags/new/fill", {"brought_back": f"#{tag}"}).content.decode()
    assert "Filled from tag" in form
    assert f'value="{tag.family_record_id}" selected' in form
    assert 'value="Stage door"' in form
    assert "There is no tag 9999" in smith.post("/tags/new/fill", {"brought_back": "9999"}).content.decode()
    assert Tag.objects.count() == 1
    back = hang(people, on_bench=OnBench.RETURNED_KEY, brought_back=str(tag), family=None, locks=[])
    assert (back.family_record, back.blank) == (tag.family_record, tag.blank)
    assert [lock.name for lock in back.locks.all()] == ["Stage door"]
    for stage in ("take-in", "read", "settle"):
        page = smith.get(f"/tags/{back}/{stage}").content.decode()
        head = page.split('class="stage-grid', maxsplit=1)[0]
        assert "Why did it come out wrong?" in head
        assert f"/tags/{tag.number}/prove/{piece.pk}/why" in head


@pytest.mark.parametrize(
    ("turns", "enters", "says"),
    [("stuck", "", "it will not turn"), ("snags", "", "it snags, then goes"), ("", "stuck", "it will not go in")],
)
def test_why_says_what_the_customer_said(
    smith: Client, people: People, gannet: Machine, turns: str, enters: str, says: str
) -> None:
    """Also of a key that was not measured again when it came back."""
    tag, piece = key_made(people, gannet, 4)
    measured(people["tam"], tag, piece, Random(2), off_mm=0.0)
    back = [Baseline("Stage door", enters, turns, "")]
    hang(people, on_bench=OnBench.RETURNED_KEY, brought_back=str(tag), locks=back)
    why = why_wrong(tag, piece)
    assert why is not None
    evidence = {each for suspect in why.suspects for each in suspect.evidence}
    felt = {"it will not turn", "it snags, then goes", "it will not go in", "it is tight going in"}
    assert evidence & felt == {says}


def test_a_test_bitting_of_ones_own_is_taken_if_the_family_allows_it(smith: Client, gannet: Machine) -> None:
    page, posted = f"/machines/{gannet.pk}/trim", {"family": str(family_record("harbour-five").pk)}
    smith.post(page, {**posted, "own": "3 1 3 5 3"})
    assert Trim.objects.get().steps == [2, 0, 2, 4, 2]
    for own, says in (
        ("1 6 1 6 1", "Cuts 1 and 2 of that test bitting differ by more than the family allows."),
        ("1 2 3", "3 labels for 5 cuts"),
        ("1 2 - 2 1", "A test bitting has 5 cuts"),
        ("1 2 9 2 1", "There is no depth 9"),
    ):
        assert says in smith.post(page, {**posted, "own": own}, follow=True).content.decode()
    assert Trim.objects.count() == 1


def test_dials_say_how_many_divisions(people: People, gannet: Machine) -> None:
    gannet.depth_dial, gannet.space_dial = 0.02, 0.05
    assert turn_words(gannet, -0.03) == "add \N{MINUS SIGN}0.030 mm to the offset, 1.5 divisions of the dial, deeper"
    assert dial_words(gannet.space_dial, 0.05) == ", 1 division of the dial"


def test_a_wheel_out_of_shape_is_judged_as_it_is(smith: Client, people: People, gannet: Machine) -> None:
    tag, _ = key_made(people, gannet, 1)
    wheel = tag.set_up.cutter  # type: ignore[union-attr]
    page = f"/tags/{tag.number}/cutters"
    assert "as its test cuts" not in words(smith, page)
    cuts = "\n".join(f"{d} mm {5.0 + 2 * d * tan(radians(45)):.3f} mm" for d in (1.0, 2.0, 3.0))
    smith.post(f"/machines/cutters/{wheel.pk}", {"cuts": cuts})
    said = words(smith, page, cutter=str(wheel.pk))
    assert "as its test cuts of" in said
    assert " low" in said
    smith.post(f"/machines/{gannet.pk}/cutter", {"cutter": str(wheel.pk)})  # a new one
    assert "as its test cuts" not in words(smith, page)


def test_what_was_known_before_a_key_is_of_its_own_wheel(people: People, gannet: Machine) -> None:
    wheels = {"harbour-five": 0.0, "theatre-six": -0.04}  # mm that each family's wheel cuts off
    for n in range(16):
        family = list(wheels)[n % 2]
        tag = hang(people, family=family_record(family))
        settled(people, tag, {"A": ["2"] * len(tag.family.tracks[0].spaces)})
        carded(people, tag, gannet)
        piece = finished_key(tag, timezone.now() - timedelta(days=20 - n))
        measured(people["tam"], tag, piece, Random(n), off_mm=wheels[family], scatter_mm=0.004)
        proven(people["tam"], tag, piece, passed=True, reason="turns")
    course = course_of(gannet)
    for family, off in wheels.items():
        wheel = Cutter.objects.get(name=family_record(family).family.setup["cutter"])
        known = offset_before(course, timezone.now(), wheel.pk)
        assert known is not None
        assert known.mean == pytest.approx(off, abs=3 * known.sd)
        assert known.sd < 0.012
    assert offset_before(course, timezone.now() - timedelta(days=18), wheel.pk) is None


def test_the_card_proposes_a_machine_that_is_driven_from_here(smith: Client, people: People, tern: Machine) -> None:
    tag = hang(people)
    settled(people, tag)
    wheel = Cutter.objects.get(name="W-80")
    assert tern.fitted == wheel
    gannet = Machine.objects.get(name="Old Gannet")
    Machine.objects.filter(pk=gannet.pk).update(fitted=Cutter.objects.get(name="W-100"))
    page = smith.get(f"/tags/{tag.number}/set-up").content.decode()
    assert f'name="machine" value="{gannet.pk}"' in page
    side = gannet.jaw_sides.get(name="A")
    assert re.search(rf'name="jaw_side" value="{side.pk}"\s+checked><span>side A, named by the family', page)
    assert f"/machines/{tern.pk}/duplicates?tag={tag.number}" in page
    assert "The Fulmar" not in page


def test_every_field_of_a_machines_particulars_has_a_name_and_descriptions_of_its_own(owner: Client) -> None:
    """No id stands twice, every label is of a field, and what describes a field is there."""
    page = owner.get(f"/machines/{Machine.objects.get(name='Old Gannet').pk}/particulars").content.decode()
    ids = re.findall(r'\bid="([^"]+)"', page)
    assert [each for each in set(ids) if ids.count(each) > 1] == []
    assert set(re.findall(r'<label for="([^"]+)"', page)) <= set(ids)
    described = [each for said in re.findall(r'aria-describedby="([^"]+)"', page) for each in said.split()]
    assert set(described) <= set(ids)


def test_what_the_machine_tells_of_itself_is_not_put_in_anybody_s_mouth(
    smith: Client, bench_machine: BenchMachine
) -> None:
    gannet = on_the_line(bench_machine)  # which homes it
    assert MachineWork.objects.get(machine=gannet, what="homed").by is None
    said = words(smith, f"/machines/{gannet.pk}/care")
    assert "somebody homed it, as the machine tells" in said
    assert "None" not in said
