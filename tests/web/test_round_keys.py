"""Keys measured round an end or by angles: from what lies there to a proven key, on machines that turn them."""

from __future__ import annotations

import json
import re

import pytest
from django.test import Client

from conftest import BenchMachine
from web.jobs import People, asked, by, finish, followed, hang, on_the_line, panel, sent, settled, tick_on_page
from wryfalcon.bench.actions.cut import operate
from wryfalcon.bench.actions.prove import read_caliper
from wryfalcon.bench.actions.read import state_labels
from wryfalcon.bench.actions.set_up import Chosen, set_up
from wryfalcon.bench.actions.sources import SourceSettings, add_source, describe_source
from wryfalcon.bench.models import Piece, Tag
from wryfalcon.bench.queries.cards import hand_checks
from wryfalcon.bench.queries.proving import proof_of
from wryfalcon.bench.queries.reading import readings_of
from wryfalcon.demonstration.making import again, family_record, type_values
from wryfalcon.machines.models import Cutter, JawSide, Machine
from wryfalcon.refusal import NotDone

pytestmark = pytest.mark.django_db
SLOTS = ["3", "5", "2", "4", "1", "6", "3"]
TURNS = ["1", "3", "6", "2", "4", "5", "1", "6", "2"]


@pytest.fixture
def gannet(bench_machine: BenchMachine) -> Machine:
    return on_the_line(bench_machine)


def tubular(people: People) -> Tag:
    return hang(people, title="Ticket machine", family=family_record("bollard-seven"))


def disc(people: People) -> Tag:
    return hang(people, title="Lamp room", family=family_record("lantern-nine"))


def carded(people: People, tag: Tag, machine: Machine, smith: Client) -> None:
    """Held in the clamp that makes its cuts, every check done."""
    cutter = Cutter.objects.get(name=tag.family.setup["cutter"])
    side = JawSide.objects.get(machine=machine, clamp__name=tag.family.setup["jaw"])
    set_up(people["tam"], tag, Chosen(machine, cutter, side, next(iter(tag.family.kind.cutting.styles))))
    again(tag)
    tick_on_page(smith, tag, [check.id for check in hand_checks(tag.family)])
    again(tag)


class TestTubular:
    def test_calipered_depths_are_read_settled_and_drawn_as_a_clock(self, smith: Client, people: People) -> None:
        tag = tubular(people)
        table = tag.family.tracks[0].values
        type_values(people["tam"], tag, "A", [table[int(label) - 1] + 0.002 for label in SLOTS])
        (reading,) = readings_of(tag)
        assert reading.labels == SLOTS
        page = re.sub(r"\s+", " ", smith.get(f"/tags/{tag}/read").content.decode())
        assert "clockwise, seen at the key’s end" in page
        assert "face-slot" not in page or "key’s end" in page
        settled(people, tag, {"A": SLOTS})
        assert smith.get(f"/tags/{tag}/settle").status_code == 200

    def test_what_was_read_at_the_locks_face_is_turned_round_once_that_is_said(
        self, smith: Client, people: People
    ) -> None:
        tag = tubular(people)
        source = add_source(people["tam"], tag, "A", "grid", "rods")
        page = re.sub(r"\s+", " ", smith.get(f"/tags/{tag}/read?source={source.pk}").content.decode())
        assert "At the lock’s face" not in page
        assert "Seen at the lock’s face the spaces run the other way round." in page
        assert page.count("lock’s face") >= 2  # a picture of both, and the choice
        state_labels(people["tam"], tag, source, {n: [label] for n, label in enumerate(SLOTS, start=1)})
        assert readings_of(tag)[0].labels == SLOTS
        describe_source(people["tam"], tag, source, SourceSettings(counted_from="tip"))
        assert readings_of(tag)[0].labels == SLOTS[::-1]
        assert "the nib, as seen at the lock’s face" in smith.get(f"/tags/{tag}/read").content.decode()

    def test_spaces_that_do_not_lie_alike_on_both_sides_are_never_turned(self, people: People) -> None:
        tag = tubular(people)
        record = tag.family_record
        document = json.loads(record.document)
        document["tracks"][0]["spaces"][-1] = 300
        record.document = json.dumps(document)
        record.save()
        again(tag)
        source = add_source(people["tam"], tag, "A", "grid", "rods")
        with pytest.raises(NotDone, match="do not lie alike on both sides of the nib"):
            describe_source(people["tam"], tag, source, SourceSettings(counted_from="tip"))

    def test_is_cut_slot_by_slot_by_an_adapter_that_a_hand_turns_and_proven_by_its_depths(
        self, smith: Client, people: People, gannet: Machine
    ) -> None:
        tag = tubular(people)
        settled(people, tag, {"A": SLOTS})
        page = re.sub(r"\s+", " ", smith.get(f"/tags/{tag}/set-up?machine={gannet.pk}").content.decode())
        assert "side A: nothing of it turns: such keys are not cut in it" in page
        assert re.search(r"Round-key adapter, face 7.8, named by the family", page)
        carded(people, tag, gannet, smith)
        assert "Index at the first space" in smith.get(f"/tags/{tag}/set-up").content.decode()
        piece = asked(people, tag, sent(people, tag), "clamp", "start")
        for index in range(2, 8):
            passed(piece, 2)
            assert piece.state == "index", piece.state
            assert f"Turn it to index {index} of 7" in smith.get(f"/tags/{tag}/cut").content.decode()
            asked(people, tag, piece, "index")
        finish(piece)
        read_caliper(by(people), tag, piece)
        followed(piece)
        proof = proof_of(tag, piece)
        assert proof is not None
        assert max(abs(cut.error) for cut in proof.cuts if cut.error is not None) < 0.003
        assert smith.get(f"/tags/{tag}/prove").status_code == 200

    def test_said_twice_or_too_early_an_index_turns_nothing_on(
        self, people: People, gannet: Machine, smith: Client
    ) -> None:
        tag = tubular(people)
        settled(people, tag, {"A": SLOTS})
        carded(people, tag, gannet, smith)
        piece = asked(people, tag, sent(people, tag), "clamp", "start")
        with pytest.raises(NotDone, match="is cutting now: look again"):
            operate(by(people), tag, piece, "index")
        passed(piece, 2)
        asked(people, tag, piece, "stop")
        assert piece.state == "stopped"
        asked(people, tag, piece, "clamp", "start")
        assert piece.state == "index"  # nobody knows where it was turned to meanwhile
        assert piece.next_index == 2


class TestDiscs:
    def test_are_turned_by_the_clamp_and_proven_in_degrees(
        self, smith: Client, people: People, gannet: Machine
    ) -> None:
        tag = disc(people)
        settled(people, tag, {"A": TURNS})
        carded(people, tag, gannet, smith)
        page = re.sub(r"\s+", " ", smith.get(f"/tags/{tag}/set-up").content.decode())
        assert "Probe out before the clamp turns" in page
        assert "Turned by, °" in page
        piece = finish(asked(people, tag, sent(people, tag), "clamp", "start"))
        read_caliper(by(people), tag, piece)
        followed(piece)
        proof = proof_of(tag, piece)
        assert proof is not None
        assert max(abs(cut.error) for cut in proof.cuts if cut.error is not None) < 1.5
        page = smith.get(f"/tags/{tag}/prove").content.decode()
        assert "°" in page

    def test_own_offsets_of_the_slides_are_not_put_into_angles(
        self, smith: Client, people: People, gannet: Machine
    ) -> None:
        tag = disc(people)
        settled(people, tag, {"A": TURNS})
        carded(people, tag, gannet, smith)
        card = tag.set_up
        assert card is not None
        assert [command["value"] for command in card.commands] == [18.0 * (int(label) - 1) for label in TURNS]

    def test_a_jaw_whose_axes_do_not_make_it_is_refused(self, people: People, gannet: Machine) -> None:
        tag = disc(people)
        settled(people, tag, {"A": TURNS})
        cutter = Cutter.objects.get(name="F-95")
        for side in (None, gannet.jaw_sides.get(name="A"), gannet.jaw_sides.get(clamp__name="Round-key adapter")):
            with pytest.raises(NotDone, match="Its axes do not make"):
                set_up(people["tam"], tag, Chosen(gannet, cutter, side, "turned"))


def passed(piece: Piece, seconds: float) -> None:
    assert piece.machine is not None
    panel(piece.machine.port, do="pass", seconds=seconds)
    followed(piece)
