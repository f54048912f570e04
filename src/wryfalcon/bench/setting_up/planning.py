"""The cut plan of a settlement, and what is wrong with it on this machine."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from keycore.cutting.commands import Move, moves_of
from keycore.cutting.plan import Plan, cutting_of, plan_cuts
from keycore.family import Family, Place
from keycore.tools import DiscClamp, Drill, File, Mill, Slotter, Tool, Wheel
from wryfalcon.bench.models import Settlement, SetUp, Tag
from wryfalcon.documents import parsed
from wryfalcon.machines.models import Cutter, CutterLook, JawSide

SAME = 0.005  # mm or degrees: cutters closer than this are the same
TOOLS: dict[type[Tool], Callable[[float, float], Tool]] = {
    Wheel: Wheel,
    Drill: Drill,
    Mill: lambda flat, angle: Mill(flat),
    Slotter: lambda flat, angle: Slotter(flat),
    DiscClamp: lambda flat, angle: DiscClamp(flat),
    File: lambda flat, angle: File(flat),
}
"""What a cutter of so wide a flat and such an angle is to those whose keys are cut with such a tool."""


def tool_of(tag: Tag, cutter: Cutter | None) -> Tool | None:
    """A cutter as a tool in the family's unit; None where it is the family's own: each track has its own then."""
    if cutter is None:
        return None
    own = tag.family.tracks[0].tool
    return None if own is not None and serves(tag, own, cutter) else made_tool(tag.family, cutter)


def made_tool(family: Family, cutter: Cutter | CutterLook) -> Tool:
    """What a cutter is to a kind of key, in the family's unit. InputError for a kind that is not cut from here."""
    return TOOLS[cutting_of(family).tool](family.lengths.from_machine(cutter.flat), cutter.angle)


def serves(tag: Tag, own: Tool, cutter: Cutter) -> bool:
    """Whether a cutter leaves the shape a family asks for."""
    fitted = made_tool(tag.family, cutter)
    size = tag.family.lengths.to_machine(own.size - fitted.size)
    return abs(size) < SAME and abs(getattr(own, "angle", 0.0) - getattr(fitted, "angle", 0.0)) < SAME


@dataclass(frozen=True)
class Planned:
    """All that a plan is made from: the same is planned once, and what is drawn of it is drawn once."""

    document: str
    bitting: tuple[tuple[str, tuple[str, ...]], ...]
    values: tuple[tuple[str, tuple[float, ...]], ...]
    style: str
    tool: Tool | None


def planned_of(
    tag: Tag, settlement: Settlement, *, style: str = "", cutter: Cutter | None = None,
    values: Mapping[str, Sequence[float]] | None = None,
) -> Planned:  # fmt: skip
    """What the plan of a settlement is made from, with a cutter if one is chosen."""
    assert tag.family_record is not None
    bitting = tuple((name, tuple(labels)) for name, labels in settlement.bitting.items())
    wanted = tuple((name, tuple(numbers)) for name, numbers in (values or settlement.values).items())
    return Planned(tag.family_record.document, bitting, wanted, style, tool_of(tag, cutter))


def plan_of(
    tag: Tag, settlement: Settlement, *, style: str = "", cutter: Cutter | None = None,
    values: Mapping[str, Sequence[float]] | None = None,
) -> Plan:  # fmt: skip
    """The plan of what was settled, with a cutter if one is chosen, to other ``values`` where a key has its own."""
    return plan_by(planned_of(tag, settlement, style=style, cutter=cutter, values=values))


@lru_cache(maxsize=256)
def plan_by(planned: Planned) -> Plan:
    """The plan. Raises InputError for what cannot be planned."""
    bitting, values = dict(planned.bitting), dict(planned.values)
    return plan_cuts(parsed(planned.document), bitting, planned.style, planned.tool, values=values)


def place_of(command: Mapping[str, Any]) -> Place:
    """Where a command cuts."""
    return Place(command["track"], command["space"])


@dataclass(frozen=True)
class Card:
    """The set-up card: the plan, the blank in the jaw, and every warning."""

    set_up: SetUp
    plan: Plan
    showing: float | None  # how much of the blank stands out of the jaw, family unit
    deepest: float | None  # how far below the blank's edge the tool goes, family unit; None where no jaw minds

    @property
    def offset_value(self) -> float:
        """The depth offset put in, mm: what the first cut is told less what was planned."""
        return float(self.set_up.commands[0]["value"]) - self._first.value

    @property
    def offset_space(self) -> float:
        """The position offset put in, mm."""
        return float(self.set_up.commands[0]["position"]) - self._first.position

    @property
    def _first(self) -> Move:
        return moves_of(self.plan, height=height_of(self.set_up))[0]

    @property
    def goes_too_deep(self) -> bool:
        """Whether the deepest cut goes below the top of the jaw."""
        return self.showing is not None and self.deepest is not None and self.deepest > self.showing

    @property
    def change_cutter(self) -> bool:
        """Whether another cutter is fitted than the one the card names."""
        return self.set_up.machine.fitted_id not in (None, self.set_up.cutter_id)


def card_of(tag: Tag, set_up: SetUp) -> Card:
    """Everything the card shows."""
    plan = plan_of(tag, set_up.settlement, style=set_up.style, cutter=set_up.cutter)
    return Card(set_up, plan, showing_of(tag, set_up.jaw_side), cutting_of(tag.family).reach(plan))


def height_of(card: SetUp) -> float | None:
    """The measured height of a card's blank in its family's unit; None where it was not measured."""
    return None if card.height is None else card.tag.family.lengths.from_machine(card.height)


def showing_of(tag: Tag, jaw_side: JawSide | None) -> float | None:
    """How much of a blank stands above the jaw when it is bottomed in the slot, family unit."""
    blank = tag.family.blank
    if blank is None or jaw_side is None or jaw_side.turns or tag.family.kind.is_of_faces:
        return None
    return blank.height - tag.family.lengths.from_machine(jaw_side.slot_depth)
