"""How tracks are milled into faces: the wanted wall, the mill that cannot follow its corners, what is left of it."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import combinations, pairwise

import numpy as np

from keycore.cutting.lay import BACK, FRONT, OTHER, REFERENCE, face_lays
from keycore.cutting.plan import Fin, Plan, PlannedCut, Problem, TrackPlan, checked_blank, rules_broken, tool_for
from keycore.family import Blank, Family, Gauge, Place, Track
from keycore.geometry.disc import Rolled, roll
from keycore.geometry.shape import SECTIONS, Curve, Points, Shape, Spot, View
from keycore.kind import LONG_AXIS, Clamping, Column, Cutting, HandCheck, RestsOn, Way
from keycore.kinds.causes import MILLED
from keycore.kinds.handling import CUTTER, GLASSES, GUARD, STOP_AWAY, TUGGED
from keycore.kinds.side_milled import BELOW, FACES, SIDES, gaps, least_rib, macs_of_ramp, wall_needed
from keycore.tools import Mill, Tool
from keycore.units import NOTHING

STYLES = {"milled": "milled along the blade"}
COLUMNS = (Column("mill_centre", "Mill’s middle"), Column("land_left", "Land left"), Column("stands", "Stands off"))
AS_WANTED = 1e-6
"""A wall no further off than this, in the document's own unit, is as it is wanted."""
FINELY = 481  # places along the blade at which a fin is looked for, beside those where a wall turns
STEP = 1 / 8
"""Of a mill's radius: how finely its path is told."""
HANDLING = (
    GLASSES,
    GUARD,
    CUTTER,
    HandCheck("load-picture", "Blank loaded as its picture shows, flat in the jaw", RestsOn.CLAMPING),
    HandCheck("same-stop", "The same stop for every face", RestsOn.CLAMPING),
    TUGGED,
    STOP_AWAY,
)
"""Common practice, no source."""


@dataclass(frozen=True)
class MilledPlan(TrackPlan):
    """The cuts of one track and the wall that its mill leaves."""

    side: Milled


@dataclass(frozen=True)
class Milled:
    """A wall as a mill leaves it, family unit. Rolled from above where metal is below, else in the mirror."""

    rolled: Rolled
    is_below: bool

    @property
    def sign(self) -> float:
        """1 where metal is below the wall, -1 where it is above."""
        return 1.0 if self.is_below else -1.0

    def wall(self, at: Points) -> Points:
        """Where the wall stands. Arguments: ``at`` (n,) from the gauge. Returns (n,). Raises nothing."""
        return self.sign * self.rolled.left(np.asarray(at, dtype=float))

    def centre(self, at: Points) -> Points:
        """Where the mill's middle goes. Arguments: ``at`` (n,). Returns (n,). Raises nothing."""
        return self.sign * self.rolled.centre(np.asarray(at, dtype=float))

    def points(self, low: float, high: float) -> Points:
        """The wall as points (p, 2). Raises nothing."""
        return self._turned(self.rolled.points(low, high))

    def path(self, low: float, high: float) -> Points:
        """The way of the mill's middle as points (p, 2). Raises nothing."""
        return self._turned(self.rolled.path(low, high, STEP * self.rolled.radius))

    def marks(self, length: float) -> Points:
        """Where along the blade its wall turns, (n,). Raises nothing."""
        return self.rolled.marks(0.0, length)

    def gone(self, at: Points, length: float) -> tuple[Points, Points]:
        """From where to where the mill takes metal at each of ``at`` (n,), its way as it goes the whole blade."""
        path, radius = self.path(0.0, length), self.rolled.radius
        reach = np.sqrt(np.clip(radius**2 - (path[:, 0][:, None] - at) ** 2, 0.0, None))
        near = np.abs(path[:, 0][:, None] - at) <= radius
        far = np.where(near, self.sign * path[:, 1][:, None] + reach, -np.inf).max(axis=0)
        ends = np.array([self.wall(at), self.sign * far])
        return ends.min(axis=0), ends.max(axis=0)

    def _turned(self, points: Points) -> Points:
        return np.column_stack((points[:, 0], self.sign * points[:, 1]))


def milled(track: Track, values: Sequence[float], mill: Mill) -> Milled:
    """The wall of a track at ``values`` (n,), family unit, as this mill leaves it. InputError without its figures."""
    wall = wall_needed(track)
    order = np.argsort(track.spaces)
    x, v = np.asarray(track.spaces, dtype=float)[order], np.asarray(values, dtype=float)[order]
    corners = np.column_stack((x - wall.land / 2, x + wall.land / 2)).ravel()
    is_below = wall.metal == BELOW
    heights = np.repeat(v, 2) if is_below else -np.repeat(v, 2)
    at, first = np.unique(corners, return_index=True)
    return Milled(roll(at, heights[first], mill.diameter / 2), is_below)


def plan(
    family: Family, bitting: Mapping[str, Sequence[str]], style: str, tool: Tool | None,
    values: Mapping[str, Sequence[float]],
) -> Plan:  # fmt: skip
    """Work out the cuts of a key; see ``Planning`` in the record of a kind. Raises InputError for a missing tool."""
    blank = checked_blank(family)
    tracks: list[MilledPlan] = []
    problems: list[Problem] = []
    for name, labels in bitting.items():
        track = family.track(name)
        mill = tool_for(Mill, track, tool, "mill")
        side = milled(track, values[name], mill)
        stands = _stands(track, values[name], side, family)
        cuts = tuple(_cuts(track, labels, values[name], side, stands))
        tracks.append(MilledPlan(track, cuts, macs_of_ramp(family, track, mill), side))
        problems += rules_broken(family, track, track.steps(labels))
        problems += _problems(family, blank, track, cuts)
        if isinstance(track.tool, Mill) and abs(mill.diameter - track.tool.diameter) > NOTHING:
            says = f"The mill is {mill.diameter:g} across; the family asks for {track.tool.diameter:g}."
            problems.append(Problem("mill", name, (), says))
    for first, other in combinations(tracks, 2):
        problems += _between(family, blank, first, other)
    return Plan(family, blank, style, tuple(tracks), tuple(problems), tool, _fins(family, blank, tracks))


def _fins(family: Family, blank: Blank, tracks: Sequence[MilledPlan]) -> tuple[Fin, ...]:
    """What is left thinner than a rib between all that is milled of a face and either of its edges.

    Looked at where a wall turns and finely between; the mill's far side is the edge of all its discs along its way.
    """
    found, least = [], least_rib(family)
    for face in dict.fromkeys(planned.track.face for planned in tracks):
        sides = [planned.side for planned in tracks if planned.track.face == face]
        finely = np.linspace(0.0, blank.length, FINELY)
        at = np.unique(np.concatenate([finely, *(side.marks(blank.length) for side in sides)]))
        gone = np.array([side.gone(at, blank.length) for side in sides])  # (walls, low and high, places)
        for edge, left in zip(
            (FRONT, BACK) if face in SIDES else (REFERENCE, OTHER),
            (gone[:, 0].min(axis=0), blank.across(face) - gone[:, 1].max(axis=0)),
            strict=True,
        ):
            thin = at[(left > NOTHING) & (left < least - NOTHING)]
            if len(thin):
                lowest = float(left[(left > NOTHING)].min())
                found.append(Fin(face, edge, lowest, float(thin[0]), float(thin[-1])))
    return tuple(found)


def _cuts(
    track: Track, labels: Sequence[str], values: Sequence[float], side: Milled, stands: Sequence[float]
) -> Iterable[PlannedCut]:
    centres = side.centre(np.array(track.spaces))
    for place, (label, x, value) in enumerate(zip(labels, track.spaces, values, strict=True)):
        before = track.spaces[place - 1] if place else 0.0
        own = {
            "mill_centre": float(centres[place]),
            "land_left": land_left(track, x, value, side),
            "stands": stands[place],
        }
        yield PlannedCut(place + 1, label, x, abs(x - before), value, own)


def land_left(track: Track, x: float, value: float, side: Milled) -> float:
    """How much of the land at ``x`` stands where it is wanted, the mill's corners taken off, family unit.

    An arc of radius r with its middle (c, C) is off a land at v by no more than t where it is
    sqrt(r^2 - (C - v - t)^2) or less from c. Arguments: the ``track``, its land's place ``x`` and ``value``, and the
    wall as it is ``side``. Raises nothing.
    """
    land, rolled = wall_needed(track).land, side.rolled
    low, high, level = x - land / 2, x + land / 2, side.sign * value
    gone = 0.0
    for start, end, middle, up in rolled.arcs:
        a, b = max(low, start), min(high, end)
        if a >= b:
            continue
        down = up - level - AS_WANTED
        near = np.sqrt(max(0.0, rolled.radius**2 - down**2)) if abs(down) < rolled.radius else 0.0
        kept = max(0.0, min(b, middle + near) - max(a, middle - near)) if near else 0.0
        gone += (b - a) - kept
    return float(max(0.0, land - gone))


def _stands(track: Track, values: Sequence[float], side: Milled, family: Family, along: float = 0.0) -> list[float]:
    """What each tumbler feels minus the wanted wall, (n,) family unit, as values run.

    Metal that is left there is more than 0 with metal below the wall, less than 0 with metal above it.
    """
    return [
        side.sign * (_felt(track, x - along, side) - side.sign * value)
        for x, value in zip(track.spaces, values, strict=True)
    ]


def _felt(track: Track, x: float, side: Milled) -> float:
    """How high the wall lifts a tumbler at ``x``, with metal below: in the mirror where it is above."""
    rolled, tumbler = side.rolled, track.tumbler
    if tumbler is None:
        return float(rolled.left(np.array([x]))[0])
    if tumbler.shape == "flat":
        points = rolled.points(x - tumbler.size / 2, x + tumbler.size / 2)
        return float(points[:, 1].max())
    low, high = x - tumbler.size, x + tumbler.size
    at = np.unique(np.concatenate([rolled.points(low, high)[:, 0], np.linspace(low, high, 257)]))
    away = np.clip(tumbler.size**2 - (at - x) ** 2, 0.0, None)
    return float((rolled.left(at) - (tumbler.size - np.sqrt(away))).max())


def _problems(family: Family, blank: Blank, track: Track, cuts: Sequence[PlannedCut]) -> Iterable[Problem]:
    wall = wall_needed(track)
    for place, gap in enumerate(gaps(track)):
        apart = abs(cuts[place + 1].value - cuts[place].value)
        if apart > (gap - wall.land) * wall.slope + NOTHING:
            says = f"From cut {place + 1} to cut {place + 2} the wall is steeper than its ramp of {wall.ramp:g}°."
            yield Problem("steep", track.name, (place + 1, place + 2), says)
    assert family.tolerance is not None
    for cut in cuts:
        if abs(cut.own["stands"] or 0.0) > family.tolerance.value + NOTHING:
            says = f"The mill leaves metal at cut {cut.space}, where its tumbler rests."
            yield Problem("no-land", track.name, (cut.space,), says)
    wide = blank.across(track.face)
    off = tuple(cut.space for cut in cuts if not -NOTHING <= cut.value <= wide + NOTHING)
    if off:
        says = f"The wall of cut {' and '.join(map(str, off))} is off the blade."
        yield Problem("face", track.name, off, says)
    at_gauge, at_far = ("shoulder", "tip") if family.gauge == Gauge.SHOULDER else ("tip", "shoulder")
    half = wall.land / 2
    for code, past in (
        (at_gauge, tuple(cut.space for cut in cuts if cut.from_gauge - half < -NOTHING)),
        (at_far, tuple(cut.space for cut in cuts if cut.from_gauge + half > blank.length + NOTHING)),
    ):
        if past:
            yield Problem(code, track.name, past, f"Cut {' and '.join(map(str, past))} reaches past the {code}.")


def _between(family: Family, blank: Blank, first: MilledPlan, other: MilledPlan) -> Iterable[Problem]:
    """What two walls on one face do to each other: the mill's room in a groove, the rib between two steps."""
    if first.track.face != other.track.face:
        return
    lower, upper = sorted((first, other), key=lambda each: sum(cut.value for cut in each.cuts) / len(each.cuts))
    at = np.unique(np.concatenate([each.side.rolled.marks(0.0, blank.length) for each in (lower, upper)]))
    if (lower.side.is_below, upper.side.is_below) == (True, False):
        if (lower.side.centre(at) > upper.side.centre(at) + NOTHING).any():
            says = f"Between the walls of {lower.track.name} and {upper.track.name} the mill has no room."
            yield Problem("groove", other.track.name, (), says)
    elif (lower.side.is_below, upper.side.is_below) == (False, True):
        rib = float((upper.side.wall(at) - lower.side.wall(at)).min())
        if rib < least_rib(family) - NOTHING:
            says = f"The rib between {lower.track.name} and {upper.track.name} is down to {rib:.4g}."
            yield Problem("groove", other.track.name, (), says)


def shape(
    family: Family, values: Mapping[str, Sequence[float]], *, style: str = "", tool: Tool | None = None,
    uncut: Collection[tuple[int, Place]] = (),
) -> Shape:  # fmt: skip
    """Each face, and the section at each space; see ``Shaping`` in the interface. Raises InputError likewise.

    In the view of a face, curves are named after their track: its wall, its mill's swath, the way of the mill's middle.
    """
    blank = checked_blank(family)
    cut = {name: numbers for name, numbers in values.items() if not _is_uncut(family, name, uncut)}
    sides = {
        name: milled(family.track(name), numbers, tool_for(Mill, family.track(name), tool, "mill"))
        for name, numbers in cut.items()
    }
    views = []
    for face in dict.fromkeys(family.track(name).face for name in values):
        curves: list[Curve] = []
        spots: list[Spot] = []
        wide = blank.across(face)
        corners = np.array([[0.0, 0.0], [blank.length, 0.0], [blank.length, wide], [0.0, wide]])
        for name, numbers in values.items():
            track = family.track(name)
            if track.face != face:
                continue
            spots += [Spot(Place(name, n), x, v) for n, (x, v) in enumerate(zip(track.spaces, numbers, strict=True), 1)]
            if name in sides:
                curves += _curves(name, sides[name], blank.length, wide)
        views.append(View(face, corners, corners, tuple(curves), tuple(spots)))
    return Shape((*views, _sections(family, blank, sides)))


def _is_uncut(family: Family, name: str, uncut: Collection[tuple[int, Place]]) -> bool:
    """Whether nothing of a track is cut yet: a wall is milled in one go."""
    return bool(uncut) and all(
        (clamping.number, Place(name, space)) in uncut
        for clamping in clampings(family, [track.name for track in family.tracks])
        if name in clamping.tracks
        for space in range(1, len(family.track(name).spaces) + 1)
    )


def _curves(name: str, side: Milled, length: float, wide: float) -> list[Curve]:
    """A track's wall, the swath that its mill takes clipped to the blade, and the way of the mill's middle."""
    wall, path = side.points(0.0, length), side.path(0.0, length)
    radius = side.rolled.radius
    far = path[:, 1] + side.sign * radius  # the mill's other side, where it goes straight on
    swath = np.concatenate([wall, np.column_stack((path[:, 0], far))[::-1]])
    swath[:, 1] = np.clip(swath[:, 1], 0.0, wide)
    return [
        Curve(name, wall),
        Curve(f"{name} swath", np.concatenate([swath, swath[:1]])),
        Curve(f"{name} path", path),
    ]


def _sections(family: Family, blank: Blank, sides: Mapping[str, Milled]) -> View:
    """The blade cut across at each space, one beside the other, as seen from the tip: its front face to the left."""
    places = sorted({x for track in family.tracks for x in track.spaces})
    apart = blank.thickness * 2.5
    curves = []
    for number, x in enumerate(places):
        left = number * apart
        curves.append(Curve(f"section {number + 1}", section_at(family, blank, sides, x) + np.array([left, 0.0])))
    wide = blank.thickness + max(0, len(places) - 1) * apart
    bare = np.array([[0.0, 0.0], [wide, 0.0], [wide, blank.height], [0.0, blank.height]])
    return View(SECTIONS, bare, bare, tuple(curves), ())


def section_at(family: Family, blank: Blank, sides: Mapping[str, Milled], x: float) -> Points:
    """The outline of the blade at ``x`` from the gauge as seen from the tip: closed (m, 2), family unit.

    Across the thickness from the front, which is on the left so looked at, and up from the reference edge. A step or
    groove of its depth goes in from its side, from the wall as far as the mill is wide; the back mirrors the front
    where the key goes in both ways up and the back has no track of its own. Arguments: the ``family`` and its
    ``blank``, and the walls that are milled as ``sides`` by track. Raises nothing.
    """
    gone: dict[str, list[tuple[float, float, float]]] = {face: [] for face in (*FACES, *SIDES)}  # from, to, how deep
    for name, side in sides.items():
        track = family.track(name)
        wall, wide = wall_needed(track), blank.across(track.face)
        low, high = (float(end[0]) for end in side.gone(np.array([x]), blank.length))
        low, high = max(0.0, low), min(wide, high)
        gone[track.face].append((low, high, wall.depth))
        if track.face == FACES[0] and is_alike(family):
            gone[FACES[1]].append((wide - high, wide - low, wall.depth))
    front, back = (_stepped(gone[face], blank.height) for face in FACES)
    top, bottom = (_stepped(gone[face], blank.thickness) for face in SIDES)
    ends = {at: (front[at][0], blank.thickness - back[at][0]) for at in (0, -1)}  # how far in either face is cut there
    up = {at: (bottom[at][0], blank.height - top[at][0]) for at in (0, -1)}  # and the edges at either face
    points = [
        *((blank.thickness - deep, float(np.clip(y, *up[-1]))) for deep, y in back),
        *((float(np.clip(across, *ends[-1])), blank.height - deep) for deep, across in reversed(top)),
        *((deep, float(np.clip(y, *up[0]))) for deep, y in reversed(front)),
        *((float(np.clip(across, *ends[0])), deep) for deep, across in bottom),
    ]
    return np.array([*points, points[0]])


def _stepped(parts: Sequence[tuple[float, float, float]], height: float) -> list[tuple[float, float]]:
    """How deep a face is cut, from its lower edge to its upper, as corners."""
    marks = sorted({0.0, height, *(y for low, high, _ in parts for y in (low, high))})
    corners = []
    for low, high in pairwise(marks):
        middle = (low + high) / 2
        deep = max((d for a, b, d in parts if a < middle < b), default=0.0)
        corners += [(deep, low), (deep, high)]
    return corners


def stands(
    family: Family, track: Track, values: Sequence[float], *, style: str = "", tool: Tool | None = None,
    along: float = 0.0,
) -> tuple[float, ...]:  # fmt: skip
    """Where the wall stands each tumbler, the way that metal is; see ``TumblerHeights`` in the record of a kind.

    Arguments: ``values`` (n,) family unit, all cuts so far ``along`` from where they should be. Returns (n,). Raises
    InputError without a mill.
    """
    side = milled(track, values, tool_for(Mill, track, tool, "mill"))
    return tuple(_felt(track, x - along, side) for x in track.spaces)


def clampings(family: Family, tracks: Iterable[str], style: str = "") -> tuple[Clamping, ...]:
    """Front, back, then the sides, after which the key sits badly; see ``Clampings`` in the record of a kind.

    Where the key goes in both ways up and no track is on the back, the front's are milled again with the key turned.
    Raises nothing.
    """
    named = [family.track(name) for name in tracks]
    found: list[Clamping] = []
    for face in (*FACES, *SIDES):
        of_face = tuple(track.name for track in named if track.face == face)
        turn = LONG_AXIS if face in (FACES[1], SIDES[1]) else None if face == FACES[0] else 90.0
        if of_face:
            found.append(Clamping(0, face, Mill.name, of_face, turn))
        elif face == FACES[1] and is_alike(family) and any(track.face == FACES[0] for track in named):
            front = tuple(track.name for track in named if track.face == FACES[0])
            found.append(Clamping(0, face, Mill.name, front, LONG_AXIS))
    return tuple(replace(clamping, number=number) for number, clamping in enumerate(found, start=1))


def is_alike(family: Family) -> bool:
    """Whether both faces carry the same: the key goes in both ways up, no track is on its back. Raises nothing."""
    return family.goes_both_ways and not any(track.face == FACES[1] for track in family.tracks)


def no_reach(plan: Plan) -> None:
    """No jaw minds how deep a wall is. Raises nothing."""


def working(family: Family, plan: Plan) -> tuple[str, ...]:
    """How the figures that only this kind has are worked out, in sentences. Raises nothing."""
    return (
        "The wall is wanted level over each land and straight between neighbouring lands.",
        "Mill’s middle = the highest that this mill stands on that wall; over a land the wall and its radius.",
        "Land left = how much of the land the mill leaves where it is wanted: inner corners stay round.",
        "Stands off = what the tumbler feels less the wanted wall.",
    )


def ways(plan: Plan) -> Mapping[str, Way]:
    """The way of the mill's middle along each wall, and how deep it stands in the face, family unit. Raises nothing."""
    found = {}
    for planned in plan.tracks:
        assert isinstance(planned, MilledPlan)
        path = planned.side.path(0.0, plan.blank.length)
        points, wall = tuple((float(x), float(y)) for x, y in path), wall_needed(planned.track)
        across = 2 * planned.side.rolled.radius
        found[planned.track.name] = Way({"Z": -wall.depth}, points, across, wall.metal)
    return found


CUTTING = Cutting(
    tool=Mill,
    styles=STYLES,
    columns=COLUMNS,
    clampings=clampings,
    lays=face_lays,
    plan=plan,
    shape=shape,
    tumbler_heights=stands,
    reach=no_reach,
    working=working,
    handling=HANDLING,
    suspects=MILLED,
    goes_across=True,
    ways=ways,
)
