"""A kind of key that the house has never seen goes from its document to a key handed over, by keyboard."""

from __future__ import annotations

import json

import pytest
from playwright.sync_api import expect

import toy_kind
from browser.smith import Smith
from wryfalcon.accounts.models import User
from wryfalcon.bench.models import Piece, ProofValue, Settlement, SetUp, Sighting, Tag
from wryfalcon.library.actions import import_family
from wryfalcon.machines.models import Cutter, Machine
from wryfalcon.records.document import record_of

BITTING = ["1", "4", "2", "3", "1"]
READ = ["65.4", "20.2°", "49,7", "394.8", "64.9"]  # the fourth a whole turn too far
ANGLES = {"1": 65.0, "2": 50.0, "3": 35.0, "4": 20.0}


@pytest.fixture
def vane(smith: Smith, monkeypatch: pytest.MonkeyPatch) -> Smith:
    """A shop whose library has a family of the new kind, and a cutter for it on its machine."""
    toy_kind.take_in(monkeypatch)
    orla = User.objects.get(username="orla")
    record = import_family(orla, json.dumps(toy_kind.DOCUMENT).encode(), restricted=False)
    record.blanks.update(left=4)
    machine = Machine.objects.get(driver="bench")
    leaf = Cutter.objects.create(name="Leaf 1.27", flat=1.27, angle=90.0)
    machine.cutters.add(leaf)
    Machine.objects.filter(pk=machine.pk).update(fitted=leaf)
    return smith


def test_a_kind_goes_from_its_document_to_a_key_handed_over(vane: Smith) -> None:
    smith = vane
    smith.log_in()
    take_in(smith)
    read(smith)
    settle(smith)
    set_up(smith)
    cut(smith)
    prove(smith)
    smith.go_on()
    smith.is_at(f"{smith.tag}/hand-over")
    smith.sees("1 of 1 key proven")
    smith.go_on()
    smith.sees("handed over")
    tag = Tag.objects.get(number=401)
    assert tag.state == "closed"
    assert record_of(tag)["key"]["bitting"] == {"A": BITTING}
    angles = [cut["value"] for cut in Piece.objects.get().cuts]
    assert angles == pytest.approx([ANGLES[label] - 0.012 for label in BITTING], abs=0.2)


def take_in(smith: Smith) -> None:
    smith.press("n")
    smith.is_at("/tags/new")
    smith.fill("#id_title", "Weathercock")
    smith.fill("#id_customer", "Saltmarsh Players")
    smith.fill("#id_authority", "verger, known")
    smith.choose("#id_family", "Weathervane")
    smith.fill("#id_locks-0-name", "Vestry")
    smith.choose("#id_locks-0-turns", "rubs")
    smith.press_button("Hang the tag")
    smith.sees("Cut 1 of 5")
    smith.remember_tag()


def read(smith: Smith) -> None:
    for place, value in enumerate(READ, start=1):
        smith.sees(f"Cut {place} of 5, counted from the bow")
        smith.reach("#typed")
        smith.page.keyboard.type(value)
        smith.press("Enter")
    expect(smith.page.get_by_label("Values typed")).to_contain_text("64.9")
    kept = list(Sighting.objects.order_by("space").values_list("value", flat=True))
    assert kept == pytest.approx([65.4, 20.2, 49.7, 34.8, 64.9])
    smith.go(f"{smith.tag}/read?track=A&cut=2")
    smith.fill("#typed", "7.65 mm")
    smith.press("Enter")
    smith.sees("is not an angle. Type it in degrees")  # a length is refused, with what would be one
    smith.go(f"{smith.tag}/read")
    assert smith.page.locator("svg.bench-drawing path.blade").count() == 1


def settle(smith: Smith) -> None:
    smith.go_on()
    smith.sees("99 in 100 for the whole bitting")
    smith.go_on()
    smith.sees("1 4 2 · 3 1")
    smith.go_on()
    smith.is_at(f"{smith.tag}/set-up")
    assert Settlement.objects.get().values == {"A": [65.0, 20.0, 50.0, 35.0, 65.0]}


def set_up(smith: Smith) -> None:
    smith.sees("Leaf 1.27, fitted now")
    smith.go_on()
    smith.sees("Set-up card")
    smith.sees("Angle of the leaf, °")
    smith.sees("Turned by, °")
    for _ in range(3):  # a leaf key asks for three checks by hand
        smith.press("Tab")
        smith.reach("input[name=tick]:not(:checked)")
        smith.press("Space")
    smith.go_on()
    smith.is_at(f"{smith.tag}/cut")
    told = SetUp.objects.get().commands
    assert [command["clamping"] for command in told] == [1] * 5
    assert told[0]["position"] == pytest.approx(0.15 * 25.4, abs=0.05)


def cut(smith: Smith) -> None:
    if smith.page.get_by_text("Home the machine").count():
        smith.press_button("Home the machine")
        smith.sees("Send key 1")
    for then in ("at the machine, to be clamped", "clamped, ready to start", "5 of 5 cuts"):
        smith.go_on()
        smith.sees(then)


def prove(smith: Smith) -> None:
    smith.go_on()
    smith.sees("Key 1")
    for readings in range(1, 3):
        smith.press_button("Read the machine's caliper")
        expect(smith.page.locator("td[data-readings]").first).to_have_text(str(readings), timeout=15_000)
    smith.sees("inside")
    measured = ProofValue.objects.filter(space=2).values_list("value", flat=True)
    assert list(measured) == pytest.approx([20.0] * 2, abs=0.3)  # degrees, as they were cut
    smith.looks_right("a proof in degrees")
