"""A kind of key made up for tests, to prove that the house takes one in: leaves turned to angles along a stem.

A space is a length along the stem, a depth is how far a leaf still stands up, in degrees; deeper is less. It has what
a kind has: a module (this one), a drawing and a part of the documents, and nothing else knows of it.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from math import degrees, radians, sin
from typing import Annotated, Any, Literal

import numpy as np
import pytest
from pydantic import Field

import keycore.documents.kinds
import keycore.kinds
import wryfalcon.drawings.kinds
from keycore.coordinate import Coordinate, Quantity
from keycore.cutting.commands import Move
from keycore.cutting.lay import no_lays
from keycore.cutting.plan import Plan, PlannedCut, TrackPlan, checked_blank, rules_broken
from keycore.documents.kinds import DocumentPart
from keycore.documents.models.base import Document, Positive
from keycore.documents.models.family import FamilyModel, TrackModel
from keycore.documents.models.plan import PlanModel
from keycore.errors import InputError
from keycore.family import Family, Place, Track
from keycore.geometry.shape import Curve, Points, Shape, Spot, View
from keycore.kind import Clamping, Column, Cutting, HandCheck, Kind, RestsOn, Surface
from keycore.kinds.causes import CAUSES
from keycore.kinds.handling import CUTTER, GLASSES
from keycore.tools import DiscClamp, Tool
from wryfalcon.drawings.kinds import KeyLook
from wryfalcon.drawings.paper import BOW_LEFT
from wryfalcon.drawings.sheet import Sheet, path

VANE = "vane"
UPRIGHT = 90.0  # degrees: a leaf that is not turned yet

DOCUMENT: dict[str, Any] = {
    "format": "wry-falcon.family/1", "id": "weathervane-five", "name": "Weathervane five", "maker": "invented",
    "kind": VANE, "unit": "in", "gauge": "shoulder", "numbered_from": "bow",
    "blank": {"code": "WV5", "height": 0.32, "thickness": 0.09, "length": 0.9},
    "tracks": [{
        "name": "A", "spaces": [0.15, 0.28, 0.41, 0.54, 0.67],
        "depths": [{"label": str(n), "value": 80.0 - 15 * n} for n in range(1, 5)],
        "leaf": {"width": 0.05}, "macs": 3}],
    "tolerance": {"value": 1.5, "space": 0.004}, "play": {"high": 2.5, "low": 2.5}, "entry": "one",
    "source": "invented for the tests of the house",
}  # fmt: skip


class LeafModel(Document):
    width: Positive


class VaneTrackModel(TrackModel):
    leaf: LeafModel | None = None


class VaneFamilyModel(FamilyModel):
    kind: Literal["vane"]  # type: ignore[assignment]
    tracks: Annotated[list[VaneTrackModel], Field(min_length=1)]  # type: ignore[assignment]


class VanePlanModel(PlanModel):
    style: Literal["turned"]  # type: ignore[assignment]
    cutter: None = None


def _tool(track: Track, tool: Tool | None) -> DiscClamp:
    fitted = tool or track.tool
    if not isinstance(fitted, DiscClamp):
        raise InputError(f"family.tracks.{track.name}.leaf", "needed to plan a key")
    return fitted


def plan(
    family: Family, bitting: Mapping[str, Sequence[str]], style: str, tool: Tool | None,
    values: Mapping[str, Sequence[float]],
) -> Plan:  # fmt: skip
    tracks, problems = [], []
    for name, labels in bitting.items():
        track = family.track(name)
        _tool(track, tool)
        cuts = tuple(
            PlannedCut(n, label, x, abs(x - before), value, {"turn": UPRIGHT - value, "stands": _height(family, value)})
            for n, (label, x, before, value) in enumerate(
                zip(labels, track.spaces, (0.0, *track.spaces[:-1]), values[name], strict=True), start=1
            )
        )
        tracks.append(TrackPlan(track, cuts, None))
        problems += rules_broken(family, track, track.steps(labels))
    return Plan(family, checked_blank(family), style, tuple(tracks), tuple(problems), tool)


def _height(family: Family, value: float) -> float:
    return checked_blank(family).height * sin(radians(value))


def shape(
    family: Family, values: Mapping[str, Sequence[float]], *, style: str = "", tool: Tool | None = None,
    uncut: Collection[tuple[int, Place]] = (),
) -> Shape:  # fmt: skip
    """Each leaf as a tooth as high as it still stands."""
    blank, points, spots = checked_blank(family), [(0.0, 0.0)], []
    for name, numbers in values.items():
        track = family.track(name)
        half = _tool(track, tool).width / 2
        for n, (x, value) in enumerate(zip(track.spaces, numbers, strict=True), start=1):
            top = _height(family, UPRIGHT if (1, Place(name, n)) in uncut else value)
            points += [(x - half, 0.0), (x - half, top), (x + half, top), (x + half, 0.0)]
            spots.append(Spot(Place(name, n), x, top))
    around = np.array([[0.0, 0.0], [blank.length, 0.0], [blank.length, blank.height], [0.0, blank.height]])
    outline = np.array([*points, (blank.length, 0.0), (blank.length, -0.02), (0.0, -0.02)])
    return Shape((View("leaves", around, outline, (Curve("A", outline),), tuple(spots)),))


def stands(
    family: Family, track: Track, values: Sequence[float], *, style: str = "", tool: Tool | None = None,
    along: float = 0.0,
) -> tuple[float, ...]:  # fmt: skip
    return tuple(values)


def clampings(family: Family, tracks: Iterable[str], style: str = "") -> tuple[Clamping, ...]:
    return (Clamping(1, "front", DiscClamp.name, tuple(tracks)),)


CUTTING = Cutting(
    tool=DiscClamp,
    styles={"turned": "turned leaf by leaf"},
    columns=(Column("turn", "Turned by", Quantity.ANGLE), Column("stands", "Leaf stands")),
    clampings=clampings,
    lays=no_lays,
    plan=plan,
    shape=shape,
    tumbler_heights=stands,
    reach=lambda plan: None,
    working=lambda family, plan: ("Turned by = 90° − what is left.",),
    handling=(GLASSES, CUTTER, HandCheck("stem-straight", "The stem is straight", RestsOn.CLAMPING)),
    suspects={name: CAUSES[name] for name in ("none", "depth", "gauge", "loose", "single")},
)

KIND = Kind(
    id=VANE,
    surface=Surface.ROUND,
    space=Coordinate("from the gauge"),
    depth=Coordinate("angle of the leaf", Quantity.ANGLE, is_round=True),
    falls_when_deeper=True,
    uncut=lambda family, track: UPRIGHT,
    per_inch=lambda family: degrees(family.lengths.of_inches(1.0) / checked_blank(family).height),
    cuts=lambda: CUTTING,
)

PART = DocumentPart(
    family=VaneFamilyModel,
    plan=VanePlanModel,
    track_tool=lambda model: DiscClamp(model.leaf.width) if model.leaf else None,
    plan_tool=lambda model: None,
)


@dataclass(frozen=True)
class _At:
    """A shape's points on a sheet."""

    sheet: Sheet

    def path(self, points: Points) -> str:
        return path([(self.sheet.x(x), self.sheet.y(y)) for x, y in points], close=True)


def outline(sheet: Sheet, of: Shape | None) -> str:
    if of is None:
        blank = sheet.blank
        return path([(sheet.x(x), sheet.y(y)) for x, y in ((0, 0), (blank.length, 0), (blank.length, blank.height))])
    return _At(sheet).path(of.view().outline)


def bow(sheet: Sheet) -> str:
    return path([(BOW_LEFT, sheet.top), (sheet.left, sheet.bottom), (BOW_LEFT, sheet.bottom)], close=True)


def tool_at(sheet: Sheet, move: Move, share: float) -> tuple[float, float]:
    return sheet.x(sheet.family.space.from_machine(move.position)), sheet.y(sheet.blank.height)


LOOK = KeyLook(outline, bow, tool_at, "stem on the left, leaves standing up")


def take_in(monkeypatch: pytest.MonkeyPatch) -> None:
    """Take the kind into the house for one test: its module, its part of the documents, its drawing."""
    monkeypatch.setitem(keycore.kind._KINDS, VANE, KIND)
    monkeypatch.setitem(keycore.documents.kinds._PARTS, VANE, PART)
    monkeypatch.setitem(wryfalcon.drawings.kinds._DRAWINGS, VANE, LOOK)
