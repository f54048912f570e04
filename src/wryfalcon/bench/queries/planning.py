"""The cut plan of a settlement, and what is wrong with it on this machine."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from keycore.cutting.plan import Plan, PlannedCut, Problem, plan_cuts
from keycore.family import Cut
from keycore.units import Unit, convert
from wryfalcon.bench.models import Settlement, SetUp, Tag
from wryfalcon.documents import parsed
from wryfalcon.machines.models import Cutter, JawSide

SAME = 0.005  # mm or degrees: cutters closer than this are the same wheel


def cut_of(tag: Tag, cutter: Cutter | None) -> Cut | None:
    """A cutter's shape in the family's unit; the family's own where it is the same wheel."""
    if cutter is None:
        return None
    own = tag.family.tracks[0].cut
    fitted = Cut(convert(cutter.flat, Unit.MILLIMETRE, tag.family.unit), cutter.angle)
    if own is not None and is_same_wheel(tag, own, cutter):
        return own
    return fitted


def is_same_wheel(tag: Tag, own: Cut, cutter: Cutter) -> bool:
    """Whether a cutter leaves the shape a family asks for."""
    flat = convert(own.flat, tag.family.unit, Unit.MILLIMETRE)
    return abs(flat - cutter.flat) < SAME and abs(own.angle - cutter.angle) < SAME


def plan_of(tag: Tag, settlement: Settlement, *, style: str = "plunged", cutter: Cutter | None = None) -> Plan:
    """The plan of what was settled, with a cutter if one is chosen."""
    assert tag.family_record is not None
    bitting = tuple((name, tuple(labels)) for name, labels in settlement.bitting.items())
    values = tuple((name, tuple(numbers)) for name, numbers in settlement.values.items())
    return _plan(tag.family_record.document, bitting, values, style, cut_of(tag, cutter))


@lru_cache(maxsize=256)
def _plan(
    document: str,
    bitting: tuple[tuple[str, tuple[str, ...]], ...],
    values: tuple[tuple[str, tuple[float, ...]], ...],
    style: str,
    cut: Cut | None,
) -> Plan:
    """The same settlement is planned once."""
    return plan_cuts(
        parsed(document), dict(bitting), "ramped" if style == "ramped" else "plunged", cut, values=dict(values)
    )


@dataclass(frozen=True)
class Card:
    """The set-up card: the plan, the blank in the jaw, and every warning."""

    set_up: SetUp
    plan: Plan
    problems: tuple[Problem, ...]
    showing: float | None  # how much of the blank stands out of the jaw, family unit

    @property
    def offset_value(self) -> float:
        """The depth offset put in, mm: what the first cut is told less what was planned."""
        command, cut = self._first
        return float(command["value"]) - convert(cut.value, self.plan.family.unit, Unit.MILLIMETRE)

    @property
    def offset_space(self) -> float:
        """The position offset put in, mm."""
        command, cut = self._first
        return float(command["position"]) - convert(cut.from_gauge, self.plan.family.unit, Unit.MILLIMETRE)

    @property
    def _first(self) -> tuple[dict[str, Any], PlannedCut]:
        command = self.set_up.commands[0]
        planned = next(p for p in self.plan.tracks if p.track.name == command["track"])
        return command, planned.cuts[command["space"] - 1]

    @property
    def change_cutter(self) -> bool:
        """Whether another cutter is fitted than the one the card names."""
        return self.set_up.machine.fitted_id not in (None, self.set_up.cutter_id)


def card_of(tag: Tag, set_up: SetUp) -> Card:
    """Everything the card shows."""
    plan = plan_of(tag, set_up.settlement, style=set_up.style, cutter=set_up.cutter)
    problems = list(plan.problems)
    showing = showing_of(tag, set_up.jaw_side)
    deepest = max(cut.depth_of_cut for planned in plan.tracks for cut in planned.cuts)
    if showing is not None and deepest > showing:
        says = "The deepest cut goes below the top of the jaw: choose a shallower slot."
        problems.append(Problem("jaw", plan.tracks[0].track.name, (), says))
    return Card(set_up, plan, tuple(problems), showing)


def showing_of(tag: Tag, jaw_side: JawSide | None) -> float | None:
    """How much of a blank stands above the jaw when it is bottomed in the slot, family unit."""
    blank = tag.family.blank
    if blank is None or jaw_side is None:
        return None
    return blank.height - convert(jaw_side.slot_depth, Unit.MILLIMETRE, tag.family.unit)
