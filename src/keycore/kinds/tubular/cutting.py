"""How slots are cut into the end of a tube: indexed round it, each to its depth."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import replace
from itertools import pairwise
from math import cos, pi, radians, sin

import numpy as np

from keycore.coordinate import FULL_TURN
from keycore.cutting.lay import end_lays
from keycore.cutting.plan import Plan, PlannedCut, Problem, TrackPlan, checked_blank, rules_broken, tool_for
from keycore.errors import InputError
from keycore.family import Blank, Family, Place, Track
from keycore.geometry.shape import Curve, Shape, Spot, View, circle
from keycore.kind import Clamping, Column, Cutting, HandCheck, RestsOn
from keycore.kinds.causes import CAUSES, Errors, Say
from keycore.kinds.handling import CUTTER, GLASSES, GUARD
from keycore.kinds.tubular import Tube, tube_of
from keycore.tools import Slotter, Tool
from keycore.units import NOTHING

STYLES = {"indexed": "indexed, a slot for each space"}
COLUMNS = (Column("floor_left", "Floor left"), Column("web", "Web to the next"))
HANDLING = (
    GLASSES,
    GUARD,
    CUTTER,
    HandCheck("indexed", "Index at the first space, the nib where it belongs", RestsOn.CLAMPING),
    HandCheck("at-stop", "Blank pushed to its stop", RestsOn.CLAMPING),
    HandCheck("touched-off", "Touched off on the standing cutter, both needles on the gauge point", RestsOn.CLAMPING),
    HandCheck("clamped", "Set screw drawn tight, cap on the plunger", RestsOn.CLAMPING),
)
"""Common practice, no source."""


def tube_for(family: Family) -> Tube:
    """The tube that slots are cut in. Raises InputError for a family that does not say."""
    tube = tube_of(family)
    if tube is None:
        raise InputError("family.tube", "needed to plan a key")
    return tube


def plan(
    family: Family, bitting: Mapping[str, Sequence[str]], style: str, tool: Tool | None,
    values: Mapping[str, Sequence[float]],
) -> Plan:  # fmt: skip
    """Work out the cuts of a key; see ``Planning`` in the record of a kind. Raises InputError for a missing tool."""
    blank, radius = checked_blank(family), tube_for(family).middle_radius
    tracks, problems = [], []
    for name, labels in bitting.items():
        track = family.track(name)
        width = tool_for(Slotter, track, tool, "slot").width
        floors = floors_left(track.spaces, values[name], width, radius)
        cuts = tuple(_cuts(track, labels, values[name], floors, webs(track.spaces, width, radius)))
        tracks.append(TrackPlan(track, cuts, None))
        problems += [*rules_broken(family, track, track.steps(labels)), *_problems(blank, track, cuts)]
    return Plan(family, blank, style, tuple(tracks), tuple(problems), tool)


def _cuts(
    track: Track, labels: Sequence[str], values: Sequence[float], floors: Sequence[float], between: Sequence[float]
) -> Iterable[PlannedCut]:
    before = 0.0
    for place, (label, angle) in enumerate(zip(labels, track.spaces, strict=True)):
        own = {"floor_left": floors[place], "web": between[place]}
        yield PlannedCut(place + 1, label, angle, abs(angle - before), values[place], own)
        before = angle


def floors_left(angles: Sequence[float], values: Sequence[float], width: float, radius: float) -> tuple[float, ...]:
    """How much of each slot's floor the deeper slots beside it leave, along the middle circle.

    A slot is the interval of half its width to either side of its arc, the chord taken for the arc. Arguments:
    ``angles`` (n,) degrees, depth ``values`` (n,), the slot's ``width`` and the ``radius`` of the middle circle in one
    unit. Returns (n,) in it. Raises nothing.

    >>> floors_left((0.0, 90.0), (1.0, 2.0), 3.0, 4.0)  # 6.28 apart
    (3.0, 3.0)
    >>> [round(left, 4) for left in floors_left((0.0, 45.0), (1.0, 2.0), 3.5, 4.0)]  # 3.1416 apart
    [3.1416, 3.5]
    """
    whole = 2 * pi * radius
    found = []
    for angle, value in zip(angles, values, strict=True):
        gone: list[tuple[float, float]] = []
        for other, depth in zip(angles, values, strict=True):
            away = radius * radians(other - angle)
            away -= whole * round(away / whole)  # the shorter way round
            if depth > value and abs(away) < width:
                gone.append((max(-width / 2, away - width / 2), min(width / 2, away + width / 2)))
        found.append(max(0.0, width - _covered(gone)))
    return tuple(found)


def _covered(parts: list[tuple[float, float]]) -> float:
    """The length that intervals cover together."""
    total, reached = 0.0, -np.inf
    for low, high in sorted(parts):
        total += max(0.0, high - max(low, reached))
        reached = max(reached, high)
    return float(total)


def webs(angles: Sequence[float], width: float, radius: float) -> tuple[float, ...]:
    """The metal from each slot to the next one round, negative where they run together.

    The arc between their middles less a width. Arguments: ``angles`` (n,) degrees, the slot's ``width`` and the
    ``radius`` of the middle circle in one unit. Returns (n,) in it. Raises nothing.

    >>> [round(web, 4) for web in webs((0.0, 90.0), 3.0, 4.0)]
    [3.2832, 15.8496]
    """
    onward = [*angles[1:], angles[0] + FULL_TURN]
    return tuple(radius * radians(after - angle) - width for angle, after in zip(angles, onward, strict=True))


def _problems(blank: Blank, track: Track, cuts: Sequence[PlannedCut]) -> Iterable[Problem]:
    for cut in cuts:
        if (cut.own["floor_left"] or 0.0) <= NOTHING:
            says = f"The deeper slots beside cut {cut.space} leave nothing of its floor: the depth is gone."
            yield Problem("no-floor", track.name, (cut.space,), says)
    deep = tuple(cut.space for cut in cuts if cut.value > blank.length + NOTHING)
    if deep:
        says = f"Cut {' and '.join(map(str, deep))} is deeper than the tube is long."
        yield Problem("wall", track.name, deep, says)


def shape(
    family: Family, values: Mapping[str, Sequence[float]], *, style: str = "", tool: Tool | None = None,
    uncut: Collection[tuple[int, Place]] = (),
) -> Shape:  # fmt: skip
    """The tube unrolled along its middle circle, and its end; see ``Shaping`` in the interface. InputError likewise."""
    blank, radius = checked_blank(family), tube_for(family).middle_radius
    length, high = 2 * pi * radius, blank.length
    slots: list[tuple[float, float, float]] = []  # from, to, how deep
    spots = []
    ends: list[tuple[str, float, float]] = []  # a slot's name, angle and half its width
    for name, numbers in values.items():
        track = family.track(name)
        half = tool_for(Slotter, track, tool, "slot").width / 2
        for space, (angle, value) in enumerate(zip(track.spaces, numbers, strict=True), start=1):
            x = radius * radians(angle)
            deep = 0.0 if (1, Place(name, space)) in uncut else value
            spots.append(Spot(Place(name, space), x, high - deep))
            ends += [(f"{name} {space}", radians(angle), half)] if deep else []
            slots += [(x + turn - half, x + turn + half, deep) for turn in (-length, 0.0, length)]
    edge = _outline(slots, length, high)
    bare = np.array([[0.0, 0.0], [length, 0.0], [length, high], [0.0, high]])
    outline = np.concatenate([np.array([[0.0, 0.0]]), edge, np.array([[length, 0.0]])])
    unrolled = View("unrolled", bare, outline, (Curve("end", edge, "above"),), tuple(spots))
    return Shape((unrolled, _end(tube_for(family), ends)))


def _end(tube: Tube, slots: Sequence[tuple[str, float, float]]) -> View:
    """The tube's end as it is looked at, the nib on top: both edges of its wall, and the sides of each slot."""
    middle, inner = tube.outer / 2, tube.inner / 2
    ring = circle(middle, middle, middle)
    curves = [Curve("outer", ring), Curve("inner", circle(middle, middle, inner))]
    for name, turn, half in slots:
        out, across = (sin(turn), cos(turn)), (cos(turn), -sin(turn))
        reach = [((radius**2 - half**2) ** 0.5 if half < radius else 0.0) for radius in (inner, middle)]
        corners = [(-half, reach[0]), (-half, reach[1]), (half, reach[1]), (half, reach[0])]
        points = [(middle + s * across[0] + r * out[0], middle + s * across[1] + r * out[1]) for s, r in corners]
        curves.append(Curve(name, np.array([*points, points[0]])))
    return View("end", ring, ring, tuple(curves), ())


def _outline(slots: Sequence[tuple[float, float, float]], length: float, high: float) -> np.ndarray:
    """The end of the unrolled tube from one side to the other, as deep as the deepest slot at each place."""
    marks = sorted({0.0, length, *(x for low, top, _ in slots for x in (low, top) if 0 < x < length)})
    points: list[tuple[float, float]] = []
    for low, top in pairwise(marks):
        middle = (low + top) / 2
        deep = max((depth for a, b, depth in slots if a <= middle <= b), default=0.0)
        points += [(low, high - deep), (top, high - deep)]
    return np.array(points)


def stands(
    family: Family, track: Track, values: Sequence[float], *, style: str = "", tool: Tool | None = None,
    along: float = 0.0,
) -> tuple[float, ...]:  # fmt: skip
    """How high each pin stands out of its slot; see ``TumblerHeights`` in the record of a kind.

    Arguments: depth ``values`` (n,), family unit. Returns (n,): the shallower, the higher. Raises nothing.
    """
    return tuple(-value for value in values)


def clampings(family: Family, tracks: Iterable[str], style: str = "") -> tuple[Clamping, ...]:
    """One for all: the adapter indexes the tube; see ``Clampings`` in the record of a kind."""
    return (Clamping(1, "front", Slotter.name, tuple(tracks)),)


def no_reach(plan: Plan) -> None:
    """No jaw minds how deep a slot is. Raises nothing."""


def working(family: Family, plan: Plan) -> tuple[str, ...]:
    """How the figures that only this kind has are worked out, in sentences. Raises nothing."""
    radius = family.lengths.to_machine(tube_for(family).middle_radius)
    return (
        f"The middle circle of the tube has a radius of (outer + inner) / 4 = {radius:.4g} mm; arcs are taken on it.",
        "Floor left = the width of a slot less what the deeper slots beside it take of it.",
        "Web = the arc to the next slot round less the width of a slot; below nothing they run together.",
    )


def _index_says(errors: Errors, say: Say) -> str:
    return "All slots are off round the end alike: the index was not at the first space, or the nib not in its place."


CUTTING = Cutting(
    tool=Slotter,
    styles=STYLES,
    columns=COLUMNS,
    clampings=clampings,
    lays=end_lays,
    plan=plan,
    shape=shape,
    tumbler_heights=stands,
    reach=no_reach,
    working=working,
    handling=HANDLING,
    suspects={name: CAUSES[name] for name in ("none", "depth", "loose", "single")}
    | {"gauge": replace(CAUSES["gauge"], says=_index_says)},
)
