"""Keys with faces and flags from a settled bitting to a verdict: milled, drilled, filed by hand."""

from __future__ import annotations

import json

import numpy as np
import pygcode
import pytest
from django.test import Client

from conftest import BenchMachine
from keycore import families
from web.jobs import People, asked, by, carded, finish, followed, hang, on_the_line, pass_time, sent, settled
from web.test_bench import words
from wryfalcon.bench.cutting.touching_up import TouchedCut, touch_up_cuts
from wryfalcon.bench.models import MadeHow, OnBench, Piece, PieceState, Sighting, Source, SourceKind, Tag
from wryfalcon.bench.proving.actions import read_caliper
from wryfalcon.bench.reading.source_actions import add_source
from wryfalcon.bench.setting_up.planning import plan_of
from wryfalcon.bench.tags.queries import stage_of
from wryfalcon.demonstration.making import family_record
from wryfalcon.library.actions.families import import_family
from wryfalcon.library.models import FamilyRecord
from wryfalcon.machines.fittings.queries import makes
from wryfalcon.machines.formats.outline import views_of
from wryfalcon.machines.models import JawSide, Machine
from wryfalcon.refusal import NotDone

pytestmark = pytest.mark.django_db

LAMPHOUSE = {"A": list("123212"), "B": list("212321"), "S": list("xyx")}
CAPSTAN = {"A": list("23132"), "B": list("1232"), "C": list("abc")}
SLUICE = {"A": list("2413")}


def ready(people: People, family_id: str, bitting: dict[str, list[str]], machine: BenchMachine) -> Tag:
    """A tag whose card is made and ticked, its machine homed."""
    tag = hang(people, family=family_record(family_id))
    settled(people, tag, bitting)
    gannet = on_the_line(machine)
    carded(people, tag, gannet)
    return Tag.objects.get(pk=tag.pk)


def drilled(people: People, tag: Tag) -> tuple[Piece, list[str]]:
    """A key drilled to its end, or as far as twelve turns and changes of drill lead; the states it stopped in."""
    piece = asked(people, tag, sent(people, tag), "clamp", "start")
    states: list[str] = []
    while len(states) < 12 and piece.state != PieceState.FINISHED:
        piece = pass_time(piece, 60)
        states.append(piece.state)
        wanted = {PieceState.TURN: ("clamp", "start"), PieceState.TOOL: ("fit", "start")}
        if piece.state in wanted:
            piece = asked(people, tag, piece, *wanted[PieceState(piece.state)])
    return piece, states


def test_a_groove_is_milled_on_both_faces_then_on_its_edge_and_measured_true(
    smith: Client, people: People, bench_machine: BenchMachine
) -> None:
    tag = ready(people, "lamphouse-six", LAMPHOUSE, bench_machine)
    assert tag.set_up is not None
    assert [c["place"] for c in tag.set_up.commands[::6]] == [
        "A 1", "B 1", "A, turned over 1", "B, turned over 1", "S, top edge up 1",
    ]  # fmt: skip
    piece = pass_time(asked(people, tag, sent(people, tag), "clamp", "start"), 60)
    assert piece.state == PieceState.TURN
    piece = pass_time(asked(people, tag, piece, "clamp", "start"), 60)
    assert piece.state == PieceState.TURN  # on its edge
    assert "its upper edge, bow on the left" in words(smith, f"/tags/{tag}/cut")
    piece = finish(asked(people, tag, piece, "clamp", "start"))
    assert piece.done == len(tag.set_up.commands) == 27
    page = words(smith, f"/tags/{tag}/cut")
    assert "its front face" in page
    assert views_of(plan_of(tag, tag.settlement, cutter=tag.set_up.cutter)) == ["front", "top", "sections"]


def test_walls_that_face_both_ways_are_each_cut_the_way_they_are_told(
    people: People, bench_machine: BenchMachine
) -> None:
    """A wall with metal above gets larger as it goes deeper, one with metal below smaller: neither is held back."""
    tag = ready(people, "lamphouse-six", LAMPHOUSE, bench_machine)
    piece = asked(people, tag, sent(people, tag), "clamp", "start")
    made = pass_time(piece, 60)
    read = dict.fromkeys(("A 3", "B 4"), made)
    assert set(read) <= {command["place"] for command in made.cuts}
    values = {(c["track"], c["space"]): c["value"] for c in made.cuts}
    assert values["A", 3] == pytest.approx(2.6 + 0.0, abs=0.2)
    assert values["B", 4] == pytest.approx(6.0 + 0.0, abs=0.2)


def test_the_face_clamp_alone_mills_walls(people: People, bench_machine: BenchMachine) -> None:
    tag = ready(people, "lamphouse-six", LAMPHOUSE, bench_machine)
    assert tag.set_up is not None
    assert tag.set_up.jaw_side is not None
    assert tag.set_up.jaw_side.clamp is not None
    assert tag.set_up.jaw_side.clamp.name == "Face clamp"
    gannet = Machine.objects.get(name="Old Gannet")
    jaw = JawSide.objects.get(machine=gannet, name="A", clamp=None)
    assert not makes(gannet, jaw, tag.family)
    assert makes(gannet, jaw, family_record("capstan-five").family)
    assert not makes(gannet, tag.set_up.jaw_side, family_record("harbour-five").family)


def test_holes_are_drilled_by_one_drill_then_the_machine_asks_for_the_other(
    people: People, bench_machine: BenchMachine
) -> None:
    tag = ready(people, "capstan-five", CAPSTAN, bench_machine)
    assert tag.set_up is not None
    assert {command["tool"] for command in tag.set_up.commands} == {"drill 1.2/90", "drill 0.4/40"}
    piece, states = drilled(people, tag)
    assert states[-1] == PieceState.FINISHED
    assert PieceState.TURN in states
    assert PieceState.TOOL in states
    assert piece.done == 12


def test_a_lever_key_is_filed_by_its_stages_and_needs_no_card(smith: Client, people: People) -> None:
    tag = hang(people, family=family_record("sluice-four"), on_bench=OnBench.LOCK)
    settled(people, tag, SLUICE)
    tag = Tag.objects.get(pk=tag.pk)
    assert stage_of(tag).stage == "cut"
    page = words(smith, f"/tags/{tag}/cut")
    assert "Its wall may stand" in page
    assert "0.3504, then 0.3386, then 0.3307" in page  # 8.9, 8.6 and 8.4 mm
    assert "Traced on" not in page
    assert "Filed by hand: no machine is set up." in words(smith, f"/tags/{tag}/set-up")
    smith.post(f"/tags/{tag}/cut/by-hand", {"way": "filed:", "expected": "1.1", "made": "1", "press": "x1"})
    piece = Piece.objects.get(tag=tag)
    assert (piece.state, piece.made_how) == (PieceState.FINISHED, MadeHow.FILED)
    assert stage_of(Tag.objects.get(pk=tag.pk)).stage == "prove"


def test_a_key_half_filed_when_its_bitting_is_settled_anew_is_told_so(smith: Client, people: People) -> None:
    tag = hang(people, family=family_record("sluice-four"), on_bench=OnBench.LOCK)
    settled(people, tag, SLUICE)
    smith.post(f"/tags/{tag}/cut/by-hand", {"way": "filed:", "expected": "1.1", "press": "x1"})
    assert Piece.objects.get(tag=tag).state == PieceState.BEGUN
    assert "settled anew since this key was begun" not in words(smith, f"/tags/{tag}/cut")
    settled(people, Tag.objects.get(pk=tag.pk), {"A": [*reversed(SLUICE["A"])]})
    page = words(smith, f"/tags/{tag}/cut")
    assert "settled anew since this key was begun, and these are the new one’s steps" in page
    assert "settled anew" not in words(smith, f"/tags/{tag}/set-up")


def program_of(smith: Client, tag: Tag) -> list[str]:
    return smith.post(f"/tags/{tag}/set-up/plan.nc").content.decode().splitlines()


def test_the_plan_file_of_a_groove_is_the_way_of_the_mill_s_middle(
    smith: Client, people: People, bench_machine: BenchMachine
) -> None:
    """Read by pygcode; over a land the middle is a radius of 0.75 off the wall, whatever the corners are."""
    tag = ready(people, "lamphouse-six", LAMPHOUSE, bench_machine)
    assert tag.set_up is not None
    assert tag.settlement is not None
    lines = program_of(smith, tag)
    at: dict[str, float] = {}
    way: list[tuple[float, float, float]] = []
    for line in lines[: lines.index("(lay 1, track B)")]:
        for code in pygcode.Line(line.strip("%")).block.gcodes:
            if isinstance(code, pygcode.GCodeLinearMove | pygcode.GCodeRapidMove):
                at |= code.get_param_dict()
                way.append((at.get("X", 0.0), at.get("Y", 0.0), at.get("Z", 0.0)))
    in_metal = np.array([point for point in reversed(way) if point[2] < 0])  # it goes from the tip to the shoulder
    assert set(in_metal[:, 2]) == {-0.8}
    offsets = tag.set_up.commands[0]["position"] - 4.0, tag.set_up.commands[0]["value"] - 3.4
    for x, wall in zip(tag.family.tracks[0].spaces, tag.settlement.values["A"], strict=True):
        y = np.interp(x + offsets[0], in_metal[:, 0], in_metal[:, 1])
        assert y - offsets[1] == pytest.approx(wall + 0.75, abs=2e-3)


def test_the_plan_file_of_holes_says_each_row_and_stops_for_its_drill(
    smith: Client, people: People, bench_machine: BenchMachine
) -> None:
    tag = ready(people, "capstan-five", CAPSTAN, bench_machine)
    lines = program_of(smith, tag)
    assert [line for line in lines if line.startswith("G0 Y")] == ["G0 Y3.0000", "G0 Y2.8000", "G0 Y3.0000"]
    assert "M0 (fit drill 0.400 mm, 40°, unplugged, hex key out at once)" in lines


def described(smith: Client, tag: Tag, track: str, **said: str) -> str:
    """A source of this track described; what the page then says."""
    found = Source.objects.filter(tag=tag, track=track).first()
    posted = {"track": track, "source": found.pk if found else "", "typed_in": "mm", **said}
    return " ".join(smith.post(f"/tags/{tag}/read/describe", posted, follow=True).content.decode().split())


def typed(smith: Client, tag: Tag, track: str, value: str, cut: int = 1) -> str:
    source = Source.objects.get(tag=tag, track=track, removed=False)
    posted = {"track": track, "source": source.pk, "cut": cut, "typed_in": "mm", "typed": value}
    return " ".join(smith.post(f"/tags/{tag}/read/value", posted, follow=True).content.decode().split())


def test_walls_are_typed_as_they_are_read_over_a_pin_and_the_sum_is_shown(smith: Client, people: People) -> None:
    tag = hang(people, family=family_record("gantry-eight"))
    assert "over a pin laid in the groove" in words(smith, f"/tags/{tag}/read")
    described(smith, tag, "A", aid="pin")
    assert "The pin’s diameter first" in typed(smith, tag, "A", "9.0 mm")
    described(smith, tag, "A", aid="pin", aid_size="2.0 mm")
    said = typed(smith, tag, "A", "8.6 mm")  # metal above, from the other edge: 8.6 - (8.6 - 2) = 2.0
    assert "over a pin laid in the groove" in said
    assert Sighting.objects.get(source__track="A").value == pytest.approx(2.0)
    described(smith, tag, "B", aid="pin", aid_size="2 mm")
    typed(smith, tag, "B", "8.6 mm")  # metal below, from the reference edge: 8.6 - 2
    assert Sighting.objects.get(source__track="B").value == pytest.approx(6.6)
    said = described(smith, tag, "B", aid="pin", aid_size="1.5 mm")  # another pin, after a value was typed
    assert "begin another source to measure otherwise" in said
    assert Source.objects.get(track="B").aid_size == pytest.approx(2.0)
    assert "which no cut of this key can be" in typed(smith, tag, "B", "30 mm", cut=2)


def test_a_hole_is_typed_as_a_ball_reads_it(smith: Client, people: People) -> None:
    """1.5 across, a cone of 90 with a tip of 1.2: 0.75 (sqrt 2 - 1) - 0.6 is below the floor: it rests there."""
    tag = hang(people, family=family_record("capstan-five"))
    described(smith, tag, "A", aid="ball", aid_size="1.5 mm")
    typed(smith, tag, "A", "2.5 mm")
    assert Sighting.objects.get(source__track="A").value == pytest.approx(2.5)
    described(smith, tag, "C", aid="ball", aid_size="1.5 mm")
    typed(smith, tag, "C", "2.9 mm")  # in a cone of 40 with a tip of 0.4 it stands 0.75 / sin 20 - 0.75 - 0.2 / tan 20
    assert Sighting.objects.get(source__track="C").value == pytest.approx(2.9 - (2.19285 - 0.75 - 0.54950), abs=1e-4)


def test_a_hole_is_typed_as_a_pin_gauge_reads_it(smith: Client, people: People) -> None:
    """2.0 across in a cone of 90 with a tip of 1.2 stands 0.4 above the floor; in one of 40 with 0.4, 0.8 / tan 20."""
    tag = hang(people, family=family_record("capstan-five"))
    for name, reads, value in (("A", "2.5 mm", 2.1), ("C", "4.4 mm", 4.4 - 0.8 / 0.363970)):
        described(smith, tag, name, aid="pin-gauge", aid_size="2 mm")
        typed(smith, tag, name, reads)
        assert Sighting.objects.get(source__track=name).value == pytest.approx(value, abs=1e-4)


def test_keys_of_other_kinds_are_measured_on_the_cut_itself(smith: Client, people: People) -> None:
    tag = hang(people)
    assert "over a pin laid" not in words(smith, f"/tags/{tag}/read")
    described(smith, tag, "A", aid="pin", aid_size="2 mm")
    assert Source.objects.get().aid == ""


def test_side_tracks_are_read_by_a_dial_before_and_after_turning(smith: Client, people: People) -> None:
    tag = hang(people, family=family_record("lamphouse-six"), on_bench=OnBench.LOCK)
    source = add_source(people["tam"], tag, "S", SourceKind.TURNED)
    address = f"/tags/{tag}/read/{source.pk}/labels"
    assert "Turn it back before you pull it out." in words(smith, f"/tags/{tag}/read", source=source.pk)
    said = smith.post(address, {"labels": "shut>dim dim>shut dim>dim"}).content.decode()
    assert "dim&gt;shut is none of track S’s pairs, which are shut&gt;dim, shut&gt;bright, dim&gt;dim" in said
    smith.post(address, {"labels": "shut>dim shut>bright"})
    assert not source.sightings.exists()  # two pairs for three cuts
    smith.post(address, {"labels": "shut>dim shut>bright dim>dim"})
    assert [s.labels for s in source.sightings.order_by("space")] == [["x"], ["y"], ["x"]]


def test_one_row_of_readings_feeds_every_track_that_shares_it(smith: Client, people: People) -> None:
    document = json.loads(json.dumps(families.shipped("lamphouse-six")))
    other = {
        **document["tracks"][2],
        "name": "T",
        "face": "bottom",
        "turning": {"shut>dim": "y", "shut>bright": "x", "dim>dim": "y"},
    }
    document["tracks"].append(other)
    document["id"] = "lamphouse-two"
    record = import_family(people["orla"], json.dumps(document).encode())
    tag = hang(people, family=record, on_bench=OnBench.LOCK)
    source = add_source(people["tam"], tag, "S", SourceKind.TURNED)
    for row in ("shut>dim shut>bright -", "shut>dim shut>bright dim>dim"):  # said once more: the same sources
        smith.post(f"/tags/{tag}/read/{source.pk}/labels", {"labels": row})
    fed = Source.objects.get(tag=tag, track="T")
    assert [s.labels for s in fed.sightings.order_by("id")][-3:] == [["y"], ["x"], ["y"]]  # what was said last


def test_families_without_such_a_table_are_not_offered_the_dial(people: People) -> None:
    tag = hang(people, family=family_record("gantry-eight"))
    with pytest.raises(NotDone):
        add_source(people["tam"], tag, "A", SourceKind.TURNED)


MEASURED = {
    "name": "Old sluice", "height": "9.4 mm", "length": "9.2 mm", "thickness": "2.6 mm", "stem": "6 mm",
    "bolt": "7.4 mm", "levers": "1.1mm 1.1mm 1.0mm 1.2mm", "gaps": "0.75mm 0.5mm 0.55mm 0.6mm", "clearance": "0.1 mm",
    "top": "8.9 mm", "step": "0.5 mm", "count": "5", "typed_in": "mm",
}  # fmt: skip


def test_a_lock_without_a_table_is_measured_and_becomes_its_tag_s_family(smith: Client, people: People) -> None:
    """Faces at 0.75, 2.35, 4.0 and 5.6: the middles at 1.3, 2.9, 4.5 and 6.2."""
    tag = hang(people, family=None, on_bench=OnBench.LOCK)
    assert "A lever lock without a table: measure it" in words(smith, f"/tags/{tag}/take-in")
    address = f"/tags/{tag}/measure-lock"
    drawn = smith.post(address, MEASURED).content.decode()
    assert "its bit standing on the stem" in drawn
    assert not FamilyRecord.objects.filter(slug="old-sluice").exists()  # drawn, not kept
    kept = smith.post(address, {**MEASURED, "keep": "1"}, follow=True)
    assert "Old sluice is in the library, measured and not published." in kept.content.decode()
    tag = Tag.objects.get(pk=tag.pk)
    assert tag.family.tracks[0].spaces == (1.3, 2.9, 4.5, 6.2)
    assert tag.blank is not None
    assert tag.blank.left == 1  # the one that fitted
    settled(people, tag, SLUICE)
    assert "Its wall may stand" in words(smith, f"/tags/{tag}/cut")
    again = smith.post(address, {**MEASURED, "keep": "1"}).content.decode()  # a second press, or another lock
    assert "a family is called so already" in again


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"gaps": "0.75mm 0.5mm"}, "2 for 4 levers"),
        ({"height": ""}, "one length is wanted"),
        ({"stem": "20 mm"}, "leaves nothing of a bit"),
        ({"count": "many"}, "heights fall by more than nothing"),
        ({"levers": "thick"}, "levers"),
        ({"bolt": "9.3 mm"}, "must run from less to more"),
        ({"name": ""}, "id"),
    ],
)
def test_a_lock_that_cannot_be_is_refused_and_what_was_typed_stays(
    smith: Client, people: People, change: dict[str, str], says: str
) -> None:
    tag = hang(people, family=None, on_bench=OnBench.LOCK)
    answer = smith.post(f"/tags/{tag}/measure-lock", {**MEASURED, **change, "keep": "1"})
    assert answer.status_code == 422
    said = answer.content.decode()
    assert says in said
    assert 'value="0.5 mm"' in said
    assert Tag.objects.get(pk=tag.pk).family_record is None


def test_a_card_whose_wall_is_too_steep_says_so(smith: Client, people: People, bench_machine: BenchMachine) -> None:
    document = json.loads(json.dumps(families.shipped("lamphouse-six")))
    tag = ready(people, "lamphouse-six", {**LAMPHOUSE, "A": list("131313")}, bench_machine)
    page = words(smith, f"/tags/{tag}/set-up")
    assert document["tracks"][0]["mill"]["ramp"] == 45
    assert "steeper than its ramp" not in page  # 0.8 across 1.4
    record = family_record("lamphouse-six")
    document["tracks"][0]["mill"]["ramp"] = 25
    record.document = json.dumps(document)
    record.save()
    assert "steeper than its ramp of 25°" in words(smith, f"/tags/{tag}/set-up")


@pytest.mark.parametrize("family_id", ["gantry-eight", "lamphouse-six", "capstan-five", "sluice-four"])
def test_every_page_of_a_face_key_opens(smith: Client, people: People, family_id: str) -> None:
    tag = hang(people, family=family_record(family_id))
    family = tag.family
    settled(people, tag, {track.name: [track.labels[0]] * len(track.spaces) for track in family.tracks})
    for page in (
        "take-in",
        "read",
        "settle",
        "settle?again=1",
        "set-up",
        "cut",
        "prove",
        "hand-over",
        "real-size",
        "codes",
    ):
        assert smith.get(f"/tags/{tag}/{page}").status_code == 200, page
    assert smith.get(f"/library/{family_id}").status_code == 200


def test_a_key_in_hand_is_counted_against_every_track_of_its_family(smith: Client, people: People) -> None:
    shown = words(smith, f"/library/preview?family={family_record('capstan-five').pk}")
    assert "5 cuts on track A, 4 on track B, 3 on track C, counted from" in shown
    assert "5 cuts, counted from" in words(smith, f"/library/preview?family={family_record('harbour-five').pk}")


def test_a_milled_key_is_proven_by_its_walls(smith: Client, people: People, bench_machine: BenchMachine) -> None:
    tag = ready(people, "lamphouse-six", LAMPHOUSE, bench_machine)
    piece = pass_time(asked(people, tag, sent(people, tag), "clamp", "start"), 60)
    piece = pass_time(asked(people, tag, piece, "clamp", "start"), 60)
    piece = finish(asked(people, tag, piece, "clamp", "start"))
    read_caliper(by(people), tag, piece)
    piece = followed(piece)
    assert piece.proof_values.filter(withdrawn=False).count() == 27
    measured = {(v.track, v.space): v.value for v in piece.proof_values.filter(withdrawn=False)}
    assert measured["A", 3] == pytest.approx(2.6, abs=0.1)  # metal below: deeper is smaller
    assert measured["B", 4] == pytest.approx(6.0, abs=0.1)  # metal above: deeper is larger
    page = words(smith, f"/tags/{tag}/prove")
    assert "inside" in page


def test_a_drilled_key_is_proven_by_its_depths_before_any_place_is_measured(
    smith: Client, people: People, bench_machine: BenchMachine
) -> None:
    tag = ready(people, "capstan-five", CAPSTAN, bench_machine)
    piece, _ = drilled(people, tag)
    address = f"/tags/{tag}/prove/{piece.pk}"
    assert "Cut 1, track A: wanted" in words(smith, f"/tags/{tag}/prove")  # of a hole, no edge
    wanted = [value for values in (piece.wanted_values or {}).values() for value in values]
    for cut, value in enumerate(wanted[:3], start=1):
        smith.post(f"{address}/value", {"typed": f"{value + 0.2:.3f}", "cut": cut, "typed_in": "mm"})
    assert piece.proof_values.filter(source="typed").count() == 3
    assert "All cuts" in words(smith, f"/tags/{tag}/prove")
    assert smith.get(f"{address}/why").status_code == 200


def test_a_made_key_is_proven_over_a_pin_and_a_page_that_had_it_otherwise_is_told(
    smith: Client, people: People, bench_machine: BenchMachine
) -> None:
    """Wall A of the groove has its metal below: from the reference edge over a pin of 1.5, a wall of 3.4 reads 4.9."""
    tag = ready(people, "lamphouse-six", LAMPHOUSE, bench_machine)
    piece = pass_time(asked(people, tag, sent(people, tag), "clamp", "start"), 60)
    for _ in range(2):
        piece = pass_time(asked(people, tag, piece, "clamp", "start"), 60)
    address = f"/tags/{tag}/prove/{piece.pk}"
    page = smith.get(f"/tags/{tag}/prove").content.decode()
    assert "over a pin laid in the groove" in page
    assert "Say its size" in words_after(smith, f"{address}/over", {"aid": "pin", "aid_size": "", "typed_in": "mm"})
    smith.post(f"{address}/over", {"aid": "pin", "aid_size": "1.5", "typed_in": "mm"})
    piece.refresh_from_db()
    assert piece.over.startswith("pin 1.5")
    old = smith.post(f"{address}/value", {"typed": "3.4", "cut": 1, "typed_in": "mm", "over": ""}).content.decode()
    assert "measured otherwise by now" in old
    smith.post(f"{address}/value", {"typed": "4.92", "cut": 1, "typed_in": "mm", "over": piece.over})
    (value,) = piece.proof_values.filter(source="typed")
    assert value.value == pytest.approx(3.42)
    smith.post(f"{address}/over", {"aid": "", "typed_in": "mm"})
    smith.post(f"{address}/value", {"typed": "3.41", "cut": 2, "typed_in": "mm"})  # a page of before the question
    assert piece.proof_values.get(space=2, track="A").value == pytest.approx(3.41)


def words_after(smith: Client, address: str, posted: dict[str, str]) -> str:
    return smith.post(address, posted, follow=True).content.decode()


def test_holes_are_traced_with_the_spring_locked_then_free_and_each_state_is_confirmed(
    smith: Client, people: People
) -> None:
    tag = hang(people, family=family_record("capstan-five"), on_bench=OnBench.GOOD_KEY, is_copied=True)
    fulmar = Machine.objects.get(name="The Fulmar")
    way = {"way": f"traced:{fulmar.pk}", "expected": "1.1"}
    step = f"/tags/{tag}/cut/at/{fulmar.pk}"

    def pieces() -> list[str]:
        return [piece.state for piece in Piece.objects.filter(tag=tag).order_by("id")]

    assert "First, at The Fulmar: Tracer’s spring locked" in words_after(
        smith, f"/tags/{tag}/cut/by-hand", {**way, "press": "a1"}
    )
    for done in ("lock", "row"):
        smith.post(step, {"step": done})
    assert "Begin the key first" in words_after(smith, step, {"step": "free"})
    assert "Still to be done: Outer holes done." in words_after(
        smith, f"/tags/{tag}/cut/by-hand", {**way, "press": "a2", "made": "1"}
    )
    assert pieces() == []  # all or nothing
    smith.post(f"/tags/{tag}/cut/by-hand", {**way, "press": "a3"})
    (piece,) = Piece.objects.filter(tag=tag)
    assert "Still to be done" in words_after(smith, f"/tags/{tag}/cut/{piece.pk}/made", {"made": "1"})
    smith.post(step, {"step": "free"})
    smith.post(f"/tags/{tag}/cut/{piece.pk}/made", {"made": "1"})
    assert pieces() == [PieceState.FINISHED]
    page = words(smith, f"/tags/{tag}/cut", way=f"traced:{fulmar.pk}")
    assert "Free, it would give way" in page
    again = words_after(smith, f"/tags/{tag}/cut/by-hand", {**way, "expected": "2.1", "press": "a4", "one-more": "1"})
    assert "First, at The Fulmar: Tracer’s spring locked" in again  # it was freed since


def test_a_wall_is_taken_deeper_on_its_machine_after_the_trial(people: People, bench_machine: BenchMachine) -> None:
    tag = ready(people, "lamphouse-six", LAMPHOUSE, bench_machine)
    piece = pass_time(asked(people, tag, sent(people, tag), "clamp", "start"), 60)
    for _ in range(2):
        piece = pass_time(asked(people, tag, piece, "clamp", "start"), 60)
    before = read_wall(people, tag, piece)
    cut = TouchedCut("A", 3, 0.2, reason="rubs at cut 3")
    fresh = touch_up_cuts(by(people), Tag.objects.get(pk=tag.pk), piece, [cut], by_file=False)
    assert fresh.values is not None
    assert fresh.values["A"][2] == pytest.approx(2.4)
    fresh = followed(fresh)
    while fresh.state in (PieceState.LOADED, PieceState.TURN):  # as often as its wall lies on a face
        fresh = pass_time(asked(people, tag, fresh, "clamp", "start"), 60)
    assert fresh.state == PieceState.FINISHED
    assert read_wall(people, tag, fresh) == pytest.approx(before - 0.2, abs=0.05)


def read_wall(people: People, tag: Tag, piece: Piece) -> float:
    read_caliper(by(people), tag, piece)
    piece = followed(piece)
    return float(piece.proof_values.filter(withdrawn=False, track="A", space=3).earliest("id").value)
