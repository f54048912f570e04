"""How keys are cut on an edge: the plan, what metal is left, where tumblers stand on it.

Heights are measured on one edge: families measured across both roots give half of every value to each.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from math import atan, cos, pi

import numpy as np

from keycore.cutting.lay import edge_lays
from keycore.cutting.plan import Plan, PlannedCut, Problem, TrackPlan, checked_blank, rules_broken, tool_for
from keycore.errors import InputError
from keycore.family import Blank, Family, Gauge, Place, Track, Tumbler
from keycore.geometry.profile import Profile, flats_left, profile_of, roots_gone, tumbler_heights
from keycore.geometry.shape import Curve, Points, Shape, Spot, View
from keycore.kind import Clamping, Column, Cutting
from keycore.kinds.causes import CAUSES
from keycore.kinds.edge import edge_values, macs_of_wheel
from keycore.kinds.handling import OF_A_BLADE
from keycore.tools import Tool, Wheel
from keycore.units import NOTHING

PLUNGED, RAMPED = "plunged", "ramped"
STYLES = {PLUNGED: "plunged, a V per space", RAMPED: "ramped, a continuous edge"}
COLUMNS = (Column("depth_of_cut", "Cut in"), Column("flat_left", "Flat left"))

FRICTION = 0.2
"""Of brass on brass, a little oil between: from memory."""
STEEPEST = pi / 2 - 2 * atan(FRICTION)
"""A corner lifts a round end where the slope it meets is no steeper: beyond it the tumbler jams in its hole."""


@dataclass(frozen=True)
class EdgePlan(TrackPlan):
    """The cuts of one track and the edge they leave."""

    profile: Profile


def wheel_for(track: Track, fitted: Tool | None = None) -> Wheel:
    """The wheel that cuts a track: the one that is fitted, else the family's own; InputError where there is none."""
    for tool in (fitted, track.tool):
        if isinstance(tool, Wheel):
            return tool
    raise InputError("family", "a profile needs the blank and the cut")


def edge_of(
    family: Family, track: Track, values: Sequence[float], style: str = PLUNGED, fitted: Tool | None = None
) -> Profile:
    """The profile of one track cut to these depth values; InputError without blank or cut.

    Arguments: ``values`` (n,) family unit, the ``style`` of the path, a wheel ``fitted`` in place of the family's own.
    """
    if family.blank is None:
        raise InputError("family", "a profile needs the blank and the cut")
    wheel, (height,) = wheel_for(track, fitted), edge_values(family, [family.blank.height])
    return profile_of(track.spaces, edge_values(family, values), wheel, height, family.blank.length, style or PLUNGED)


def tumbler_of(family: Family, track: Track) -> Tumbler:
    """The family's tumbler; if it names none, round with a radius equal to the wheel's flat.

    Raises InputError where the track has neither tumbler nor cut.
    """
    if track.tumbler is not None:
        return track.tumbler
    if not isinstance(track.tool, Wheel):
        raise InputError("tracks.tumbler", f"track {track.name} of {family.id} names neither tumbler nor cut")
    return Tumbler("round", track.tool.flat)


def stands(
    family: Family, track: Track, values: Sequence[float], *, style: str = "", tool: Tool | None = None,
    along: float = 0.0,
) -> tuple[float, ...]:  # fmt: skip
    """How high each tumbler stands on an edge cut to these values; see ``TumblerHeights`` in the record of a kind.

    Arguments: ``values`` (n,) family unit, all cuts so far ``along`` the blade from where they should be.
    Returns (n,) heights on one edge. Raises InputError without blank or cut.
    """
    tumbler, edge = tumbler_of(family, track), edge_of(family, track, values, style or PLUNGED, tool)
    return tumbler_heights(edge, [space - along for space in track.spaces], tumbler)


def shape(
    family: Family, values: Mapping[str, Sequence[float]], *, style: str = "", tool: Tool | None = None,
    uncut: Collection[tuple[int, Place]] = (),
) -> Shape:  # fmt: skip
    """The elevation of a key cut on its upper edge; see ``Shaping`` in the interface. Raises InputError likewise."""
    edges = [
        (track.name, edge_of(family, track, left_of(family, track, values[track.name], number, uncut), style, tool))
        for number, track in enumerate(family.tracks, start=1)
        if track.name in values
    ]
    return elevation(family, edges, above=family.tracks[0].name)


def left_of(
    family: Family, track: Track, values: Sequence[float], clamping: int, uncut: Collection[tuple[int, Place]]
) -> list[float]:
    """The ``values`` (n,) of one track in one clamping, family unit; the blank's own where still ``uncut``.

    Raises nothing.
    """
    assert family.blank is not None
    return [
        family.blank.height if (clamping, Place(track.name, space)) in uncut else value
        for space, value in enumerate(values, start=1)
    ]


def elevation(family: Family, edges: Sequence[tuple[str, Profile]], *, above: str, below: str = "") -> Shape:
    """A blade seen from its side: x from the gauge, y up from the lower edge of the blank.

    Arguments: all ``edges`` by name, and the names of those that bound the metal ``above`` and ``below``; a bound
    without an edge is the blank's own. Returns a Shape of one view. Raises InputError without a blank.
    """
    if family.blank is None:
        raise InputError("blank", "a key without a blank cannot be drawn to scale")
    blank = family.blank
    sides = {above: "above", below: "below"}
    curves = tuple(
        Curve(name, _points(family, blank, edge, is_lower=name == below), sides.get(name, "")) for name, edge in edges
    )
    top = np.array([[0.0, blank.height], [blank.length, blank.height]])
    bottom = np.array([[0.0, 0.0], [blank.length, 0.0]])
    left = {"above": top, "below": bottom} | {curve.bounds: curve.points for curve in curves}
    spots = tuple(
        Spot(Place(track.name, number), x, 0.0)
        for track in family.tracks
        for number, x in enumerate(track.spaces, start=1)
    )
    around = np.concatenate([top, bottom[::-1]])
    return Shape((View("elevation", around, np.concatenate([left["above"], left["below"][::-1]]), curves, spots),))


def _points(family: Family, blank: Blank, edge: Profile, *, is_lower: bool) -> Points:
    """An edge in the view's coordinates: heights count from the far edge, or from the middle where measured across."""
    zero = blank.height / 2 if family.share_per_edge < 1 else (blank.height if is_lower else 0.0)
    return np.column_stack([edge.x, zero - edge.h if is_lower else zero + edge.h])


def plan(
    family: Family, bitting: Mapping[str, Sequence[str]], style: str, tool: Tool | None,
    values: Mapping[str, Sequence[float]],
) -> Plan:  # fmt: skip
    """Work out the cuts of a key; see ``Planning`` in the record of a kind. Raises InputError for a missing tool."""
    blank = checked_blank(family)
    tracks, problems = [], []
    for name, labels in bitting.items():
        track = family.track(name)
        fitted = tool_for(Wheel, track, tool, "cut")
        planned = _planned(family, blank, track, labels, values[name], wheel=fitted, style=style)
        tracks.append(planned)
        problems += _problems(family, blank, planned, track.steps(labels), fitted)
    return Plan(family, blank, style, tuple(tracks), tuple(problems), tool)


def _planned(
    family: Family, blank: Blank, track: Track, labels: Sequence[str], values: Sequence[float], *, wheel: Wheel,
    style: str,
) -> EdgePlan:  # fmt: skip
    heights = edge_values(family, values)
    (full_height,) = edge_values(family, [blank.height])
    flats = flats_left(track.spaces, heights, wheel)
    previous = (0.0, *track.spaces[:-1])
    cuts = tuple(
        PlannedCut(
            space=place + 1,
            label=labels[place],
            from_gauge=x,
            from_previous=abs(x - previous[place]),
            value=values[place],
            own={"depth_of_cut": full_height - heights[place], "flat_left": flats[place]},
        )
        for place, x in enumerate(track.spaces)
    )
    profile = profile_of(track.spaces, heights, wheel, full_height, blank.length, style)
    return EdgePlan(track, cuts, macs_of_wheel(family, track, wheel), profile)


def _problems(family: Family, blank: Blank, planned: EdgePlan, steps: Sequence[int], fitted: Wheel) -> list[Problem]:
    track = planned.track
    gone = roots_gone(track.spaces, edge_values(family, [cut.value for cut in planned.cuts]), fitted)
    found = rules_broken(family, track, steps)
    found += [
        Problem(
            "no-flat",
            track.name,
            (cut.space,),
            f"Its neighbours' flanks leave nothing of cut {cut.space}: the depth is gone.",
        )
        for cut, is_gone in zip(planned.cuts, gone, strict=True)
        if is_gone
    ]
    if track.tool is not None and fitted != track.tool:
        found.append(Problem("cutter", track.name, (), _says_wheel(wheel_for(track), fitted)))
    return found + _problems_at_ends(family, blank, planned, fitted)


def _says_wheel(wanted: Wheel, fitted: Wheel) -> str:
    return (
        f"The family wants a flat of {wanted.flat:g} at {wanted.angle:g} degrees; "
        f"this cutter leaves {fitted.flat:g} at {fitted.angle:g} degrees."
    )


def _problems_at_ends(family: Family, blank: Blank, planned: EdgePlan, wheel: Wheel) -> list[Problem]:
    """Flanks that reach past an end of the blade."""
    at_gauge, at_far = ("shoulder", "tip") if family.gauge == Gauge.SHOULDER else ("tip", "shoulder")
    found = []
    for code, end in ((at_gauge, 0.0), (at_far, blank.length)):
        past = tuple(
            cut.space
            for cut in planned.cuts
            if max(0.0, abs(end - cut.from_gauge) - wheel.flat / 2) / wheel.slope < _cut_in(cut) - NOTHING
        )
        if past:
            named = " and ".join(str(space) for space in past)
            says = f"The flank of cut {named} reaches past the {code}."
            found.append(Problem(code, planned.track.name, past, says))
    return found


def reach(plan: Plan) -> float | None:
    """How far below the blank's edge the wheel goes at the deepest cut, family unit. Raises nothing."""
    return max(_cut_in(cut) for planned in plan.tracks for cut in planned.cuts)


def _cut_in(cut: PlannedCut) -> float:
    """How far a cut goes into the blank's edge."""
    deep: float = cut.own["depth_of_cut"]  # every edge has one
    return deep


def working(family: Family, plan: Plan) -> tuple[str, ...]:
    """How the figures that only these kinds have are worked out, in sentences. Raises nothing."""
    half = ", half of it on each edge" if family.share_per_edge < 1 else ""
    angle = wheel_for(plan.tracks[0].track, plan.tool).angle
    return (
        f"Cut in = blank's height − what is left{half}.",
        "Flat left = the part of the root that no deeper neighbour's flank reaches: a neighbour deeper by d reaches "
        f"flat/2 + d · tan({angle:.3g}°/2).",
    )


def clampings(family: Family, tracks: Iterable[str], style: str = "") -> tuple[Clamping, ...]:
    """One for each of the tracks that are cut, in their order; see ``Clampings`` in the record of a kind."""
    return tuple(Clamping(number, "front", Wheel.name, (track,)) for number, track in enumerate(tracks, start=1))


def tip_may_stand(family: Family, values: Mapping[str, Sequence[float]]) -> tuple[float, float] | None:
    """How high the corner of the tip may stand for it to lift the first tumbler, and how well that is known.

    A tumbler hangs no lower than its deepest cut, taken to be known to half a step. The corner meets its round end of
    radius R at a height d above the lowest point, where the end slopes as acos(1 - d / R); it is lifted up to
    90 degrees less twice the angle of friction, so that the corner may be R (1 - cos) of that high above where the
    tumbler hangs. A corner that catches is taken down to there at 45 degrees, which no such end minds: that is the
    smallest softening that clears. Arguments: ``values`` (n,) by track, family unit, whose tracks have a tip.
    Returns the height, family unit on one edge, and its sd; None where the key's own edge lies below it at the
    tip already. Raises InputError without blank or cut.

    >>> from keycore.documents.family import read_family
    >>> harbour = read_family("harbour-five")
    >>> may = tip_may_stand(harbour, {"A": [0.25, 0.25, 0.25, 0.25, 0.3]})
    >>> may is not None and may[0] < harbour.blank.height
    True
    """
    lowest: tuple[float, float] | None = None
    for track in family.tracks:
        if track.name not in values:
            continue
        heights = edge_values(family, track.values)
        tumbler, edge = tumbler_of(family, track), edge_of(family, track, values[track.name])
        radius = tumbler.size if tumbler.shape == "round" else 0.0
        step = min(abs(a - b) for a, b in pairwise(heights))
        may = (min(heights) + radius * (1 - cos(STEEPEST)), step / 4)
        if float(edge.h[-1]) > may[0] and (lowest is None or may[0] < lowest[0]):
            lowest = may
    return lowest


CUTTING = Cutting(
    tool=Wheel,
    styles=STYLES,
    columns=COLUMNS,
    clampings=clampings,
    lays=edge_lays,
    plan=plan,
    shape=shape,
    tumbler_heights=stands,
    reach=reach,
    working=working,
    handling=OF_A_BLADE,
    suspects=CAUSES,
    tip_may_stand=tip_may_stand,
)
