"""Keys of every kind cut on a stand-in whose metal is a blade, laid as the application says and otherwise."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from typing import Any

import pytest
from django.test import Client
from django.utils import timezone

from benchmachine.blade import Blade, Lain, Pass
from benchmachine.program import Crash, Table, follow
from conftest import BenchMachine
from keycore.cutting.dials import dial_steps
from keycore.proving.verdict import Verdict
from keycore.units import Unit
from web.jobs import People, asked, by, carded, followed, hang, on_the_line, panel, pass_time, sent, settled
from wryfalcon.bench.cutting.dial_walk import words_of
from wryfalcon.bench.models import Piece, PieceState, Tag
from wryfalcon.bench.proving.actions import read_caliper
from wryfalcon.bench.proving.caliper import looks_at
from wryfalcon.bench.proving.queries import proof_of
from wryfalcon.bench.setting_up.planning import plan_of
from wryfalcon.bench.setting_up.queries import hand_checks, what_holds
from wryfalcon.bench.setting_up.told import next_lay
from wryfalcon.demonstration.making import family_record
from wryfalcon.lengths import shown_in
from wryfalcon.machines.drivers import driver_of
from wryfalcon.machines.drivers.bench import BenchDriver
from wryfalcon.machines.fittings.queries import axes_of
from wryfalcon.machines.models import Machine
from wryfalcon.refusal import NotDone

pytestmark = pytest.mark.django_db

BITTINGS: dict[str, dict[str, str]] = {
    "harbour-five": {"A": "25143"},
    "chandler-ten": {"A": "1232123212"},
    "harbour-office-six": {"A": "123212", "B": "212323"},
    "lamphouse-six": {"A": "123212", "B": "212321", "S": "xyx"},
    "slipway-nine": {"A": "123454321"},
    "gantry-eight": {"A": "12321232", "B": "21232123", "C": "12123212", "D": "32123212"},
    "capstan-five": {"A": "23132", "B": "1232", "C": "abc"},
    "bollard-six": {"A": "132412"},
    "lantern-nine": {"A": "135243135"},
}
TRUE = {"noise": 0.0, "seat_sd": 0.0, "depth_offset": 0.0, "space_offset": 0.0, "jaw_angle": 0.0, "wheel_wear": 0.0,
        "caliper_sd": 0.0, "turn_noise": 0.0, "turn_offset": 0.0, "protractor_sd": 0.0}  # fmt: skip
SIDES = {"front": "front", "back": "back", "upper edge": "top", "lower edge": "bottom"}
JAWS = {"reference edge": "reference edge", "upper edge": "other edge", "front": "front", "back": "back"}


def as_said(sentence: str) -> dict[str, str]:
    """What a hand does that obeys a sentence: which side comes up, what lies at the jaw, what meets the stop."""
    up = re.search(r"(front|back|upper edge|lower edge) up", sentence)
    jaw = re.search(r"(front|back|reference edge|upper edge) at the fixed jaw", sentence)
    stop = re.search(r"(shoulder|tip|end)\b[^,]* at the stop", sentence)
    said = {"stop": stop[1] if stop else "shoulder"}
    if up and jaw:
        said |= {"up": SIDES[up[1]], "jaw": JAWS[jaw[1]]}
    return said


def ready(people: People, name: str, machine: BenchMachine) -> Tag:
    tag = hang(people, family=family_record(name))
    settled(people, tag, {track: list(labels) for track, labels in BITTINGS[name].items()})
    for fault, value in TRUE.items():
        panel(machine.port, do="inject", fault=fault, value=value)
    carded(people, tag, on_the_line(machine))
    return Tag.objects.get(pk=tag.pk)


def made(
    smith: Client, people: People, tag: Tag, *, wrong: dict[str, Any] | None = None, at: int = 1, fits: Any = None
) -> Piece:
    """The key of a tag, each lay as its page says it; the one numbered ``at`` otherwise, or another tool fitted."""
    piece, lays = sent(people, tag), 0
    for _ in range(60):
        if piece.state in (PieceState.LOADED, PieceState.TURN):
            lays += 1
            lay = next_lay(piece)
            page = " ".join(smith.get(f"/tags/{tag}/cut").content.decode().split())
            sentence = re.search(r'class="text-xl">([^<]* at the stop[^<]*)\.</p>', page)
            assert sentence is not None, piece.state
            piece = asked(people, tag, piece, "clamp")
            laid = {"do": "lay", "job": piece.job, **as_said(sentence[1].lower())}
            if wrong is not None and lays == at:
                laid |= wrong
            assert lay is not None
            assert piece.machine is not None
            panel(piece.machine.port, **laid)
            piece = asked(people, tag, piece, "start")
        elif piece.state == PieceState.TOOL:
            piece = asked(people, tag, piece, "fit")
            if fits is not None:
                assert piece.machine is not None
                line = driver_of(piece.machine)
                assert isinstance(line, BenchDriver)
                line.panel(do="fit", job=piece.job, tool=piece.next_tool, client=line.client, shape=fits)
            piece = asked(people, tag, piece, "start")
        elif piece.state == PieceState.INDEX:
            piece = asked(people, tag, piece, "index")
        elif piece.state == PieceState.FINISHED:
            break
        piece = pass_time(piece, 60)
    assert piece.state == PieceState.FINISHED
    read_caliper(by(people), tag, piece)
    return followed(piece)


def ticked(tag: Tag) -> None:
    """Every check of its card is done."""
    assert tag.set_up is not None
    tag.set_up.ticks, tag.set_up.checked_at = [check.id for check in hand_checks(tag.family)], timezone.now()
    tag.set_up.save()


def verdict(piece: Piece) -> Any:
    found = proof_of(piece.tag, piece)
    assert found is not None
    return found


@pytest.mark.parametrize("name", BITTINGS)
def test_a_key_laid_as_its_page_says_is_within_its_family_s_tolerance(
    smith: Client, people: People, bench_machine: BenchMachine, name: str
) -> None:
    tag = ready(people, name, bench_machine)
    found = verdict(made(smith, people, tag))
    assert [(c.track, c.space, c.error) for c in found.cuts if c.verdict != Verdict.INSIDE] == []


def test_a_tube_s_angles_are_judged_as_lengths_round_its_middle_circle(
    smith: Client, people: People, bench_machine: BenchMachine
) -> None:
    """0.2 degrees at 4.19 mm are 0.015 mm of the 0.076 that are allowed; 2 degrees are 0.146."""
    tag = ready(people, "bollard-six", bench_machine)
    for turned, verdicts in ((0.2, {Verdict.INSIDE}), (2.0, {Verdict.OUTSIDE})):
        panel(bench_machine.port, do="inject", fault="turn_offset", value=turned)
        assert {cut.verdict for cut in verdict(made(smith, people, tag)).cuts} == verdicts
        tag.pieces.update(state=PieceState.SPOILT)


WRONG: list[tuple[str, int, dict[str, Any]]] = [
    ("chandler-ten", 2, {"up": "top", "jaw": "front"}),  # not turned over
    ("harbour-office-six", 2, {"up": "top", "jaw": "front"}),
    ("lamphouse-six", 2, {"up": "front", "jaw": "reference edge"}),
    ("lamphouse-six", 2, {"up": "back", "jaw": "reference edge"}),  # rolled over its tip
    ("lamphouse-six", 3, {"up": "bottom", "jaw": "back"}),  # turned the other way
    ("gantry-eight", 2, {"up": "front", "jaw": "reference edge"}),
    ("gantry-eight", 1, {"jaw": "other edge"}),  # swung end for end
    ("capstan-five", 2, {"up": "front", "jaw": "reference edge"}),
    ("capstan-five", 1, {"up": "back", "jaw": "other edge"}),
    ("capstan-five", 2, {"stop": "tip"}),
    ("bollard-six", 1, {"index": 55.0}),  # another slot at the dot
    ("bollard-six", 1, {"backwards": True}),
    ("lantern-nine", 1, {"up": "back", "jaw": "other edge"}),
    ("harbour-five", 1, {"stop": "tip"}),
]


@pytest.mark.parametrize(("name", "at", "wrong"), WRONG)
def test_a_key_that_lies_otherwise_once_is_found_out_by_its_proof(
    smith: Client, people: People, bench_machine: BenchMachine, name: str, at: int, wrong: dict[str, Any]
) -> None:
    tag = ready(people, name, bench_machine)
    assert verdict(made(smith, people, tag, wrong=wrong, at=at)).verdict == Verdict.OUTSIDE


def test_the_other_drill_is_found_out(smith: Client, people: People, bench_machine: BenchMachine) -> None:
    """The small drill in the chuck for the large holes: their seats are not there."""
    tag = ready(people, "capstan-five", bench_machine)
    piece = made(smith, people, tag, fits={"size": 0.4, "angle": 40.0})
    outside = {cut.track for cut in verdict(piece).cuts if cut.verdict == Verdict.OUTSIDE}
    assert outside >= {"A", "B"}


def test_a_blank_that_is_low_shifts_its_whole_back_by_as_much(
    smith: Client, people: People, bench_machine: BenchMachine
) -> None:
    tag = ready(people, "gantry-eight", bench_machine)
    low = {"blank": {"length": 25.0, "height": 8.52, "thickness": 2.6}}
    cuts = verdict(made(smith, people, tag, wrong=low)).cuts
    found = {name: sum(cut.error for cut in cuts if cut.track == name and cut.error is not None) / 8 for name in "ABCD"}
    assert found["A"] == pytest.approx(0.0, abs=0.03)
    assert found["C"] - found["A"] == pytest.approx(-0.08, abs=0.04)


def test_a_back_is_told_by_the_height_that_was_measured_of_this_blank(
    smith: Client, people: People, bench_machine: BenchMachine
) -> None:
    """The card says whose height it takes; once it is measured the walls of a low blank stand where they should."""
    tag = ready(people, "gantry-eight", bench_machine)
    assert "The table’s, assumed." in smith.get(f"/tags/{tag}/set-up").content.decode()
    refused = smith.post(f"/tags/{tag}/set-up/height", {"height": "6", "typed_in": "mm"}, follow=True)
    assert "is no blank of this family" in refused.content.decode()
    smith.post(f"/tags/{tag}/set-up/height", {"height": "8.52", "typed_in": "mm"})
    tag = Tag.objects.get(pk=tag.pk)
    assert tag.set_up is not None
    assert tag.set_up.height == 8.52
    assert tag.set_up.checked_at is None  # other figures: the checks are done anew
    assert "As measured." in smith.get(f"/tags/{tag}/set-up").content.decode()
    ticked(tag)
    low = {"blank": {"length": 25.0, "height": 8.52, "thickness": 2.6}}
    assert verdict(made(smith, people, tag, wrong=low)).verdict == Verdict.INSIDE


def test_what_was_measured_of_one_blank_says_nothing_of_the_next(
    smith: Client, people: People, bench_machine: BenchMachine
) -> None:
    """It stays through another fitting as long as that blank is there, and is asked anew for the next one."""
    tag = ready(people, "gantry-eight", bench_machine)
    smith.post(f"/tags/{tag}/set-up/height", {"height": "8.52", "typed_in": "mm"})
    smith.post(f"/tags/{tag}/set-up/anew")
    tag = Tag.objects.get(pk=tag.pk)
    assert tag.set_up is not None
    assert tag.set_up.height == 8.52
    ticked(tag)
    made(smith, people, tag)
    tag.quantity = 2
    tag.save()
    with pytest.raises(NotDone, match="is that of the blank before"):
        sent(people, tag)
    assert "That of the blank before" in smith.get(f"/tags/{tag}/set-up").content.decode()
    smith.post(f"/tags/{tag}/set-up/anew")
    tag = Tag.objects.get(pk=tag.pk)
    assert tag.set_up is not None
    assert tag.set_up.height is None
    ticked(tag)
    assert sent(people, tag).state == PieceState.LOADED


def test_an_edge_key_needs_no_height(smith: Client, people: People, bench_machine: BenchMachine) -> None:
    tag = ready(people, "harbour-five", bench_machine)
    assert "This blank’s height" not in smith.get(f"/tags/{tag}/set-up").content.decode()


# --- the same by its program ------------------------------------------------------------------------

TOOLS = {"wheel": "wheel", "drill": "drill", "mill": "mill", "slotter": "slotter", "disc clamp": "disc"}


def fit(words: str, table: Table) -> None:
    """What a hand fits that obeys: the tool of this name, size and angle."""
    named = re.search(r"(wheel|drill|mill|slotter|disc clamp) ([\d.]+) mm(?:, ([\d.]+)°)?", words)
    if named:
        table.tool, table.size = TOOLS[named[1]], float(named[2])
        table.angle = float(named[3] or 90.0)


def obey(sentence: str, table: Table) -> None:
    """A hand that does what a program's stop says."""
    if "feed to the stop" in sentence:
        table.feed()
    fit(sentence, table)
    if turned := re.search(r"turn the index (\w+) to its dot for slot \d+, ([\d.]+)°", sentence):
        table.index = float(turned[2])
    if "at the stop" in sentence and "index" not in sentence:
        table.lain = Lain(**as_said(sentence))


def by_program(
    smith: Client, tag: Tag, hand: Callable[[str, Table], None] = obey, *, wrong_tool: str = ""
) -> tuple[dict[str, tuple[float, float]], list[str]]:
    """A key cut by its G-code, read out to a hand: what the caliper finds of each cut, and what the hand was told."""
    assert tag.set_up is not None
    blank, family = tag.family.blank, tag.family
    assert blank is not None
    to_mm = family.lengths.to_machine
    axes = axes_of(tag.set_up.machine, tag.set_up.jaw_side)
    table = Table(
        Blade(to_mm(blank.length), to_mm(blank.height), to_mm(blank.thickness)), axes.space, axes.depth,
        counts_from=str(family.gauge), is_halved=family.is_across,
    )  # fmt: skip
    text = smith.post(f"/tags/{tag}/set-up/plan.nc").content.decode()
    fit(wrong_tool or text.splitlines()[1], table)
    table.index = family.tracks[0].spaces[0]
    said = follow(text, table, hand)
    looks = looks_at(Piece(tag=tag, set_up=tag.set_up))
    return {place: table.blade.read(look) for place, look in looks.items()}, said


def errors(tag: Tag, read: dict[str, tuple[float, float]]) -> list[float]:
    """How far each cut is off its depth, in tolerances."""
    family, card = tag.family, tag.set_up
    assert card is not None
    assert family.tolerance is not None
    assert tag.settlement is not None
    left = {c["place"]: family.depth.from_machine(read[c["place"]][1]) for c in card.commands}
    wanted = {c["place"]: tag.settlement.values[c["track"]][c["space"] - 1] for c in card.commands}
    return [abs(left[place] - wanted[place]) / family.tolerance.value for place in left]


@pytest.mark.parametrize("name", BITTINGS)
def test_a_program_followed_to_the_letter_makes_the_key(
    smith: Client, people: People, bench_machine: BenchMachine, name: str
) -> None:
    tag = ready(people, name, bench_machine)
    read, said = by_program(smith, tag)
    assert max(errors(tag, read)) < 0.9
    assert sum("at the stop" in each for each in said) == len(plan_of(tag, tag.settlement).lays)  # none for a track


def rolled_over(sentence: str) -> str:
    """The same said wrongly: what comes up as it should, and the other edge or face at the jaw."""
    other = {"reference edge": "upper edge", "upper edge": "reference edge", "front": "back", "back": "front"}
    at_jaw = r"(reference edge|upper edge|front|back)(?= at the fixed jaw)"
    return re.sub(at_jaw, lambda found: other[found[1]], sentence)


WRONGS: list[Callable[[str], str]] = [lambda sentence: "", rolled_over]
"""What a hand does instead of what one stop says: nothing, or the key rolled over its tip."""


def is_noticed(smith: Client, tag: Tag, hand: Callable[[str, Table], None]) -> bool:
    """Whether a key made by this hand is out by more than its tolerance, or never made."""
    try:
        read, _ = by_program(smith, tag, hand)
    except Crash:
        return True
    return max(errors(tag, read)) > 1


@pytest.mark.parametrize("name", ["chandler-ten", "lamphouse-six", "gantry-eight", "capstan-five", "bollard-six"])
def test_a_program_with_one_stop_done_wrongly_is_found_out(
    smith: Client, people: People, bench_machine: BenchMachine, name: str
) -> None:
    tag = ready(people, name, bench_machine)
    _, said = by_program(smith, tag)
    for place, sentence in enumerate(said):
        for wrong in WRONGS:
            if wrong(sentence) == sentence or (place == 0 and not wrong(sentence)):
                continue  # nothing of it is turned; as it is first laid it lies before anybody acts
            stops = iter(range(len(said)))

            def hand(
                told: str, table: Table, stops: Iterator[int] = stops, place: int = place, wrong: Any = wrong
            ) -> None:
                obey(wrong(told) if next(stops) == place else told, table)

            assert is_noticed(smith, tag, hand), (sentence, wrong(sentence))


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("M3\nG4 P2\nG0 Z10\nG0 X4\nG0 Z7", "into metal in haste"),
        ("M3\nG4 P2\nG0 Z10\nG0 X4\nG1 Z7\nG1 X5", "sideways in metal"),
        ("G0 Z10\nG0 X4\nG1 Z7", "with the spindle off"),
        ("M3\nG0 Z10", "before the spindle runs"),
        ("M3\nG4 P2\nM0 (turn it over)", "while the spindle runs"),
        ("M5\nM0 (turn it over)", "before the spindle stands"),
    ],
)
def test_a_program_that_would_break_something_is_not_followed(text: str, says: str) -> None:
    table = Table(Blade(27.0, 8.4, 2.2), lain=Lain("top", "front"))
    with pytest.raises(Crash, match=says):
        follow(text, table, lambda said, at: None)


def test_a_mill_that_plunges_or_reaches_past_the_shoulder_is_not_followed() -> None:
    for text, says in (
        ("M3\nG4 P2\nG0 Z2\nG0 X10 Y4\nG1 Z-0.8", "plunges into metal"),
        ("M3\nG4 P2\nG0 Z2\nG0 X30 Y4\nG1 Z-0.8\nG1 X0.5", "past the shoulder"),
    ):
        with pytest.raises(Crash, match=says):
            follow(text, Table(Blade(27.0, 8.4, 2.2), tool="mill", size=1.5, depth="Y"), lambda said, at: None)


def test_a_wall_is_milled_with_its_metal_to_the_left_of_travel(
    smith: Client, people: People, bench_machine: BenchMachine
) -> None:
    """Against the cutter's turning: the last way along each wall, as the moves of the program go."""
    tag = ready(people, "gantry-eight", bench_machine)
    text = smith.post(f"/tags/{tag}/set-up/plan.nc").content.decode()
    for part, metal in zip(text.split("(lay ")[1:], ("above", "below", "below", "above"), strict=True):
        xs = [float(found[1]) for found in re.finditer(r"^G1 X(-?[\d.]+)", part, re.M)]
        assert (xs[-1] > xs[-2]) == (metal == "above"), part[:20]


# --- and by its walk at the dials -------------------------------------------------------------------


def by_dials(tag: Tag, *, forgets: str = "") -> dict[str, tuple[float, float]]:
    """A key cut by its walk, each step read out to a hand; one that ``forgets`` does not do the steps so begun."""
    family, blank = tag.family, tag.family.blank
    assert blank is not None
    assert tag.set_up is not None
    to_mm, machine = family.lengths.to_machine, Machine(name="Dials")
    table = Table(
        Blade(to_mm(blank.length), to_mm(blank.height), to_mm(blank.thickness)), counts_from=str(family.gauge),
        is_halved=family.is_across, tool="wheel", size=0.5, at={"Y": 0.0},
    )  # fmt: skip
    steps = [
        {"act": s.act, "track": s.place.track if s.place else "", "space": s.place.space if s.place else 0,
         "reading": s.reading, "lower": s.is_lower, "words": s.words}
        for s in dial_steps(plan_of(tag, tag.settlement))
    ]  # fmt: skip
    mm, along = re.compile(r"([\d.]+) mm"), 0.0
    with shown_in(Unit.MILLIMETRE):
        told = [words_of(step, machine, steps) for step in steps]
    for says, how in told:
        if forgets and says.startswith(forgets):
            continue
        found = mm.search(says)
        if says.startswith("This is on"):
            fit(says, table)
        if "at the stop" in how and "index" not in how:
            table.lain = Lain(**as_said(how))
        if "set the row" in says and found:
            table.at["Y"] = float(found[1])
        if "index to dot" in says:
            table.index = family.tracks[0].spaces[int(says.rsplit(" ", 1)[1]) - 1]
        if "along to" in says and found:
            along = float(found[1])
        if re.search(r"(in|side dial) to", says) and found:
            deep = float(found[1])
            if table.tool == "slotter":
                table.blade.passes.append(Pass("slotter", "", table.index, deep=deep))
                continue
            x = table.blade.along(table.lain, along, table.counts_from)
            across = table.blade.across(table.lain, table.at["Y"])
            sunk = deep / 2 if table.is_halved else deep
            table.blade.passes.append(Pass(table.tool, table.lain.up, x, across, sunk, table.size, table.angle))
    looks = looks_at(Piece(tag=tag, set_up=tag.set_up))
    return {place: table.blade.read(look) for place, look in looks.items()}


@pytest.mark.parametrize("name", ["harbour-five", "chandler-ten", "harbour-office-six", "capstan-five", "bollard-six"])
def test_a_walk_at_the_dials_followed_to_the_letter_makes_the_key(
    people: People, bench_machine: BenchMachine, name: str
) -> None:
    tag = ready(people, name, bench_machine)
    assert max(errors(tag, by_dials(tag))) < 0.9


@pytest.mark.parametrize(
    ("name", "forgets"),
    [("capstan-five", "Track A: set the row"), ("capstan-five", "This is on: drill 1.2"), ("bollard-six", "This is on"),
     ("bollard-six", "Cut 3: index"), ("bollard-six", "Cut 2: side dial")],
)  # fmt: skip
def test_a_step_at_the_dials_that_is_not_done_is_found_out(
    people: People, bench_machine: BenchMachine, name: str, forgets: str
) -> None:
    tag = ready(people, name, bench_machine)
    assert max(errors(tag, by_dials(tag, forgets=forgets))) > 1


def test_a_card_whose_back_was_told_like_its_front_no_longer_holds(people: People, bench_machine: BenchMachine) -> None:
    """As cards were made before: the wall's own value for what lies away from the jaw."""
    tag = ready(people, "gantry-eight", bench_machine)
    card = tag.set_up
    assert card is not None
    assert not what_holds(tag, card).lapses
    for command in card.commands:
        if command["track"] in "CD":
            command["value"] = 8.6 - command["value"]
    card.save()
    assert what_holds(tag, card).to_remake
