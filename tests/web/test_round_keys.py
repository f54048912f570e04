"""Keys measured round an end or by angles: from what lies there to a proven key, on machines that turn them."""

from __future__ import annotations

import io
import json
import re

import ezdxf
import pytest
from django.test import Client

from conftest import BenchMachine
from specimens import of_the_trade
from web.jobs import People, asked, by, finish, followed, hang, on_the_line, panel, sent, settled, tick_on_page
from wryfalcon.bench.cutting.actions import operate
from wryfalcon.bench.cutting.by_hand import HandWork, begin_by_hand, finish_by_hand, make_by_hand
from wryfalcon.bench.cutting.touching_up import TouchedCut, touch_up_cuts
from wryfalcon.bench.models import Piece, Source, SourceKind, Tag
from wryfalcon.bench.proving.actions import read_caliper
from wryfalcon.bench.proving.queries import proof_of
from wryfalcon.bench.reading.actions import state_labels
from wryfalcon.bench.reading.queries import readings_of
from wryfalcon.bench.reading.source_actions import SourceSettings, add_source, describe_source
from wryfalcon.bench.setting_up.actions import Chosen, set_up
from wryfalcon.bench.setting_up.queries import hand_checks
from wryfalcon.demonstration.making import again, type_values
from wryfalcon.library.actions.families import import_family
from wryfalcon.library.models import FamilyRecord
from wryfalcon.machines.models import Cutter, JawSide, Machine, MachineOffset
from wryfalcon.refusal import NotDone

pytestmark = pytest.mark.django_db
SLOTS = ["3", "5", "2", "4", "1", "6", "3"]
TURNS = ["1", "3", "6", "2", "4", "5", "1", "6", "2"]


@pytest.fixture
def gannet(bench_machine: BenchMachine) -> Machine:
    return on_the_line(bench_machine)


def record_of_the_trade(people: People, name: str) -> FamilyRecord:
    """A family of common figures, brought in with its cutter and some blanks; nothing that ships has them."""
    found = FamilyRecord.objects.filter(slug=name).first()
    if found is not None:
        return found
    record = import_family(people["orla"], json.dumps(of_the_trade(name)).encode())
    record.blanks.update(left=12)
    family = record.family
    shape = {
        "flat": family.lengths.to_machine(family.tracks[0].tool.size),
        "angle": 0.0,
        "tool": family.tracks[0].tool.name,
    }
    cutter = Cutter.objects.create(name=family.setup["cutter"], **shape)
    for machine in Machine.objects.filter(cutters__name__in=("S-104", "F-90")).distinct():
        machine.cutters.add(cutter)
    return record


def tubular(people: People) -> Tag:
    return hang(people, title="Ticket machine", family=record_of_the_trade(people, "common-tubular"))


def disc(people: People) -> Tag:
    return hang(people, title="Lamp room", family=record_of_the_trade(people, "common-discs"))


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
        settled(people, tag, {"A": SLOTS})
        drawn = smith.get(f"/tags/{tag}/settle").content.decode()
        (slots,) = re.findall(r'<path class="face-slot" d="([^"]+)"', drawn)
        assert slots.count("M") == len(SLOTS)
        assert "key’s end" in drawn

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
    def test_are_asked_for_swings_first_and_never_for_what_tells_nothing_of_a_disc(
        self, smith: Client, people: People
    ) -> None:
        tag = disc(people)
        offered = [name for name, _ in SourceKind.offered(tag.family)]
        assert offered[0] == "swings"
        assert not {"probe", "depth-keys", "pins", "compared", "stages"} & set(offered)
        for name in ("pins", "stages"):
            with pytest.raises(NotDone):
                add_source(people["tam"], tag, "A", name, "odd")
        page = re.sub(r"\s+", " ", smith.get("/library/common-discs").content.decode())
        assert "depth 2.0°, space" in page

    def test_are_turned_by_the_clamp_and_proven_in_degrees(
        self, smith: Client, people: People, gannet: Machine
    ) -> None:
        tag = disc(people)
        settled(people, tag, {"A": TURNS})
        carded(people, tag, gannet, smith)
        page = re.sub(r"\s+", " ", smith.get(f"/tags/{tag}/set-up").content.decode())
        assert "Probe clear before the clamp turns" in page
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


class TestSwings:
    @pytest.fixture
    def source(self, people: People) -> Source:
        return add_source(people["tam"], disc(people), "A", "swings")

    def feel(self, smith: Client, source: Source, number: int, *felt: str) -> str:
        for each in felt:
            answer = smith.post(
                f"/tags/{source.tag}/read/{source.pk}/swing", {"disc": number, "felt": each}, follow=True
            )
        return re.sub(r"\s+", " ", answer.content.decode())

    def test_a_label_is_one_more_than_the_clicks_and_a_disc_that_stays_is_the_last_depth(
        self, smith: Client, source: Source
    ) -> None:
        for number, label in enumerate(TURNS[1:], start=2):
            clicks = int(label) - 1
            self.feel(smith, source, number, *(["still"] if label == "6" else ["minor"] * clicks + ["major"]))
        (reading,) = readings_of(source.tag)
        assert reading.labels == TURNS  # the first never varies
        page = self.feel(smith, source, 2, "major")
        assert "Disc 2 is found already: take that back first." in page
        assert "Disc 1 never varies in this family." in self.feel(smith, source, 1, "major")

    def test_a_little_only_rules_the_depths_out_that_were_tried(self, smith: Client, source: Source) -> None:
        page = self.feel(smith, source, 4, "minor", "minor")
        assert "2 clicks, only a little so far" in page
        posterior = readings_of(source.tag)[0].posterior
        assert posterior is not None
        row = posterior.marginals[3]
        assert max(row[:2]) < min(row[2:]) / 5
        assert "Every depth of disc 4 was tried" in self.feel(smith, source, 4, *["minor"] * 5)
        assert "Say how the disc moved" in self.feel(smith, source, 5, "hard")
        smith.post(f"/tags/{source.tag}/read/withdraw", {"track": "A", "source": source.pk})

    def test_it_is_offered_for_discs_alone(self, smith: Client, people: People) -> None:
        tag = tubular(people)
        assert "by swings and clicks" not in smith.get(f"/tags/{tag}/read?add=1").content.decode()
        with pytest.raises(NotDone, match="Choose what is read"):
            add_source(people["tam"], tag, "A", "swings")


class TestNeverCutAgain:
    def test_each_candidate_takes_a_blank_and_nothing_is_touched_up(
        self, smith: Client, people: People, gannet: Machine
    ) -> None:
        tag = disc(people)
        source = add_source(people["tam"], tag, "A", "parts", "six discs of nine")
        state_labels(people["tam"], tag, source, {space: [TURNS[space - 1]] for space in range(1, 9)})
        left = smith.get(f"/tags/{tag}/tries").context["left"]
        assert (left.candidates, left.new_blanks) == (6, 6)  # the last disc may be any of six
        with pytest.raises(NotDone, match="Choose what is read"):
            add_source(people["tam"], tag, "A", "stages")
        settled(people, tag, {"A": TURNS})
        carded(people, tag, gannet, smith)
        piece = finish(asked(people, tag, sent(people, tag), "clamp", "start"))
        for by_file in (True, False):
            with pytest.raises(NotDone, match="never cut again"):
                touch_up_cuts(by(people), tag, piece, [TouchedCut("A", 2, 1.0, "rubs")], by_file=by_file)
        assert smith.get(f"/tags/{tag}/prove").context["taking"] is None


class TestByDials:
    @pytest.fixture
    def auk(self) -> Machine:
        return Machine.objects.get(name="Little Auk")

    def begun(self, people: People, tag: Tag, auk: Machine) -> Piece:
        return begin_by_hand(by(people), tag, HandWork("dials", auk))

    def test_a_tube_is_walked_dot_by_dot_in_divisions_of_the_side_dial(
        self, smith: Client, people: People, auk: Machine
    ) -> None:
        """Cut 1 is 0.048 in: 1.2192 mm, of 0.05 mm a division 24.4; cut 3 lies lower than cut 2 and is passed."""
        tag = tubular(people)
        settled(people, tag, {"A": SLOTS})
        piece = self.begun(people, tag, auk)
        assert len(piece.steps) == 3 + 4 * 7

        def shown() -> str:
            return re.sub(r"\s+", " ", smith.get(f"/tags/{tag}/cut").content.decode())

        assert "This is on: slotter 3.251 mm" in shown()
        for step, says in enumerate(
            (
                "touches the standing cutter, then clamp it",
                "Cut 1: index to dot 1",
                "Cut 1: side dial to 24.4 divisions",
                "front dial to the cut mark",
                "gauge point",
            )
        ):
            smith.post(f"/tags/{tag}/cut/{piece.pk}/walked", {"step": step + 1})
            assert says in shown(), says
        for step in range(5, 11):
            smith.post(f"/tags/{tag}/cut/{piece.pk}/walked", {"step": step + 1})
        page = shown()
        assert "Cut 3: side dial to 16.3 divisions" in page
        assert "It lies lower than before: go back past it by half a turn, then come up to it clockwise." in page

    def test_a_step_said_twice_is_noticed_one_too_early_refused_and_made_only_at_the_end(
        self, smith: Client, people: People, auk: Machine
    ) -> None:
        tag = tubular(people)
        settled(people, tag, {"A": SLOTS})
        piece, to = self.begun(people, tag, auk), f"/tags/{tag}/cut/"
        smith.post(f"{to}{piece.pk}/walked", {"step": 1})
        said = smith.post(f"{to}{piece.pk}/walked", {"step": 1}, follow=True).content.decode()
        assert "That was said already" in said
        assert (
            "Another step is next" in smith.post(f"{to}{piece.pk}/walked", {"step": 10}, follow=True).content.decode()
        )
        with pytest.raises(NotDone, match="Steps at the dials are still to be done: 30"):
            finish_by_hand(by(people), tag, piece)
        for _ in range(2):  # a repeated one takes nothing more back
            smith.post(f"{to}{piece.pk}/walked", {"step": 2})
            said = smith.post(f"{to}{piece.pk}/walked", {"back": 2}, follow=True).content.decode()
            piece.refresh_from_db()
            assert piece.walked == 1
            said = smith.post(f"{to}{piece.pk}/walked", {"back": 2}, follow=True).content.decode()
            assert "That was said already" in said
        for odd in (-1, "first"):
            assert "Back: " in smith.post(f"{to}{piece.pk}/walked", {"back": odd}, follow=True).content.decode()
        for odd in (5, ""):
            said = smith.post(f"{to}{piece.pk}/walked", {"back": odd}, follow=True).content.decode()
            assert "Another step was done last" in said, odd
        piece.refresh_from_db()
        assert piece.walked == 1
        for step in range(len(piece.steps)):
            smith.post(f"{to}{piece.pk}/walked", {"step": step + 1})
        assert "Made and deburred" in smith.get(f"/tags/{tag}/cut").content.decode()
        finish_by_hand(by(people), tag, piece)
        assert piece.state == "finished"
        assert (
            "No key is being cut by dials"
            in smith.post(f"{to}{piece.pk}/walked", {"step": 4}, follow=True).content.decode()
        )

    def test_a_bitting_settled_anew_in_between_stops_the_walk_before_the_blank_is_spoilt(
        self, smith: Client, people: People, auk: Machine
    ) -> None:
        tag = tubular(people)
        settled(people, tag, {"A": SLOTS})
        piece, to = self.begun(people, tag, auk), f"/tags/{tag}/cut/"
        smith.post(f"{to}{piece.pk}/walked", {"step": 1})
        again(tag)
        settled(people, tag, {"A": [*SLOTS[:-1], "4"]})
        page = smith.get(f"/tags/{tag}/cut").content.decode()
        assert "The bitting was settled anew since this key was begun" in page
        assert 'id="walked"' not in page
        said = smith.post(f"{to}{piece.pk}/walked", {"step": 2}, follow=True).content.decode()
        assert "end it, and begin another" in said
        piece.refresh_from_db()
        assert piece.walked == 1

    def test_edge_keys_too_their_offsets_put_in_and_never_in_one_press(
        self, smith: Client, people: People, auk: Machine
    ) -> None:
        """Harbour five is 8.4074 mm high; a 3 leaves 0.286 in, 7.2644 mm: 1.143 mm in, less the offset of 0.023."""
        MachineOffset.objects.create(machine=auk, gauge="shoulder", value=0.023, space=-0.1)
        tag = hang(people)
        settled(people, tag)
        with pytest.raises(NotDone, match="go through the dials step by step"):
            make_by_hand(by(people), tag, HandWork("dials", auk))
        piece = self.begun(people, tag, auk)
        readings = [(step["act"], step["reading"]) for step in piece.steps[1:5]]
        assert readings == [
            ("touch-off", 0.0),
            ("along", pytest.approx(5.588 - 0.1)),
            ("depth", pytest.approx(1.143 - 0.023)),
            ("back", 0.0),
        ]  # fmt: skip
        page = re.sub(r"\s+", " ", smith.get(f"/tags/{tag}/cut").content.decode())
        assert "Cut 1: along to 109.8 divisions" in page  # 5.488 mm of 0.05
        assert "Cut 1: in to 56.0 divisions" in page  # 1.12 mm of 0.02
        MachineOffset.objects.all().update(value=0.5)
        piece.refresh_from_db()
        assert piece.steps[3]["reading"] == pytest.approx(1.12)  # begun by what held then

    def test_a_key_that_no_clamp_of_it_makes_is_not_offered(self, smith: Client, people: People, auk: Machine) -> None:
        tag = disc(people)
        settled(people, tag, {"A": TURNS})
        assert "by the dials" not in smith.get(f"/tags/{tag}/cut").content.decode()
        with pytest.raises(NotDone, match="nothing that makes the cuts of such a key"):
            self.begun(people, tag, auk)


class TestPlanFiles:
    def test_have_a_head_and_the_machines_own_letters(self, smith: Client, people: People, gannet: Machine) -> None:
        tag = tubular(people)
        settled(people, tag, {"A": SLOTS})
        carded(people, tag, gannet, smith)
        lines = smith.post(f"/tags/{tag}/set-up/plan.nc").content.decode().splitlines()
        assert f"(tag {tag})" in lines
        assert "(family Common tubular, edition 2025)" in lines
        assert "(blank BO-7)" in lines
        assert any(line.startswith("(gauge shoulder, stop shoulder, held in Round-key adapter") for line in lines)
        assert any(line.startswith("(cutter S-128, indexed)") for line in lines)
        assert any(line.startswith("(offsets put in: ") for line in lines)
        assert next(line for line in lines if line.startswith("G1 X")) == "G1 X1.2192 F60.0"  # 0.048 in deep
        turns = [line for line in lines if line.startswith("M0 (turn the index anticlockwise to its dot")]
        assert turns[0].endswith("for slot 2, 90.00°)")
        assert len(turns) == 6
        assert not any(line.startswith("G0 A") for line in lines)  # a hand turns it: no axis does
        safe = [float(line[4:]) for line in lines if line.startswith("G0 X")]
        assert set(safe) == {-2.0}  # never into the metal on the way

    def test_of_discs_are_fed_by_hand_to_the_stop(self, smith: Client, people: People, gannet: Machine) -> None:
        tag = disc(people)
        settled(people, tag, {"A": TURNS})
        carded(people, tag, gannet, smith)
        lines = smith.post(f"/tags/{tag}/set-up/plan.nc").content.decode().splitlines()
        at = next(n for n, line in enumerate(lines) if line.startswith("G0 X3.9"))
        assert lines[at : at + 2] == ["G0 X3.9000 A36.0000", "M0 (feed to the stop, back off, the spindle running)"]

    @pytest.mark.parametrize("kind", ["dxf", "svg"])
    def test_every_view_is_written(self, smith: Client, people: People, gannet: Machine, kind: str) -> None:
        for tag, bitting in ((tubular(people), SLOTS), (disc(people), TURNS)):
            settled(people, tag, {"A": bitting})
            carded(people, tag, gannet, smith)
            answer = smith.post(f"/tags/{tag}/set-up/plan.{kind}")
            assert answer.status_code == 200
            assert len(answer.content) > 500

    def test_each_view_has_a_drawing_of_its_own(self, smith: Client, people: People, gannet: Machine) -> None:
        tag = tubular(people)
        settled(people, tag, {"A": SLOTS})
        carded(people, tag, gannet, smith)
        page = smith.get(f"/tags/{tag}/set-up").content.decode()
        assert "DXF of the end" in page
        written = smith.post(f"/tags/{tag}/set-up/plan.dxf", {"view": "end"})
        assert f'filename="tag-{tag}-end.dxf"' in written["Content-Disposition"]
        drawing = ezdxf.read(io.StringIO(written.content.decode()))  # type: ignore[attr-defined]
        rings = {
            line.dxf.layer: [p[:2] for p in line.get_points()] for line in drawing.modelspace().query("LWPOLYLINE")
        }
        assert len(rings) == 2 + len(SLOTS)
        (left, right) = (pick(x for x, _ in rings["TRACK_outer"]) for pick in (min, max))
        assert right - left == pytest.approx(tag.family.lengths.to_machine(tag.family.own.outer))
        svg = smith.post(f"/tags/{tag}/set-up/plan.svg", {"view": "end"}).content.decode()
        assert re.search(rf'width="{right - left:.3f}mm"\s+height="{right - left:.3f}mm"', svg)
        for odd in ("plan.dxf", "plan.nc"):
            assert (
                smith.post(f"/tags/{tag}/set-up/{odd}", {"view": "under" if "dxf" in odd else "end"}).status_code == 404
            )
