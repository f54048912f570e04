"""The shop itself: its people, families, blanks, cutters and machines."""

from __future__ import annotations

import json
from pathlib import Path

from django.contrib.auth.hashers import make_password

from keycore import families
from keycore.documents.family import read_family
from keycore.family import Family
from keycore.tools import Drill, File, Mill
from wryfalcon.accounts.models import Role, UnitShown, User
from wryfalcon.library.actions.families import import_family
from wryfalcon.library.actions.guide import About, bring_in_guide
from wryfalcon.library.models import Blank
from wryfalcon.machines.models import (
    Clamp,
    Closer,
    Cutter,
    DriverKind,
    Follower,
    JawSide,
    Machine,
    MachineKind,
    MachineOffset,
)

PASSWORD = "dunmere-harbour"
PEOPLE = {
    "orla": ("Orla", "Penhale", Role.OWNER),
    "tam": ("Tam", "Escott", Role.SMITH),
    "wren": ("Wren", "Hallow", Role.COUNTER),
}
RESTRICTED = {"harbour-office-six"}
BLANKS_LEFT = {
    "allotment-four": 34, "beach-hut-five": 18, "boathouse-four": 41, "chandler-ten": 9, "harbour-five": 63,
    "harbour-office-six": 27, "lighthouse-eight": 12, "net-loft-seven": 50, "pier-six": 4, "theatre-six": 22,
    "bollard-six": 16, "lantern-nine": 31, "gantry-eight": 20, "lamphouse-six": 14, "capstan-five": 11,
    "sluice-four": 3, "slipway-nine": 17,
}  # fmt: skip
"""The families of the shop, in the order of their hooks, and how many blanks hang there."""


def furnish() -> dict[str, User]:
    """Put everything in the shop that is there before a customer comes in."""
    people = {
        name: User.objects.create(
            username=name, first_name=first, last_name=last, role=role,
            unit=UnitShown.INCH, password=make_password(PASSWORD),
        )
        for name, (first, last, role) in PEOPLE.items()
    }  # fmt: skip
    for place, (family_id, left) in enumerate(BLANKS_LEFT.items()):
        document = families.shipped(family_id)
        import_family(people["orla"], json.dumps(document).encode(), restricted=family_id in RESTRICTED)
        hook = f"{'ABC'[place % 3]}{place // 3 + 1}"
        Blank.objects.filter(code=document["blank"]["code"]).update(hook=hook, left=left)
    _machines()
    guide = (Path(__file__).parent / "guide.csv").read_bytes()
    bring_in_guide(people["orla"], guide, About("Boats and buildings", "2026", "invented for this shop"))
    return people


def _machines() -> None:
    cutters = [_cutter(read_family(family_id)) for family_id in BLANKS_LEFT]
    by_name = {cutter.name: cutter for cutter in cutters}
    line = Machine.objects.create(
        name="Old Gannet",
        driver=DriverKind.BENCH,
        fitted=by_name["W-80"],
        note="Code machine by the window, on the line. Jaw sides A deep, B shallow.",
    )
    slow = Machine.objects.create(
        name="The Slip",
        driver=DriverKind.FILE,
        fitted=by_name["W-90 square"],
        depth_dial=0.01,
        space_dial=0.02,
        closer=Closer.CLOCKWISE,
        note="Hand-fed code machine in the back; takes a cut plan as a file, or is worked by its dials.",
    )
    _duplicators(by_name["W-80"])
    _by_dials(cutters)
    for machine, offsets in ((line, (0.012, -0.02)), (slow, (0.0, 0.0))):
        machine.cutters.set(each for each in cutters if each.tool != File.name)
        for name, slot_depth in (("A", 4.2), ("B", 3.2)):
            JawSide.objects.create(machine=machine, name=name, slot_depth=slot_depth)
        for gauge in ("shoulder", "tip"):
            MachineOffset.objects.create(
                machine=machine, gauge=gauge, value=offsets[0], space=offsets[1],
                why="from the last trim" if offsets[0] else "as it was delivered",
            )  # fmt: skip

    adapter = Clamp.objects.create(
        machine=line, name="Round-key adapter", space_axis="A", depth_axis="X",
        note="For keys cut around their end; put in the place of the jaw.",
    )  # fmt: skip
    JawSide.objects.create(machine=line, clamp=adapter, name="7.8", slot_depth=0.0)
    flat = Clamp.objects.create(
        machine=line, name="Face clamp", space_axis="X", depth_axis="Y",
        note="Holds a blade flat, one face up, for mills.",
    )  # fmt: skip
    for name in "12":
        JawSide.objects.create(machine=line, clamp=flat, name=name, slot_depth=0.0)
    turning = Clamp.objects.create(
        machine=line, name="Turning clamp", space_axis="X", depth_axis="A",
        note="Turns the key by itself; the probe stays clear while it does.",
    )  # fmt: skip
    JawSide.objects.create(machine=line, clamp=turning, name="flat", slot_depth=0.0)

    _for_faces(cutters)


def _for_faces(cutters: list[Cutter]) -> None:
    """A mill for walls that takes its plan as a file, and a drill for dimples that is worked by its dials."""
    by_name = {cutter.name: cutter for cutter in cutters}
    whimbrel = Machine.objects.create(
        name="Whimbrel", driver=DriverKind.FILE, fitted=by_name["Mill 1.5"],
        note="Mills walls into faces; takes a cut plan as a file.",
    )  # fmt: skip
    whimbrel.cutters.set(each for each in cutters if each.tool == Mill.name)
    flat = Clamp.objects.create(
        machine=whimbrel, name="Face clamp", space_axis="X", depth_axis="Y", note="Two faces, touched off one by one.",
    )  # fmt: skip
    for name in "12":
        JawSide.objects.create(machine=whimbrel, clamp=flat, name=name, slot_depth=0.0)
    drill = next(each for each in cutters if each.tool == Drill.name)
    turnstone = Machine.objects.create(
        name="Turnstone", driver=DriverKind.NONE, kind=MachineKind.CODE_HAND, depth_dial=0.02, space_dial=0.05,
        closer=Closer.CLOCKWISE, fitted=drill, note="Drills dimples; worked by two dials, the row set by hand.",
    )  # fmt: skip
    turnstone.cutters.set(each for each in cutters if each.tool == Drill.name)
    JawSide.objects.create(machine=turnstone, name="A", slot_depth=4.2)


def _by_dials(cutters: list[Cutter]) -> None:
    """One with two dials and no line, and an adapter for tubes."""
    auk = Machine.objects.create(
        name="Little Auk", driver=DriverKind.NONE, kind=MachineKind.CODE_HAND, depth_dial=0.02, space_dial=0.05,
        closer=Closer.CLOCKWISE, fitted=cutters[0], note="Worked by two dials, for tubular keys and a slow afternoon.",
    )  # fmt: skip
    auk.cutters.set(each for each in cutters if each.tool != File.name)
    JawSide.objects.create(machine=auk, name="A", slot_depth=4.2)
    adapter = Clamp.objects.create(
        machine=auk, name="Round-key adapter", space_axis="A", depth_axis="X",
        note="Indexed by hand; the side dial then makes the depth.",
    )  # fmt: skip
    JawSide.objects.create(machine=auk, clamp=adapter, name="7.8", slot_depth=0.0)


def _duplicators(wheel: Cutter) -> None:
    """One that traces edges, one that mills tracks in the side."""
    tern = Machine.objects.create(
        name="The Tern", driver=DriverKind.NONE, kind=MachineKind.TRACING, screw_lead=0.5, closer=Closer.CLOCKWISE,
        depth_step=0.01, fitted=wheel, note="Tracing duplicator by the door, for good keys.",
    )  # fmt: skip
    tern.cutters.add(wheel)
    Follower.objects.create(machine=tern, name="F-80", flat=wheel.flat, angle=wheel.angle, is_fitted=True)
    Follower.objects.create(machine=tern, name="F-broad", flat=wheel.flat + 0.3, angle=100.0)
    mill, _ = Cutter.objects.get_or_create(name="Mill 2.5", defaults={"flat": 2.5, "angle": 0.0, "tool": Mill.name})
    fulmar = Machine.objects.create(
        name="The Fulmar", driver=DriverKind.NONE, kind=MachineKind.SIDE_MILL, depth_step=0.02, fitted=mill,
        note="Side mill under the stairs, for keys with tracks.",
    )  # fmt: skip
    fulmar.cutters.add(mill)
    dunlin = Machine.objects.create(
        name="The Dunlin", driver=DriverKind.NONE, kind=MachineKind.SIDE_MILL, depth_step=0.02, fitted=mill,
        one_clamp=True, note="Small side mill with one clamp: pattern and new key take turns in it.",
    )  # fmt: skip
    dunlin.cutters.add(mill)
    Follower.objects.create(machine=fulmar, name="Tracer 2.5", flat=2.5, angle=0.0, is_fitted=True)


def _cutter(family: Family) -> Cutter:
    """The wheel, slotter or clamp that leaves the shape a family asks for."""
    tool = family.tracks[0].tool
    assert tool is not None
    size = round(family.lengths.to_machine(tool.size), 4)
    shape = {"flat": size, "angle": getattr(tool, "angle", 0.0), "tool": tool.name}
    return Cutter.objects.get_or_create(name=family.setup["cutter"], defaults=shape)[0]
