"""No value of either quantity changes on its way: typed, settled, planned, told, measured, recorded and read back."""

from __future__ import annotations

import json
from typing import Any

import pytest
from django.test import Client
from hypothesis import given, settings
from hypothesis import strategies as st

import toy_kind
from keycore.coordinate import Coordinate, Quantity
from keycore.cutting.commands import moves_of
from keycore.cutting.intent import values_to_cut
from keycore.cutting.plan import plan_cuts
from keycore.documents.family import read_family
from keycore.errors import InputError
from keycore.family import Family
from keycore.units import Unit, convert
from web.jobs import People, hang, settled
from wryfalcon.bench.models import Intent, Piece, PieceState, Sighting
from wryfalcon.bench.proving.actions import add_proof_value
from wryfalcon.bench.reading.actions import Typed, add_value
from wryfalcon.bench.settling.actions import Choice, settle
from wryfalcon.bench.tags.actions import Baseline
from wryfalcon.demonstration.making import family_record
from wryfalcon.fields import MmField
from wryfalcon.lengths import NotALength, can_measure, parse_value, say_mm, shown_in
from wryfalcon.library.actions.families import import_family
from wryfalcon.machines.models import Machine, MachineOffset
from wryfalcon.records.document import record_of
from wryfalcon.records.remake import make_again

UNITS = st.sampled_from(list(Unit))


@pytest.fixture(scope="module", autouse=True)
def with_a_kind_of_angles() -> Any:
    """Families of both quantities and both units."""
    with pytest.MonkeyPatch.context() as patched:
        toy_kind.take_in(patched)
        yield


def families() -> list[Family]:
    millimetres = {**toy_kind.DOCUMENT, "id": "weathervane-mm", "unit": "mm"}
    return [
        read_family("harbour-five"),
        read_family("boathouse-four"),
        read_family("lighthouse-eight"),
        read_family(toy_kind.DOCUMENT),
        read_family(millimetres),
    ]


def typed_as(depth: Coordinate, value: float, shop: Unit, named: bool) -> str:
    """What a smith types who works in a unit, with it or without."""
    if not depth.is_length:
        return f"{value:.6f}{'°' if named else ''}"
    return f"{convert(value, depth.unit, shop):.8f}{f' {shop}' if named else ''}"


@settings(max_examples=150)
@given(st.integers(0, 4), st.floats(0.02, 0.98), UNITS, st.booleans())
def test_a_value_is_the_same_from_the_entry_to_the_machine_and_back(
    which: int, share: float, shop: Unit, named: bool
) -> None:
    family = families()[which]
    track, depth = family.tracks[0], family.depth
    low, high = can_measure(family, track)
    uncut = family.kind.uncut(family, track)
    value = min(low + share * (high - low), uncut if uncut is not None else high)
    kept = parse_value(typed_as(depth, value, shop, named), shop, depth, (low, high)).value
    assert kept == pytest.approx(value, abs=1e-6)
    steps = (0,) * len(track.spaces)
    values = values_to_cut(family, track, steps, as_measured=[kept] * len(track.spaces))
    assert values == pytest.approx([min(kept, uncut)] * len(values) if uncut else [kept] * len(values), abs=1e-15)
    labels = [track.labels[0]] * len(track.spaces)
    plan = plan_cuts(family, {track.name: labels}, values={track.name: values})
    assert [cut.value for cut in plan.tracks[0].cuts] == list(values)
    for move in moves_of(plan):
        planned = plan.tracks[0].cuts[move.place.space - 1]
        assert depth.from_machine(move.value) == pytest.approx(planned.value, rel=1e-12)
        assert family.space.from_machine(move.position) == pytest.approx(planned.from_gauge, rel=1e-12)
        assert move.value == (planned.value if not depth.is_length else convert(planned.value, family.unit, Unit("mm")))
    assert json.loads(json.dumps(values)) == list(values)


@settings(max_examples=60)
@given(st.floats(-720, 720))
def test_an_angle_that_goes_round_is_the_same_place_a_whole_turn_later(angle: float) -> None:
    turned = Coordinate("angle of the cut", Quantity.ANGLE, is_round=True)
    moved = turned.near(angle, 0.0, 90.0)
    assert -135.0 - 1e-9 <= moved <= 225.0 + 1e-9
    assert (moved - angle) % 360.0 == pytest.approx(0.0, abs=1e-9) or (moved - angle) % 360.0 == pytest.approx(360.0)


def test_lengths_and_angles_are_never_taken_for_each_other() -> None:
    length, angle = Coordinate("left at the root", unit=Unit.INCH), Coordinate("angle", Quantity.ANGLE)
    with pytest.raises(NotALength, match="is not an angle"):
        parse_value("0.301 in", Unit.INCH, angle)
    with pytest.raises(NotALength, match="is not a length"):
        parse_value("36°", Unit.INCH, length)
    with pytest.raises(InputError, match="lengths cannot be carried over as angles"):
        length.carried_to(angle, 0.3)
    with pytest.raises(InputError, match="measured in degrees"):
        angle.of_inches(0.001)


@pytest.mark.parametrize("unit", ["in", "mm"])
@pytest.mark.parametrize("document", [None, toy_kind.DOCUMENT], ids=["lengths", "angles"])
@pytest.mark.django_db
def test_a_value_is_the_same_in_the_record_and_in_the_key_made_again(
    people: People, document: dict[str, Any] | None, unit: str
) -> None:
    """Through the database, by the same actions that the pages call."""
    record = (
        family_record("harbour-five")
        if document is None
        else import_family(people["orla"], json.dumps(document).encode())
    )
    tag = hang(people, family=record, locks=[Baseline("Vestry", "", "rubs", "")])
    family = tag.family
    track = family.tracks[0]
    steps = [n % len(track.depths) for n in range(5)]
    asked = [track.values[step] * 0.999 for step in steps]
    for space, value in enumerate(asked, start=1):
        text = typed_as(family.depth, value, Unit(unit), named=False)
        add_value(people["tam"], tag, Typed("A", space, text, Unit(unit)))
    seen = list(Sighting.objects.order_by("space").values_list("value", flat=True))
    assert seen == pytest.approx(asked, abs=1e-6)
    labels = [track.labels[step] for step in steps]
    choice = Choice({"A": labels}, intent=Intent.COPY, as_measured={"A": seen})
    settlement = settle(people["tam"], tag, choice)
    assert settlement.values["A"] == pytest.approx(seen, rel=1e-15)
    piece = Piece.objects.create(tag=tag, settlement=settlement, job="by-hand", state=PieceState.FINISHED)
    text = typed_as(family.depth, asked[0], Unit(unit), named=True)
    add_proof_value(people["tam"], tag, piece, Typed("A", 1, text, Unit(unit)))
    assert piece.proof_values.get().value == pytest.approx(asked[0], abs=1e-6)
    text = json.dumps(record_of(tag))
    again = make_again(people["tam"], text.encode(), authority="known")
    assert again.settlement is not None
    assert again.settlement.values == settlement.values
    assert json.loads(text)["keys"][0]["measured"][0]["value"] == piece.proof_values.get().value


@pytest.mark.parametrize("unit", list(Unit))
@given(st.integers(-3000, 3000))
@settings(max_examples=40)
def test_what_a_form_of_the_machine_room_shows_comes_back_as_it_was(unit: Unit, microns: int) -> None:
    """Offsets are kept to a ten-thousandth of a millimetre, whatever unit they are shown in."""
    field, mm = MmField(label="Depth"), microns / 1000
    with shown_in(unit):
        assert field.clean(field.prepare_value(mm)) == mm


def test_a_page_that_was_shown_in_another_unit_is_understood_as_it_was_shown(owner: Client, people: People) -> None:
    """The unit is changed in a second tab while an offset is typed in the first."""
    machine = Machine.objects.get(name="Old Gannet")
    page = owner.get(f"/machines/{machine.pk}/particulars").content.decode()
    assert 'name="typed_in" value="in"' in page
    people["orla"].unit = "mm"
    people["orla"].save()
    posted = {"gauge": "shoulder", "value": "0.002", "space": "0", "why": "three keys", "typed_in": "in"}
    owner.post(f"/machines/{machine.pk}/offset", posted)
    own = MachineOffset.objects.get(machine=machine, gauge="shoulder", jaw_side=None, family_record=None)
    assert own.value == pytest.approx(0.0508)


def test_inches_chosen_are_inches_in_what_is_said(owner: Client, people: People) -> None:
    """Every page of the machine room, its forms and its drawings."""
    machine = Machine.objects.get(name="Old Gannet")
    MachineOffset.objects.filter(machine=machine).update(value=0.0508)
    settled(people, hang(people))
    pages = [f"/machines/{machine.pk}{part}" for part in ("", "/fitted", "/particulars", "/course", "/care")]
    for page in ["/machines/", "/machines/hands", *pages]:
        said = owner.get(page).content.decode().split("<main", 1)[-1]
        assert " mm" not in said.replace("7.65 mm too", ""), page
    said = owner.get(f"/machines/{machine.pk}").content.decode()
    assert "0.0020" in said  # 0.0508 mm
    people["orla"].unit = "mm"
    people["orla"].save()
    assert "0.051" in owner.get(f"/machines/{machine.pk}").content.decode()
    with shown_in(Unit.INCH):
        assert say_mm(0.0508) == "0.0020 in"
