"""How disc keys are cut: a flat for each disc, the clamp turning the key from one angle to the next."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from itertools import pairwise
from math import cos, pi, radians, sin

import numpy as np

from keycore.coordinate import FULL_TURN, Quantity
from keycore.cutting.lay import round_lays
from keycore.cutting.plan import Plan, PlannedCut, Problem, TrackPlan, checked_blank, rules_broken, tool_for
from keycore.family import Blank, Family, Gauge, Place, Track
from keycore.geometry.shape import Curve, Shape, Spot, View, circle
from keycore.kind import Clamping, Column, Cutting, HandCheck, RestsOn
from keycore.kinds.causes import CAUSES
from keycore.kinds.handling import CUTTER, GLASSES, GUARD, TUGGED
from keycore.kinds.rotary import around, height_at, view_size
from keycore.tools import DiscClamp, Tool
from keycore.units import NOTHING

STYLES = {"turned": "turned, a flat for each disc"}
COLUMNS = (Column("turn", "Turned by", Quantity.ANGLE), Column("wall_left", "Wall left"))
MARK = 8.0
"""Degrees of the round that a flat is drawn as, unrolled: how deep it is cut is the clamp's, not the table's."""
HANDLING = (
    GLASSES,
    GUARD,
    CUTTER,
    HandCheck("probe-out", "Probe clear before the clamp turns", RestsOn.CLAMPING),
    HandCheck("plugged-in", "Turning clamp fast, and seen to turn", RestsOn.CLAMPING),
    HandCheck("key-flat", "Blank lying flat in it, at its stop", RestsOn.CLAMPING),
    TUGGED,
)
"""Common practice, no source."""


def plan(
    family: Family, bitting: Mapping[str, Sequence[str]], style: str, tool: Tool | None,
    values: Mapping[str, Sequence[float]],
) -> Plan:  # fmt: skip
    """Work out the cuts of a key; see ``Planning`` in the record of a kind. Raises InputError for a missing tool."""
    blank = checked_blank(family)
    tracks, problems = [], []
    for name, labels in bitting.items():
        track = family.track(name)
        width = tool_for(DiscClamp, track, tool, "cut_width").width
        cuts = tuple(_cuts(track, labels, values[name], width))
        tracks.append(TrackPlan(track, cuts, None))
        problems += [*rules_broken(family, track, track.steps(labels)), *_problems(family, blank, track, cuts, width)]
    return Plan(family, blank, style, tuple(tracks), tuple(problems), tool)


def _cuts(track: Track, labels: Sequence[str], values: Sequence[float], width: float) -> Iterable[PlannedCut]:
    walls = [abs(b - a) - width for a, b in pairwise(track.spaces)]
    for place, (label, x, value) in enumerate(zip(labels, track.spaces, values, strict=True)):
        before = (track.spaces[place - 1], values[place - 1]) if place else (0.0, 0.0)
        own = {"turn": value - before[1], "wall_left": walls[place] if place < len(walls) else None}
        yield PlannedCut(place + 1, label, x, abs(x - before[0]), value, own)


def _problems(
    family: Family, blank: Blank, track: Track, cuts: Sequence[PlannedCut], width: float
) -> Iterable[Problem]:
    for cut in cuts:
        wall = cut.own["wall_left"]
        if wall is not None and wall < -NOTHING:
            says = f"The flats of cuts {cut.space} and {cut.space + 1} run together: no wall is left between them."
            yield Problem("wall", track.name, (cut.space,), says)
    at_gauge, at_far = ("shoulder", "tip") if family.gauge == Gauge.SHOULDER else ("tip", "shoulder")
    for code, past in (
        (at_gauge, [cut.space for cut in cuts if cut.from_gauge - width / 2 < -NOTHING]),
        (at_far, [cut.space for cut in cuts if cut.from_gauge + width / 2 > blank.length + NOTHING]),
    ):
        if past:
            named = " and ".join(map(str, past))
            yield Problem(code, track.name, tuple(past), f"Cut {named} reaches past the {code}.")


def shape(
    family: Family, values: Mapping[str, Sequence[float]], *, style: str = "", tool: Tool | None = None,
    uncut: Collection[tuple[int, Place]] = (),
) -> Shape:  # fmt: skip
    """The round unrolled, and the end as each disc sees it; see ``Shaping`` in the interface. InputError likewise."""
    blank, size = checked_blank(family), view_size(family)
    assert size is not None  # there is a blank
    tall = MARK / FULL_TURN * around(family) / 2
    curves, spots = [], []
    turns: list[tuple[str, float]] = []
    for name, numbers in values.items():
        track = family.track(name)
        half = tool_for(DiscClamp, track, tool, "cut_width").width / 2
        for space, (x, value) in enumerate(zip(track.spaces, numbers, strict=True), start=1):
            y = height_at(family, value)
            spots.append(Spot(Place(name, space), x, y))
            if (1, Place(name, space)) not in uncut:
                corners = [(x - half, y - tall), (x + half, y - tall), (x + half, y + tall), (x - half, y + tall)]
                curves.append(Curve(f"{name} {space}", np.array([*corners, corners[0]])))
                turns.append((f"{name} {space}", value))
    bare = np.array([[0.0, 0.0], [blank.length, 0.0], [blank.length, size[1]], [0.0, size[1]]])
    unrolled = View("unrolled", bare, bare, tuple(curves), tuple(spots))
    return Shape((unrolled, _ends(around(family) / pi, turns)))


def _ends(blade: float, turns: Sequence[tuple[str, float]]) -> View:
    """The blade's end as each disc sees it, one beside the other: its round, and a line to the middle of its flat."""
    radius, apart = blade / 2, blade * 1.5
    curves = []
    for place, (name, angle) in enumerate(turns):
        x, turn = radius + place * apart, radians(angle)
        curves.append(Curve(f"{name} round", circle(x, radius, radius)))
        line = np.array([[x, radius], [x + radius * sin(turn), radius + radius * cos(turn)]])
        curves.append(Curve(f"{name} flat", line))
    wide = blade + max(0, len(turns) - 1) * apart
    bare = np.array([[0.0, 0.0], [wide, 0.0], [wide, blade], [0.0, blade]])
    return View("ends", bare, bare, tuple(curves), ())


def stands(
    family: Family, track: Track, values: Sequence[float], *, style: str = "", tool: Tool | None = None,
    along: float = 0.0,
) -> tuple[float, ...]:  # fmt: skip
    """How far each disc is turned; see ``TumblerHeights`` in the record of a kind.

    Arguments: ``values`` (n,) degrees. Returns (n,) degrees: a disc goes where its flat is, whatever its neighbours
    are. Raises nothing.
    """
    return tuple(values)


def clampings(family: Family, tracks: Iterable[str], style: str = "") -> tuple[Clamping, ...]:
    """One for all: the clamp turns the key by itself; see ``Clampings`` in the record of a kind."""
    return (Clamping(1, "front", DiscClamp.name, tuple(tracks)),)


def no_reach(plan: Plan) -> None:
    """No jaw minds how deep a flat is. Raises nothing."""


def working(family: Family, plan: Plan) -> tuple[str, ...]:
    """How the figures that only this kind has are worked out, in sentences. Raises nothing."""
    return (
        "Turned by = this cut’s angle less that of the cut before it; the first from where the key was clamped.",
        "Wall left = distance to the next cut less the width of a cut.",
    )


CUTTING = Cutting(
    tool=DiscClamp,
    styles=STYLES,
    columns=COLUMNS,
    clampings=clampings,
    lays=round_lays,
    plan=plan,
    shape=shape,
    tumbler_heights=stands,
    reach=no_reach,
    working=working,
    handling=HANDLING,
    suspects={name: CAUSES[name] for name in ("none", "depth", "gauge", "loose", "single")},
)
