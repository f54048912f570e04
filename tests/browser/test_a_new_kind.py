"""A kind of key that the house has never seen goes from its document to a key handed over, by keyboard."""

from __future__ import annotations

import json

import pytest

import toy_kind
from browser import stages
from browser.smith import Smith
from keycore.tools import DiscClamp
from wryfalcon.accounts.models import User
from wryfalcon.bench.models import Piece, ProofValue, Settlement, SetUp, Sighting, Tag
from wryfalcon.library.actions.families import import_family
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
    leaf = Cutter.objects.create(name="Leaf 1.27", flat=1.27, angle=90.0, tool=DiscClamp.name)
    machine.cutters.add(leaf)
    Machine.objects.filter(pk=machine.pk).update(fitted=leaf)
    return smith


def test_a_kind_goes_from_its_document_to_a_key_handed_over(vane: Smith) -> None:
    smith = vane
    smith.log_in()
    stages.hang(smith, "Weathercock", "verger, known", "Weathervane", ("Vestry", "rubs"))
    stages.type_values(smith, READ)
    kept = list(Sighting.objects.order_by("space").values_list("value", flat=True))
    assert kept == pytest.approx([65.4, 20.2, 49.7, 34.8, 64.9])
    refuse_a_length(smith)
    stages.settle_and_read_back(smith, "1 4 2 · 3 1")
    assert Settlement.objects.get().values == {"A": [65.0, 20.0, 50.0, 35.0, 65.0]}
    smith.sees("Leaf 1.27, fitted now")
    stages.make_the_card(smith, checks=3)  # a leaf key asks for three
    told = SetUp.objects.get().commands
    assert [command["clamping"] for command in told] == [1] * 5
    assert told[0]["position"] == pytest.approx(0.15 * 25.4, abs=0.05)
    smith.go(f"{smith.tag}/set-up")
    smith.sees("Angle of the leaf, °")
    smith.sees("Turned by, °")
    smith.go(f"{smith.tag}/cut")
    stages.cut(smith)
    stages.measure(smith, 2)
    smith.sees("inside")
    measured = ProofValue.objects.filter(space=2).values_list("value", flat=True)
    assert list(measured) == pytest.approx([20.0] * 2, abs=0.3)  # degrees, as they were cut
    smith.looks_right("a proof in degrees")
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


def refuse_a_length(smith: Smith) -> None:
    smith.go(f"{smith.tag}/read?track=A&cut=2")
    smith.fill("#typed", "7.65 mm")
    smith.press("Enter")
    smith.sees("is not an angle. Type it in degrees")  # a length is refused, with what would be one
    smith.go(f"{smith.tag}/read")
    assert smith.page.locator("svg.bench-drawing path.blade").count() == 1
