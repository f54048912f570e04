"""A machine's picture and what stands beside it: what is fitted, what each offset moves and which way."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from wryfalcon.drawings.machine import MachineDrawing, MachineFacts, ToolFacts, draw_machine
from wryfalcon.lengths import say_mm
from wryfalcon.machines.fittings.presenters import dial_words
from wryfalcon.machines.models import TRACES, Closer, Machine, MachineKind, MachineOffset

NO_WHEEL = ToolFacts("no wheel noted")


@dataclass(frozen=True)
class MachinePicture:
    """The drawing, what it shows in words, and what moves what."""

    drawing: MachineDrawing
    words: str
    moves: tuple[str, ...]


def machine_picture(machine: Machine, offsets: Sequence[MachineOffset], jaw: str) -> MachinePicture:
    """A machine as it stands: by the offsets of its own, not those of one side or family."""
    own = next((each for each in offsets if each.jaw_side_id is None and each.family_record_id is None), None)
    cutter, traces = machine.fitted, machine.kind in TRACES
    tool = ToolFacts(cutter.name, cutter.flat, cutter.angle) if cutter is not None else NO_WHEEL
    depth, along = (own.value, own.space) if own is not None and not traces else (0.0, 0.0)
    facts = MachineFacts(
        tool, _follower(machine) if traces else None, jaw, machine.space_axis, machine.depth_axis, depth, along
    )
    return MachinePicture(draw_machine(facts), _words(machine, facts), tuple(_moves(machine, own, traces=traces)))


def _follower(machine: Machine) -> ToolFacts:
    kept = machine.followers.filter(is_fitted=True).first()
    noun = "tracer" if machine.kind == MachineKind.SIDE_MILL else "follower"
    if kept is None:
        return ToolFacts(f"no {noun} noted", angle=0.0 if machine.kind == MachineKind.SIDE_MILL else 90.0)
    return ToolFacts(kept.name, kept.flat, kept.angle)


def _words(machine: Machine, facts: MachineFacts) -> str:
    guide = f", guided by {facts.follower.name} on the pattern" if facts.follower is not None else ""
    return f"{machine}: {facts.tool.name} over the key in its jaw{guide}"


def _moves(machine: Machine, own: MachineOffset | None, *, traces: bool) -> list[str]:
    """What the hand or the number moves."""
    said = []
    if machine.screw_lead:
        closer = Closer(machine.closer or Closer.CLOCKWISE)
        said.append(f"Depth screw: one turn {closer.label} brings it {say_mm(machine.screw_lead)} closer.")
    if not traces:
        said += [_moved("Depth offset", own.value if own else 0.0, ("shallower", "deeper"), machine.depth_dial)]
        said += [
            _moved(
                "Along the blade",
                own.space if own else 0.0,
                ("away from the gauge", "towards the gauge"),
                machine.space_dial,
            )
        ]
        if own is not None:
            said.append(f"For the {own.gauge} gauge; dashed is where it would stand without them.")
    return said


def _moved(what: str, by: float, ways: tuple[str, str], dial: float | None) -> str:
    if not by:
        return f"{what}: nothing put in."
    return f"{what} {say_mm(by, signed=True)}{dial_words(dial, by)}: {ways[0] if by > 0 else ways[1]}."
