"""Trims by keys with walls and holes: both walls of a groove tell a worn mill, two drills one that is off centre."""

from __future__ import annotations

import pytest
from django.test import Client

from conftest import BenchMachine
from web.jobs import People, asked, by, carded, followed, on_the_line, panel, pass_time, sent
from web.test_bench import words
from wryfalcon.bench.models import PieceState, Tag
from wryfalcon.bench.proving.actions import read_caliper
from wryfalcon.bench.settling.actions import read_back
from wryfalcon.demonstration.making import family_record
from wryfalcon.keeping.trimming.actions import begin_trim, hang_test_key
from wryfalcon.keeping.trimming.queries import planned_cuts, trim_state
from wryfalcon.library.models import FamilyRecord
from wryfalcon.machines.models import JawSide, Machine, MachineOffset, MachineWork, Trim, TrimReading, Work
from wryfalcon.machines.offsets import offsets_for
from wryfalcon.refusal import NotDone

pytestmark = pytest.mark.django_db


@pytest.fixture
def gannet(people: People) -> Machine:
    return Machine.objects.get(name="Old Gannet")


def face_of(machine: Machine) -> JawSide:
    return JawSide.objects.select_related("clamp", "machine").get(machine=machine, clamp__name="Face clamp", name="1")


def begun(smith: Client, machine: Machine, **more: str) -> Trim:
    posted = {"family": str(family_record("lamphouse-six").pk), "side": str(face_of(machine).pk), **more}
    smith.post(f"/machines/{machine.pk}/trim", posted)
    return Trim.objects.latest("pk")


def measure(smith: Client, trim: Trim, clamping: int, across: float, left: float, *, without: str = "") -> str:
    """Type a clamping of an axis that is ``across`` off and a mill that leaves so much metal on every wall, mm."""
    track = {track.name: track for track in trim.family_record.family.tracks}
    typed = {
        f"v{cut.number}": f"{cut.value + across + left * (1 if track[cut.track].falls_when_deeper else -1):.4f}"
        for cut in planned_cuts(trim)
        if cut.track != without
    }
    posted = {"clamping": str(clamping), "typed_in": "mm", **typed}
    return " ".join(smith.post(f"/machines/trims/{trim.pk}/measured", posted, follow=True).content.decode().split())


def test_a_face_that_is_off_is_put_right_and_a_worn_mill_named_beside_it(smith: Client, gannet: Machine) -> None:
    trim = begun(smith, gannet)
    assert (trim.track, trim.beside) == ("A", "B")
    page = words(smith, f"/machines/trims/{trim.pk}")
    assert "B 6" in page, "the cuts of the wall across are measured too"
    assert "lay the blade flat on it" in page
    measure(smith, trim, 1, 0.041, 0.026)
    said = measure(smith, trim, 2, 0.039, 0.024)
    assert "the mill is worn" in said
    assert "no offset mends it" in said
    said = words(smith, f"/machines/trims/{trim.pk}")
    assert "Every wall lies" in said
    assert "away from the reference edge" in said
    assert "Across, axis Y for Face clamp, face 1: add" in said
    smith.post(f"/machines/trims/{trim.pk}/close", {"apply": "1"})
    offset = MachineOffset.objects.get(machine=gannet, jaw_side=face_of(gannet), family_record=None)
    assert offset.value == pytest.approx(-0.04, abs=0.011), "as far as the axis is off, none of the mill"
    record = family_record("lamphouse-six")
    assert offsets_for(gannet, trim.gauge, face_of(gannet), record).value == pytest.approx(offset.value)


def test_a_mill_worn_beyond_the_tolerance_is_no_adjustment(smith: Client, gannet: Machine) -> None:
    trim = begun(smith, gannet)
    measure(smith, trim, 1, 0.0, 0.06)
    said = measure(smith, trim, 2, 0.002, 0.061)
    assert "This is not an adjustment: every wall has" in said
    assert "Put the adjustment in force" not in said
    mill = trim_state(Trim.objects.get(pk=trim.pk)).worn_by
    assert mill == pytest.approx(0.121, abs=0.002)


def test_one_wall_alone_says_that_it_cannot_tell(smith: Client, gannet: Machine) -> None:
    trim = begun(smith, gannet)
    refused = measure(smith, trim, 1, 0.03, 0.02, without="B")
    assert "B 1" in refused, "what is not measured is named by its wall"
    assert not TrimReading.objects.filter(trim=trim).exists()
    for clamping in (1, 2):
        posted = {"clamping": str(clamping), "typed_in": "mm", "partly": "1", "v1": "3.4"}
        smith.post(
            f"/machines/trims/{trim.pk}/measured",
            posted | {f"v{cut.number}": f"{cut.value + 0.05:.3f}" for cut in planned_cuts(trim) if cut.track == "A"},
        )
    fit = trim_state(Trim.objects.get(pk=trim.pk)).fit
    assert fit is not None
    assert fit.per_wall is None
    assert "one side only" in words(smith, f"/machines/trims/{trim.pk}")


def test_walls_are_trimmed_only_by_the_clamp_that_makes_them(people: People, gannet: Machine) -> None:
    jaw = JawSide.objects.filter(machine=gannet, clamp=None).first()
    for side in (None, jaw):
        with pytest.raises(NotDone, match="lies flat on"):
            begin_trim(people["tam"], gannet, family_record("lamphouse-six"), side=side)
    assert begin_trim(people["tam"], gannet, family_record("lamphouse-six"), side=face_of(gannet)).beside == "B"


def test_clampings_that_disagree_are_no_offset_of_a_face(smith: Client, gannet: Machine) -> None:
    trim = begun(smith, gannet)
    measure(smith, trim, 1, 0.0, 0.0)
    said = measure(smith, trim, 2, 0.25, 0.0)
    assert "This is not an adjustment: the clampings disagree" in said
    assert "Clean the clamp" in said
    assert "back of the jaw" not in said


@pytest.mark.parametrize("way", ["another mill", "another tab", "a jam"])
def test_what_moves_the_machine_after_its_keys_were_measured_puts_nothing_in_force(
    smith: Client, people: People, gannet: Machine, way: str
) -> None:
    trim, other = begun(smith, gannet), begun(smith, gannet)
    for each in (trim, other):
        measure(smith, each, 1, 0.041, 0.026)
        measure(smith, each, 2, 0.039, 0.024)
    assert "Put the adjustment in force" in words(smith, f"/machines/trims/{trim.pk}")
    if way == "another tab":
        smith.post(f"/machines/trims/{other.pk}/close", {"apply": "1"})
    else:
        mill = gannet.cutters.filter(tool="mill").exclude(pk=gannet.fitted_id).first()
        work = Work.SWAPPED if way == "another mill" else Work.JAM
        MachineWork.objects.create(machine=gannet, what=work, cutter=mill, by=people["tam"])
    before = list(MachineOffset.objects.order_by("pk").values_list("pk", "value"))
    said = words(smith, f"/machines/trims/{trim.pk}")
    assert "Since these keys were measured" in said
    assert "Put the adjustment in force" not in said
    assert "the mill is worn" not in said, "it may be another mill by now"
    smith.post(f"/machines/trims/{trim.pk}/close", {"apply": "1"})
    assert list(MachineOffset.objects.order_by("pk").values_list("pk", "value")) == before
    assert Trim.objects.get(pk=trim.pk).closed_at is None
    smith.post(f"/machines/trims/{trim.pk}/close")
    assert Trim.objects.get(pk=trim.pk).closed_at is not None, "it can still be left alone"


def test_keys_milled_by_a_worn_mill_are_measured_and_say_by_how_much(
    smith: Client, people: People, bench_machine: BenchMachine
) -> None:
    """The simulated machine's mill is 0.05 mm smaller than it is told: both walls move apart, the face stays."""
    machine = on_the_line(bench_machine)
    panel(bench_machine.port, do="inject", fault="mill_worn", value=0.05)
    side = face_of(machine)
    trim = begin_trim(people["tam"], machine, family_record("lamphouse-six"), side=side)
    tag = hang_test_key(people["tam"], trim)
    read_back(people["tam"], tag)
    carded(people, Tag.objects.get(pk=tag.pk), machine)
    for _ in range(2):
        tag = Tag.objects.get(pk=tag.pk)
        piece = asked(people, tag, sent(people, tag), "clamp", "start")
        while piece.state != PieceState.FINISHED:
            piece = pass_time(piece, 60)
            if piece.state == PieceState.TURN:
                piece = asked(people, tag, piece, "clamp", "start")
        read_caliper(by(people), tag, piece)
        followed(piece)
    state = trim_state(Trim.objects.get(pk=trim.pk))
    assert len(state.clampings) == 2
    assert state.fit is not None
    assert state.fit.per_wall is not None
    assert state.fit.per_wall.low <= 0.025 <= state.fit.per_wall.high, "half of what the mill lost, on each wall"
    assert state.worn_by == pytest.approx(0.05, abs=0.02)
    assert "the mill is worn" in words(smith, f"/machines/trims/{trim.pk}")


def drilled(smith: Client, machine: Machine) -> Trim:
    smith.post(f"/machines/{machine.pk}/trim", {"family": str(family_record("capstan-five").pk)})
    return Trim.objects.latest("pk")


def measure_holes(
    smith: Client, trim: Trim, clamping: int, off: dict[str, tuple[float, float]], *, along: bool = True
) -> str:
    """Type a clamping whose holes of each row are so far off, mm: metal left too much, and along the blade."""
    typed = {}
    for cut in planned_cuts(trim):
        deep, away = off[cut.track]
        typed[f"v{cut.number}"] = f"{cut.value + deep:.4f}"
        typed |= {f"p{cut.number}": f"{cut.position + away:.4f}"} if along else {}
    posted = {"clamping": str(clamping), "typed_in": "mm", **typed}
    return " ".join(smith.post(f"/machines/trims/{trim.pk}/measured", posted, follow=True).content.decode().split())


def test_a_drill_off_its_centre_is_named_and_the_axis_put_right(smith: Client, gannet: Machine) -> None:
    trim = drilled(smith, gannet)
    assert (trim.track, trim.beside) == ("A", "C"), "holes of another drill, on whichever face"
    off = {"A": (0.040, 0.001), "C": (0.041, 0.061)}
    measure_holes(smith, trim, 1, off)
    measure_holes(smith, trim, 2, off)
    said = words(smith, f"/machines/trims/{trim.pk}")
    assert "The holes of C alone lie" in said
    assert "runs off its centre" in said
    assert "Holes of C beside those of A" in said
    smith.post(f"/machines/trims/{trim.pk}/close", {"apply": "1"})
    own = MachineOffset.objects.get(machine=gannet, gauge=trim.gauge, jaw_side=None, family_record=None)
    change = own.changes.latest("pk")
    assert change.value_after - change.value_before == pytest.approx(-0.04, abs=0.011)
    assert change.space_after == change.space_before, "the axis is not off"


def test_a_drill_set_too_long_is_told_from_the_machines_depth(smith: Client, gannet: Machine) -> None:
    trim = drilled(smith, gannet)
    for clamping in (1, 2):
        said = measure_holes(smith, trim, clamping, {"A": (0.0, 0.0), "C": (-0.045, 0.0)}, along=False)
    assert "The holes of C are" in said
    assert "deeper than those of A" in said
    assert "by touch again" in said
    fit = trim_state(Trim.objects.get(pk=trim.pk)).fit
    assert fit is not None
    assert fit.depth_adjust == 0.0
    assert fit.space_per_drill is None, "where they lie was not measured"


def test_holes_are_offered_where_a_machine_drills_and_refused_in_a_clamp(
    smith: Client, people: People, gannet: Machine
) -> None:
    assert "Capstan five" in words(smith, f"/machines/{gannet.pk}")
    tern = Machine.objects.get(name="The Tern")
    assert "Capstan five" not in words(smith, f"/machines/{tern.pk}")
    with pytest.raises(NotDone, match="do not drill holes"):
        begin_trim(people["tam"], gannet, family_record("capstan-five"), side=face_of(gannet))


def test_keys_drilled_off_centre_are_measured_and_say_which_drill(
    smith: Client, people: People, bench_machine: BenchMachine
) -> None:
    """The simulated machine's first drill runs 0.12 mm off until it is taken out; the next one runs true."""
    machine = on_the_line(bench_machine)
    for fault, value in (("caliper_sd", 0.004), ("space_offset", 0.0)):
        panel(bench_machine.port, do="inject", fault=fault, value=value)
    trim = begin_trim(people["tam"], machine, family_record("capstan-five"))
    tag = hang_test_key(people["tam"], trim)
    read_back(people["tam"], tag)
    carded(people, Tag.objects.get(pk=tag.pk), machine)
    piece = asked(people, tag, sent(people, Tag.objects.get(pk=tag.pk)), "clamp", "start")
    off = 0.12
    while piece.state != PieceState.FINISHED:
        piece = pass_time(piece, 60)
        if piece.state == PieceState.TOOL:
            piece = asked(people, tag, piece, "fit")
            panel(bench_machine.port, do="inject", fault="drill_off", value=off)
            piece, off = asked(people, tag, piece, "start"), 0.0
        elif piece.state == PieceState.TURN:
            piece = asked(people, tag, piece, "clamp", "start")
    read_caliper(by(people), tag, piece)
    followed(piece)
    fit = trim_state(Trim.objects.get(pk=trim.pk)).fit
    assert fit is not None
    assert fit.space_per_drill is not None
    assert fit.space_per_drill.value == pytest.approx(-0.12, abs=0.03)


def test_a_trim_begins_with_a_family_that_the_machine_s_own_tool_cuts(owner: Client) -> None:
    for name, tool in (("Turnstone", "drill"), ("Whimbrel", "mill"), ("Old Gannet", "wheel")):
        page = owner.get(f"/machines/{Machine.objects.get(name=name).pk}").context["families"]
        first = FamilyRecord.objects.get(pk=page[0][0]).family.tracks[0].tool
        assert first.name in {tool, *Machine.objects.get(name=name).cutters.values_list("tool", flat=True)}
        assert name == "Old Gannet" or first.name == tool
