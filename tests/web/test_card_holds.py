"""What a set-up card rests on: when it moves, the card says so, is not sent, and is made anew by one press."""

from __future__ import annotations

import json
from collections.abc import Callable
from datetime import timedelta

import pytest
from django.test import Client
from django.utils import timezone

from conftest import BenchMachine
from keycore.kinds.handling import OF_A_BLADE
from keycore.units import Unit
from web.jobs import (
    People,
    asked,
    by,
    carded,
    cut,
    followed,
    hang,
    on_the_line,
    sent,
    settled,
    tick_on_page,
)
from web.test_bench import words
from wryfalcon.bench.cutting.actions import cut_key, operate, touch_up
from wryfalcon.bench.models import Piece, ProofValue, SetUp, Tag
from wryfalcon.bench.proving.queries import cuts_to_deepen, proof_of
from wryfalcon.bench.setting_up.actions import Chosen, remake, set_up, tick
from wryfalcon.bench.setting_up.queries import what_holds
from wryfalcon.demonstration.making import again, settle_as
from wryfalcon.keeping.practising.actions import begin_practice
from wryfalcon.keeping.trimming.actions import change_offset, undo_change
from wryfalcon.lengths import shown_in
from wryfalcon.library.models import Blank, FamilyRecord
from wryfalcon.machines.care.actions import note_work
from wryfalcon.machines.fittings.actions import fit_cutter
from wryfalcon.machines.models import Cutter, JawSide, Machine, MachineOffset, OffsetChange, Order
from wryfalcon.refusal import NotDone

EVERY = [check.id for check in OF_A_BLADE]
pytestmark = pytest.mark.django_db


@pytest.fixture
def gannet(people: People, bench_machine: BenchMachine) -> Machine:
    return on_the_line(bench_machine)


@pytest.fixture
def tag(people: People, gannet: Machine) -> Tag:
    """A tag whose card is made and ticked."""
    hung = hang(people, quantity=2)
    settled(people, hung)
    carded(people, hung, gannet)
    return hung


def fit_another(people: People, machine: Machine) -> None:
    fit_cutter(people["tam"], machine, Cutter.objects.get(name="W-100"))


def trim(people: People, machine: Machine, by_mm: float = 0.03) -> OffsetChange:
    offset = MachineOffset.objects.get(machine=machine, gauge="shoulder", jaw_side=None, family_record=None)
    return change_offset(people["tam"], offset, offset.value + by_mm, offset.space, why="trimmed")


def put_back(people: People, machine: Machine) -> None:
    undo_change(people["tam"], trim(people, machine))
    trim(people, machine, 0.02)


def shift(people: People, machine: Machine) -> None:
    offset = MachineOffset.objects.get(machine=machine, gauge="shoulder", jaw_side=None, family_record=None)
    change_offset(people["tam"], offset, offset.value, offset.space + 0.05, why="gauge was out")


def family_offset(people: People, machine: Machine) -> None:
    record = FamilyRecord.objects.get(slug="harbour-five")
    MachineOffset.objects.create(machine=machine, gauge="shoulder", family_record=record, value=-0.01)


def jaw_offset(people: People, machine: Machine) -> None:
    MachineOffset.objects.create(
        machine=machine, gauge="shoulder", jaw_side=machine.jaw_sides.get(name="A"), value=0.02
    )


def new_wheel(people: People, machine: Machine) -> None:
    machine.refresh_from_db()
    assert machine.fitted is not None
    fit_cutter(people["tam"], machine, machine.fitted)


def clear_a_jam(people: People, machine: Machine) -> None:
    note_work(people["tam"], machine, "jam")


def change_the_jaw(people: People, machine: Machine) -> None:
    JawSide.objects.filter(machine=machine, name="A").update(slot_depth=4.4)


def change_the_table(people: People, machine: Machine) -> None:
    record = FamilyRecord.objects.get(slug="harbour-five")
    document = json.loads(record.document) | {"notes": "corrected"}
    FamilyRecord.objects.filter(pk=record.pk).update(document=json.dumps(document))


def change_the_wheels_shape(people: People, machine: Machine) -> None:
    Cutter.objects.filter(name="W-80").update(angle=81.0)


Change = tuple[Callable[[People, Machine], object], str, bool]
CHANGES: list[Change] = [
    (fit_another, "Old Gannet has W-100 fitted now, not W-80.", False),
    (new_wheel, "A new cutter was put on Old Gannet since", False),
    (clear_a_jam, "Since then on Old Gannet: cleared a jam. The blank is clamped and checked anew", False),
    (trim, "The depths put in for Old Gannet have changed by +0.0012 in", True),
    (put_back, "The depths put in for Old Gannet have changed by +0.0008 in", True),
    (shift, "The places put in for Old Gannet have moved by +0.0020 in", True),
    (family_offset, "The depths put in for Old Gannet have changed by \N{MINUS SIGN}0.0004 in", True),
    (jaw_offset, "The depths put in for Old Gannet have changed by +0.0008 in", True),
    (change_the_jaw, "The jaw or clamp named on this card was changed", True),
    (change_the_table, "The family’s table was changed since this card was made.", True),
    (change_the_wheels_shape, "The shape written down for W-80 was changed.", True),
]


@pytest.mark.parametrize("changed", CHANGES, ids=[change.__name__ for change, _, _ in CHANGES])
def test_what_a_card_rests_on_has_changed(
    smith: Client, people: People, tag: Tag, gannet: Machine, changed: Change
) -> None:
    """Said on both pages, its ticks gone, refused at sending; made anew or checked anew, it is sent."""
    change, says, to_remake = changed
    change(people, gannet)
    tag = Tag.objects.get(pk=tag.pk)
    assert says in words(smith, f"/tags/{tag}/set-up")
    cut_page = words(smith, f"/tags/{tag}/cut")
    assert says in cut_page
    assert "Send key 1" not in cut_page
    page = smith.get(f"/tags/{tag}/set-up").content.decode()
    assert page.count("checked>") < len(EVERY)
    with shown_in(Unit.INCH), pytest.raises(NotDone) as refusal:
        cut_key(by(people), tag)
    assert says in refusal.value.says
    assert not Piece.objects.exists()
    if to_remake:
        assert "Make the card anew first" in tick_on_page(smith, tag, EVERY).content.decode()
        smith.post(f"/tags/{tag}/set-up/anew")
    tick_on_page(smith, tag, EVERY)
    again(tag)
    assert says not in words(smith, f"/tags/{tag}/set-up")
    assert sent(people, Tag.objects.get(pk=tag.pk)).state == "loaded"


def test_a_card_made_anew_has_the_machines_own_numbers(
    smith: Client, people: People, tag: Tag, gannet: Machine
) -> None:
    old = SetUp.objects.get()
    trim(people, gannet, 0.04)
    smith.post(f"/tags/{tag}/set-up/anew")
    new = SetUp.objects.latest("pk")
    assert [c["value"] for c in new.commands] == pytest.approx([c["value"] + 0.04 for c in old.commands])
    assert (new.machine, new.cutter, new.jaw_side, new.style) == (old.machine, old.cutter, old.jaw_side, old.style)
    assert new.ticks == []


@pytest.mark.parametrize("state", ["loaded", "clamped"])
def test_a_trim_after_the_key_was_sent_is_found_at_the_start(
    smith: Client, people: People, tag: Tag, gannet: Machine, state: str
) -> None:
    piece = asked(people, tag, sent(people, tag), *(["clamp"] if state == "clamped" else []))
    before = Blank.objects.get(code="DM-5").left
    trim(people, gannet)
    if state == "loaded":
        asked(people, tag, piece, "clamp")
    with pytest.raises(NotDone, match=r"have changed by .* Make the card anew"):
        operate(by(people), tag, piece, "start")
    page = words(smith, f"/tags/{tag}/cut")
    assert "have changed by +0.0012 in" in page
    assert "Make the card anew" in page
    smith.post(f"/tags/{tag}/set-up/anew")
    followed(piece)
    assert (piece.state, piece.why_ended) == ("abandoned", "the card was made anew")
    assert Blank.objects.get(code="DM-5").left == before
    tick_on_page(smith, tag, EVERY)
    assert cut(people, Tag.objects.get(pk=tag.pk)).state == "finished"


def test_a_card_is_not_made_anew_under_a_key_being_cut(
    smith: Client, people: People, tag: Tag, gannet: Machine
) -> None:
    piece = asked(people, tag, sent(people, tag), "clamp", "start")
    assert piece.state == "cutting"
    with pytest.raises(NotDone, match="It is being cut: stop the machine first"):
        remake(by(people), tag)
    assert SetUp.objects.count() == 1


def test_a_key_cut_in_part_goes_on_only_by_whoever_saw_what_changed(
    smith: Client, people: People, tag: Tag, gannet: Machine
) -> None:
    piece = asked(people, tag, sent(people, tag), "clamp", "start")
    piece.done = 1  # as the machine will have reported in a moment
    piece.save()
    asked(people, tag, piece, "hold")
    trim(people, gannet)
    with pytest.raises(NotDone, match="Look again before it goes on"):
        operate(by(people), tag, piece, "resume")
    page = smith.get(f"/tags/{tag}/cut").content.decode()
    assert "Go on all the same" in page
    assert 'id="do-resume" name="operation" value="resume"\n    data-spindle' in page
    known = what_holds(tag, tag.set_up).known  # type: ignore[arg-type]
    assert f'name="known" value="{known}"' in page
    order = operate(by(people), tag, piece, "resume", known)
    assert order.command == "resume"


def test_settling_anew_after_the_card_takes_the_card_out(
    smith: Client, people: People, tag: Tag, gannet: Machine
) -> None:
    piece = asked(people, tag, sent(people, tag), "clamp")
    settle_as(people["tam"], tag, {"A": ["3", "5", "2", "4", "2"]})
    assert "Another bitting was settled since this card was made." in words(smith, f"/tags/{tag}/cut")
    with pytest.raises(NotDone, match="Another bitting was settled"):
        operate(by(people), tag, piece, "start")
    smith.post(f"/tags/{tag}/set-up/anew")
    assert SetUp.objects.latest("pk").settlement == Tag.objects.get(pk=tag.pk).settlement


def test_a_card_made_in_a_second_tab_stops_the_key_of_the_first(people: People, tag: Tag, gannet: Machine) -> None:
    piece = asked(people, tag, sent(people, tag), "clamp")
    card = tag.set_up
    assert card is not None
    set_up(people["tam"], tag, Chosen(gannet, card.cutter, card.jaw_side, "ramped"))
    again(tag)
    with pytest.raises(NotDone, match="Another card was made since"):
        operate(by(people), tag, piece, "start")


def test_checks_ticked_on_a_stale_page_are_refused_and_do_not_change_the_book(
    smith: Client, people: People, tag: Tag, gannet: Machine
) -> None:
    seen = what_holds(tag, tag.set_up).seen  # type: ignore[arg-type]
    fit_another(people, gannet)
    answer = smith.post(f"/tags/{tag}/set-up/tick", {"tick": EVERY, "seen": seen, "go": "1"}, follow=True)
    assert "Card or machine changed while you ticked" in answer.content.decode()
    gannet.refresh_from_db()
    assert str(gannet.fitted) == "W-100"


def test_a_plan_by_a_card_that_holds_no_longer_is_not_given_out(
    smith: Client, people: People, tag: Tag, gannet: Machine
) -> None:
    assert smith.post(f"/tags/{tag}/set-up/plan.nc").status_code == 200
    trim(people, gannet)
    refused = smith.post(f"/tags/{tag}/set-up/plan.nc", follow=True)
    assert "a plan by it would cut a wrong key" in refused.content.decode()


def test_while_a_practice_is_on_the_bench_says_so_and_no_key_is_sent(
    smith: Client, people: People, tag: Tag, gannet: Machine
) -> None:
    begin_practice(people["tam"], gannet)
    assert "Old Gannet is out of true on purpose" in words(smith, "/")
    assert "Old Gannet is out of true on purpose" in words(smith, f"/tags/{tag}/cut")
    with pytest.raises(NotDone, match="a practice is on"):
        cut_key(by(people), tag)


def test_only_a_machines_own_wheels_go_on_a_card(people: People, tag: Tag, gannet: Machine) -> None:
    stranger = Cutter.objects.create(name="W-stranger", flat=1.0, angle=90.0)
    with pytest.raises(NotDone, match="W-stranger does not go on Old Gannet"):
        set_up(people["tam"], tag, Chosen(gannet, stranger, None))


def test_what_does_not_serve_is_in_a_fold_with_why(smith: Client, people: People, gannet: Machine) -> None:
    tag = hang(people)
    settled(people, tag)
    Cutter.objects.create(name="W-stranger", flat=1.0, angle=90.0)
    page = smith.get(f"/tags/{tag}/set-up").content.decode()
    offered, fold = page.split("Others, and why not", 1)
    assert "W-80, fitted now" in offered.replace("\n", " ")
    assert "W-100" not in offered
    assert "W-stranger" not in offered
    assert "asked for are" in fold
    assert "W-stranger: does not go on Old Gannet." in fold
    assert "its axes are swapped: such keys are not cut in it" in fold
    assert "The Slip, side A" not in page


def test_one_more_than_ordered_asks(smith: Client, people: People, tag: Tag) -> None:
    Tag.objects.filter(pk=tag.pk).update(quantity=1)
    tag.refresh_from_db()
    cut(people, tag)
    with pytest.raises(NotDone, match="1 key was ordered and made"):
        cut_key(by(people), tag)
    page = words(smith, f"/tags/{tag}/cut")
    assert "1 ordered, all of them made. One more takes another blank." in page
    smith.post(f"/tags/{tag}/cut/next", {"expected": "2.1", "one-more": "1"})
    assert Order.objects.filter(command="load").count() == 2


@pytest.mark.parametrize("turned", [False, True])
def test_a_touch_up_is_told_by_the_key_itself_unless_the_machine_moved(
    people: People, tag: Tag, gannet: Machine, turned: bool
) -> None:
    """New numbers of an offset move no metal; a screw that was turned does."""
    piece = cut(people, tag)
    # The stepped machine's clock may be a little ahead of ours: the screw is turned well after the key was done.
    Piece.objects.filter(pk=piece.pk).update(finished_at=timezone.now() - timedelta(minutes=1))
    piece.refresh_from_db()
    for space, target in enumerate(tag.settlement.values["A"], start=1):  # type: ignore[union-attr]
        ProofValue.objects.create(
            piece=piece, track="A", space=space, value=target + 0.006, source="typed", by=people["tam"]
        )
    assert cuts_to_deepen(tag, proof_of(tag, piece))
    offset = MachineOffset.objects.get(machine=gannet, gauge="shoulder", jaw_side=None, family_record=None)
    if turned:
        change_offset(people["tam"], offset, offset.value, offset.space, why="trimmed", turned=-0.15)
        note_work(people["tam"], gannet, "service")
        again(tag)
        with pytest.raises(NotDone, match="its depth screw was turned"):
            touch_up(by(people), tag, piece)
        tick(people["tam"], remade(people, tag), EVERY)
        again(tag)
        fresh = touch_up(by(people), tag, piece)
        assert fresh.set_up == SetUp.objects.latest("pk")
        told = {c["space"]: c["value"] for c in tag.set_up.commands}  # type: ignore[union-attr]
        assert {c["space"]: c["value"] for c in fresh.cuts} == told
    else:
        trim(people, gannet, -0.1524)
        again(tag)
        fresh = touch_up(by(people), tag, piece)
        told = {c["space"]: c["value"] - 0.1524 for c in piece.set_up.commands}  # type: ignore[union-attr]
        assert {c["space"]: c["value"] for c in fresh.cuts} == pytest.approx(told, abs=2e-3)


def remade(people: People, tag: Tag) -> Tag:
    remake(by(people), tag)
    again(tag)
    return tag


def test_the_bench_says_when_a_card_is_to_be_made_anew(
    smith: Client, people: People, tag: Tag, gannet: Machine
) -> None:
    assert "key 1 of 2 to be cut" in words(smith, "/")
    trim(people, gannet)
    assert "its card to be made anew" in words(smith, "/")


def test_the_bench_says_when_the_card_of_a_clamped_key_holds_no_longer(
    smith: Client, people: People, tag: Tag, gannet: Machine
) -> None:
    piece = asked(people, tag, sent(people, tag), "clamp")
    assert "the machine to be started" in words(smith, "/")
    assert "no longer holds" not in words(smith, "/")
    trim(people, gannet)
    assert "the machine to be started, its card no longer holds" in words(smith, "/")
    smith.post(f"/tags/{tag}/set-up/anew")
    assert Piece.objects.get(pk=piece.pk).is_ended
    assert "no longer holds" not in words(smith, "/")
