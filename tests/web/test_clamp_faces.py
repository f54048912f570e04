"""Clamp faces touched off one by one: what must be in the clamp, what it rests on, how keys come out then."""

from __future__ import annotations

from typing import Any

import pytest
from django.test import Client

from benchmachine.faults import FaceFaults
from conftest import BenchMachine
from keycore.machines.faces import FaceStep, FaceTouched, judge_face
from web.jobs import People, asked, by, followed, hang, on_the_line, pass_time, sent
from web.test_bench import words
from web.test_face_keys import LAMPHOUSE, ready
from wryfalcon.accounts.models import User
from wryfalcon.bench.following import LISTENER
from wryfalcon.bench.models import PieceState
from wryfalcon.bench.proving.actions import keep_proof, read_caliper
from wryfalcon.demonstration.making import family_record
from wryfalcon.keeping.course.proven import proven_keys
from wryfalcon.keeping.course.queries import noise_of
from wryfalcon.keeping.why.queries import why_wrong
from wryfalcon.machines.care.actions import note_work
from wryfalcon.machines.faces.actions import ask_to_touch, keep_touch_told
from wryfalcon.machines.faces.queries import face_now
from wryfalcon.machines.line.following import follow
from wryfalcon.machines.models import FaceTouch, JawSide, Machine, MachineOffset, Order, Work
from wryfalcon.machines.offsets import offsets_for
from wryfalcon.refusal import NotDone

pytestmark = pytest.mark.django_db
SEED = 5  # of the machine that tests speak to


@pytest.fixture
def gannet(people: People, bench_machine: BenchMachine) -> Machine:
    return on_the_line(bench_machine)


def listen(machine: Machine) -> None:
    follow(machine, LISTENER)


def face_of(machine: Machine, name: str = "1") -> JawSide:
    return JawSide.objects.select_related("clamp", "machine").get(machine=machine, clamp__name="Face clamp", name=name)


def hand(smith: Client, machine: Machine, what: str) -> None:
    smith.post(f"/machines/{machine.pk}/panel", {"hand": what})
    listen(machine)


def touched(smith: Client, machine: Machine, step: str, name: str = "1", **more: Any) -> str:
    """A step touched off by the machine; what the page then says."""
    address = f"/machines/{machine.pk}/faces"
    smith.post(f"{address}/{face_of(machine, name).pk}/touch", {"step": step, "typed_in": "mm", **more})
    listen(machine)
    return words(smith, address)


def touch_all(smith: Client, machine: Machine) -> str:
    hand(smith, machine, "clear")
    touched(smith, machine, "floor")
    hand(smith, machine, "lay-flat")
    touched(smith, machine, "top", thickness="3 mm")
    hand(smith, machine, "lay-key")
    return touched(smith, machine, "edge")


def test_each_step_wants_its_own_thing_in_the_clamp(smith: Client, gannet: Machine) -> None:
    hand(smith, gannet, "lay-flat")
    assert "Something lies on it" in touched(smith, gannet, "floor")
    assert face_now(face_of(gannet)).next_step == FaceStep.FLOOR
    hand(smith, gannet, "clear")
    touched(smith, gannet, "floor")
    assert "No flat lies there" in touched(smith, gannet, "top", thickness="3 mm")
    hand(smith, gannet, "lay-flat")
    assert "chips under it" in touched(smith, gannet, "top", thickness="2.9 mm")
    assert "how thick the flat is" in touched(smith, gannet, "top")
    touched(smith, gannet, "top", thickness="3 mm")
    assert "it found no edge to touch" in touched(smith, gannet, "edge")
    hand(smith, gannet, "lay-key")
    touched(smith, gannet, "edge")
    assert face_now(face_of(gannet)).is_true
    assert not face_now(face_of(gannet, "2")).is_true  # one by one


def test_out_of_order_nothing_is_touched(smith: Client, gannet: Machine) -> None:
    assert "First what it rests on" in touched(smith, gannet, "edge")
    assert "Say what is touched" in touched(smith, gannet, "side")
    jaw = JawSide.objects.get(machine=gannet, name="A", clamp=None)
    answer = smith.post(f"/machines/{gannet.pk}/faces/{jaw.pk}/touch", {"step": "floor"}, follow=True)
    assert "no face that a blade lies flat on" in answer.content.decode()
    assert not FaceTouch.objects.exists()


def test_what_the_edge_asks_for_is_put_in_and_walls_come_out_true(
    smith: Client, people: People, gannet: Machine, bench_machine: BenchMachine
) -> None:
    page = touch_all(smith, gannet)
    off = FaceFaults.of(SEED, str(face_of(gannet)))
    wanted = face_now(face_of(gannet)).offset
    assert wanted == pytest.approx(-off.across - off.tilt * 12, abs=0.006)
    assert "want" in page
    address = f"/machines/{gannet.pk}/faces/{face_of(gannet).pk}/put-in"
    smith.post(address, {"seen": "9.999 mm"})  # touched anew meanwhile
    assert not MachineOffset.objects.filter(jaw_side=face_of(gannet)).exists()
    seen = page.split("Walls on this face want ")[1].split(" across")[0]
    smith.post(address, {"seen": seen})
    assert {row.value for row in MachineOffset.objects.filter(jaw_side=face_of(gannet))} == {round(wanted or 0, 4)}
    tag = hang(people, family=family_record("lamphouse-six"))
    offsets = offsets_for(gannet, tag.family.gauge, face_of(gannet))
    own = offsets_for(gannet, tag.family.gauge)
    assert offsets.value == round(wanted or 0, 4)  # the machine's own depth offset is of another axis
    assert offsets.space == own.space


def test_another_tool_or_jaw_makes_every_face_to_be_touched_anew(
    smith: Client, people: People, gannet: Machine
) -> None:
    touch_all(smith, gannet)
    note_work(people["tam"], gannet, Work.JAW)
    face = face_now(face_of(gannet))
    assert not any(step.holds for step in face.steps)
    assert "its jaw was changed or squared" in words(smith, f"/machines/{gannet.pk}/faces")


def test_a_floor_touched_anew_takes_what_rests_on_it(smith: Client, gannet: Machine) -> None:
    touch_all(smith, gannet)
    hand(smith, gannet, "clear")
    page = touched(smith, gannet, "floor")
    assert "what it rests on was touched anew" in page
    assert face_now(face_of(gannet)).next_step == FaceStep.TOP


def test_the_card_says_that_its_face_is_not_touched_off(
    smith: Client, people: People, bench_machine: BenchMachine
) -> None:
    tag = ready(people, "lamphouse-six", LAMPHOUSE, bench_machine)
    assert "is not touched off: walls lie as far off" in words(smith, f"/tags/{tag}/set-up")
    touch_all(smith, Machine.objects.get(name="Old Gannet"))
    assert "is not touched off" not in words(smith, f"/tags/{tag}/set-up")


def test_a_dial_in_hand_touches_a_machine_off_that_has_no_line(smith: Client, people: People) -> None:
    auk = Machine.objects.get(name="Little Auk")
    clamp = auk.clamps.create(name="Face clamp", space_axis="X", depth_axis="Y")
    side = JawSide.objects.create(machine=auk, clamp=clamp, name="1", slot_depth=0.0)
    address = f"/machines/{auk.pk}/faces/{side.pk}/touch"
    smith.post(address, {"step": "floor", "near": "0.01", "far": "here", "apart": "24", "typed_in": "mm"})
    assert not FaceTouch.objects.exists()
    smith.post(address, {"step": "floor", "near": "0.01", "far": "0.09", "apart": "24", "typed_in": "mm"})
    assert "no offset mends that" in words(smith, f"/machines/{auk.pk}/faces")
    smith.post(address, {"step": "floor", "near": "0.01", "far": "0.012", "apart": "24", "typed_in": "mm"})
    assert face_now(side).next_step == FaceStep.TOP
    answer = smith.post(address, {"step": "top", "thickness": "3"}, follow=True)
    assert "type what its dial says" in answer.content.decode()


def test_a_top_whose_floor_went_meanwhile_is_not_kept(people: People, gannet: Machine) -> None:
    side = face_of(gannet)
    told = {"near": 3.0, "far": 3.0, "apart": 24.0, "side": side.pk, "at": "top", "thickness": 3.0}
    keep_touch_told(Order(machine=gannet, command="touch", by=people["tam"], result=told))
    keep_touch_told(Order(machine=gannet, command="touch", by=people["tam"], result={**told, "side": 9999}))
    assert not FaceTouch.objects.exists()
    with pytest.raises(NotDone):
        ask_to_touch(by(people), side, "top", 3.0)


def test_keys_of_another_clamp_say_nothing_of_the_machine_s_own_course(
    people: People, bench_machine: BenchMachine
) -> None:
    """A disc key's error is in degrees, a wall's across: neither is a depth of the jaw's; why asks no course of it."""
    for family_id, bitting in (("lamphouse-six", LAMPHOUSE), ("harbour-five", {"A": list("35241")})):
        tag = ready(people, family_id, bitting, bench_machine)
        piece = asked(people, tag, sent(people, tag), "clamp", "start")
        while (piece := pass_time(piece, 60)).state == PieceState.TURN:
            piece = asked(people, tag, piece, "clamp", "start")
        read_caliper(by(people), tag, piece)
        piece = followed(piece)
        keep_proof(people["tam"], tag, piece, passed=True, reason="good enough")
        why = why_wrong(tag, piece)
        assert why is not None
        assert why.before is None  # of another clamp, or the first of its wheel
    gannet = Machine.objects.get(name="Old Gannet")
    keys, strictest = proven_keys(gannet, noise_of(gannet), [])
    assert [key.name for key in keys] == [f"tag {tag}"]  # the last: that of the jaw
    assert strictest == pytest.approx(tag.family.tolerance.value * 25.4 if tag.family.tolerance else 0)


def test_the_counter_looks_and_touches_nothing(people: People, gannet: Machine) -> None:
    client = Client()
    client.force_login(User.objects.get(username="wren"))
    assert client.get(f"/machines/{gannet.pk}/faces").status_code == 200
    assert client.post(f"/machines/{gannet.pk}/faces/{face_of(gannet).pk}/touch").status_code == 403


def test_a_tilt_by_hand() -> None:
    """0.03 over 24 is 0.03125 over a blade of 25, more than 0.03; 0.02 is not."""
    assert judge_face(FaceStep.EDGE, FaceTouched(0.0, 0.03, 24.0), {}) == ("tilted",)
    assert judge_face(FaceStep.EDGE, FaceTouched(0.0, 0.02, 24.0), {}) == ()
