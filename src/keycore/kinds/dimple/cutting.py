"""How holes are drilled into faces: mouths and seats, the metal left under them, the order of drills and faces."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from math import hypot

import numpy as np

from keycore.cutting.lay import face_lays
from keycore.cutting.plan import Plan, PlannedCut, Problem, TrackPlan, checked_blank, rules_broken, tool_for
from keycore.errors import InputError
from keycore.family import Blank, Family, Gauge, Place, Track
from keycore.geometry.profile import flats_left
from keycore.geometry.shape import SECTIONS, THINNEST, Curve, Points, Shape, Spot, View, circle
from keycore.kind import LONG_AXIS, Clamping, Column, Cutting, HandCheck, RestsOn, Way
from keycore.kinds.causes import DRILLED
from keycore.kinds.dimple import FACES, least_under, macs_of_drill, row_of, slope
from keycore.kinds.handling import CUTTER, GLASSES, GUARD, STOP_AWAY, TUGGED
from keycore.tools import Drill, Tool, Wheel
from keycore.units import NOTHING

FINELY = 241  # points along a row, beside those where its shape turns
BY_DRILL, BY_FACE = "by-drill", "by-face"
STYLES = {
    BY_DRILL: "by drill, every outer hole of both faces before the drill is changed",
    BY_FACE: "by face, outer and inner of one face in one clamping",
}
COLUMNS = (Column("mouth", "Mouth"), Column("seat_left", "Seat left"), Column("under", "Metal under"))
HANDLING = (
    GLASSES,
    GUARD,
    CUTTER,
    HandCheck("first-drill", "The drill named first is in; the second only once all its holes are done", RestsOn.TOOL),
    HandCheck("face-flat", "Blank lying flat, the face named here up, at its stop", RestsOn.CLAMPING),
    TUGGED,
    STOP_AWAY,
)
"""Common practice, no source."""


@dataclass(frozen=True, slots=True)
class Hole:
    """One hole, lengths in the family's unit."""

    track: str
    space: int
    face: str
    x: float  # from the gauge
    y: float  # from the reference edge
    deep: float
    drill: Drill

    @property
    def mouth(self) -> float:
        """Its width at the face."""
        return self.drill.tip + 2 * max(0.0, self.deep) * slope(self.drill)

    def depth_at(self, away: float) -> float:
        """How deep it is so far from its middle, 0 beyond its mouth. Raises nothing."""
        return max(0.0, self.deep - max(0.0, away - self.drill.tip / 2) / slope(self.drill))


@dataclass(frozen=True, slots=True)
class Changes:
    """What an order of the work asks of the hand."""

    drill_changes: int
    turns: int


def plan(
    family: Family, bitting: Mapping[str, Sequence[str]], style: str, tool: Tool | None,
    values: Mapping[str, Sequence[float]],
) -> Plan:  # fmt: skip
    """Work out the holes of a key; see ``Planning`` in the record of a kind. Raises InputError for a missing tool."""
    blank = checked_blank(family)
    holes = {name: holes_of(family, blank, family.track(name), values[name], tool) for name in bitting}
    tracks, problems = [], []
    for name, labels in bitting.items():
        track, own = family.track(name), holes[name]
        across = [hole for other in holes.values() for hole in other if hole.face != track.face]
        seats = _seats(track, values[name], own[0].drill)
        cuts = tuple(_cuts(track, labels, values[name], own, seats, [metal_under(blank, h, across) for h in own]))
        tracks.append(TrackPlan(track, cuts, macs_of_drill(family, track, own[0].drill)))
        problems += rules_broken(family, track, track.steps(labels))
        problems += _problems(family, blank, track, cuts, own, holes.get(row_of(track).inside, ()))
        if isinstance(track.tool, Drill) and track.tool != own[0].drill:
            says = f"The drill has a tip of {own[0].drill.tip:g}; the family asks for {track.tool.tip:g}."
            problems.append(Problem("drill", name, (), says))
    return Plan(family, blank, style, tuple(tracks), tuple(problems), tool)


def holes_of(
    family: Family, blank: Blank, track: Track, values: Sequence[float], tool: Tool | None = None
) -> tuple[Hole, ...]:
    """The holes of a track of a ``family`` on its ``blank``, drilled to ``values`` (n,), family unit.

    ``tool`` is a drill that is fitted in place of the ``track``'s own. Raises InputError without drill or row.
    """
    drill, away = tool_for(Drill, track, tool, "drill"), row_of(track).away
    if away is None:
        raise InputError(f"family.tracks.{track.name}.row", "needed to plan a key")
    return tuple(
        Hole(track.name, space, track.face, x, away, blank.thickness - value, drill)
        for space, (x, value) in enumerate(zip(track.spaces, values, strict=True), start=1)
    )


def _seats(track: Track, values: Sequence[float], drill: Drill) -> tuple[float, ...]:
    """How much of each tip along the row deeper neighbours leave: the sum of an edge key's flat."""
    return flats_left(track.spaces, values, Wheel(drill.tip, drill.angle))


def _cuts(
    track: Track, labels: Sequence[str], values: Sequence[float], holes: Sequence[Hole], seats: Sequence[float],
    under: Sequence[float],
) -> Iterable[PlannedCut]:  # fmt: skip
    for place, (label, x) in enumerate(zip(labels, track.spaces, strict=True)):
        before = track.spaces[place - 1] if place else 0.0
        own = {"mouth": holes[place].mouth, "seat_left": seats[place], "under": under[place]}
        yield PlannedCut(place + 1, label, x, abs(x - before), values[place], own)


def metal_under(blank: Blank, hole: Hole, across: Iterable[Hole]) -> float:
    """The thinnest metal between a hole and those of the opposite face, or that face itself, family unit.

    Over the places where this hole has depth or its rim, both depths fall off in straight lines, so that along the line
    of their middles, from this one's to its rim, it is enough to look where either changes. Arguments: the ``blank``,
    the ``hole``, and those ``across`` from it. Raises nothing.
    """
    most = hole.deep
    for other in across:
        apart = hypot(other.x - hole.x, other.y - hole.y)
        if apart >= (hole.mouth + other.mouth) / 2:
            continue  # nothing of it lies across from this one
        marks = [0.0, hole.drill.tip / 2, hole.mouth / 2]
        marks += [apart + side * reach / 2 for side in (-1, 1) for reach in (other.mouth, other.drill.tip)] + [apart]
        for away in marks:
            if 0.0 <= away <= hole.mouth / 2:
                most = max(most, hole.depth_at(away) + other.depth_at(abs(apart - away)))
    return blank.thickness - most


def _problems(
    family: Family, blank: Blank, track: Track, cuts: Sequence[PlannedCut], holes: Sequence[Hole],
    outer: Sequence[Hole],
) -> Iterable[Problem]:  # fmt: skip
    thinnest, name = least_under(family), track.name
    for cut, hole in zip(cuts, holes, strict=True):
        if _is_seat_gone(cut, hole, holes):
            says = f"Deeper holes beside cut {cut.space} leave nothing of its seat: the depth is gone."
            yield Problem("no-seat", name, (cut.space,), says)
        under = cut.own["under"] or 0.0
        if under < thinnest - NOTHING:
            says = f"Under cut {cut.space} only {under:.4g} is left of the metal; {thinnest:.4g} is the least."
            yield Problem("thin", name, (cut.space,), says)
        around = next((each for each in outer if abs(each.x - hole.x) <= NOTHING), None)
        if around is not None and _is_not_within(hole, around):
            says = f"The inner hole of cut {cut.space} is not within the tip of its outer one."
            yield Problem("inside", name, (cut.space,), says)
    past = tuple(h.space for h in holes if h.y - h.mouth / 2 < -NOTHING or h.y + h.mouth / 2 > blank.height + NOTHING)
    if past:
        yield Problem("face", name, past, f"The mouth of cut {_named(past)} reaches past an edge of the blade.")
    at_gauge, at_far = ("shoulder", "tip") if family.gauge == Gauge.SHOULDER else ("tip", "shoulder")
    for code, beyond in (
        (at_gauge, tuple(hole.space for hole in holes if hole.x - hole.mouth / 2 < -NOTHING)),
        (at_far, tuple(hole.space for hole in holes if hole.x + hole.mouth / 2 > blank.length + NOTHING)),
    ):
        if beyond:
            yield Problem(code, name, beyond, f"Cut {_named(beyond)} reaches past the {code}.")


def _is_seat_gone(cut: PlannedCut, hole: Hole, holes: Sequence[Hole]) -> bool:
    if hole.drill.tip > 0:
        return (cut.own["seat_left"] or 0.0) <= NOTHING
    return any(abs(each.x - hole.x) < (each.deep - hole.deep) * slope(hole.drill) for each in holes)


def _is_not_within(inner: Hole, outer: Hole) -> bool:
    """Whether an inner hole is shallower than its outer one, or wider than its tip at its floor."""
    at_floor = inner.drill.tip + 2 * (inner.deep - outer.deep) * slope(inner.drill)
    return inner.deep < outer.deep - NOTHING or at_floor > outer.drill.tip + NOTHING


def _named(spaces: Sequence[int]) -> str:
    return " and ".join(map(str, spaces))


def clampings(family: Family, tracks: Iterable[str], style: str = "") -> tuple[Clamping, ...]:
    """One each time the drill is changed or the key turned over; see ``Clampings`` in the record of a kind.

    By drill a face is not turned away from before both drills' holes next to each other in time are done on it; by
    face every inner hole comes right after its outer one, in the same clamping. Raises nothing.
    """
    named = [family.track(name) for name in tracks]
    found: list[tuple[str, tuple[str, ...]]] = []
    drills = _drills(named)
    if style == BY_FACE:
        for face in FACES:
            found += [(face, of) for drill in drills if (of := _of(named, face, drill))]
    else:
        for drill in drills:
            faces = FACES if not found or found[-1][0] == FACES[0] else FACES[::-1]
            found += [(face, of) for face in faces if (of := _of(named, face, drill))]
    clampings_, before = [], FACES[0]
    for number, (face, of) in enumerate(found, start=1):
        turn = LONG_AXIS if face != before else None
        clampings_.append(Clamping(number, face, tool_name(named, of), of, turn))
        before = face
    return tuple(clampings_)


def _drills(tracks: Sequence[Track]) -> list[tuple[bool, Tool | None]]:
    """The drills in the order of the work: those of outer holes before those of inner ones."""
    outer = [(False, track.tool) for track in tracks if not row_of(track).inside]
    inner = [(True, track.tool) for track in tracks if row_of(track).inside]
    return list(dict.fromkeys([*outer, *inner]))


def _of(tracks: Sequence[Track], face: str, drill: tuple[bool, Tool | None]) -> tuple[str, ...]:
    return tuple(
        track.name for track in tracks if track.face == face and (bool(row_of(track).inside), track.tool) == drill
    )


def tool_name(tracks: Sequence[Track], names: Sequence[str]) -> str:
    """The drill of the ``tracks`` (n,) of these ``names``, as a clamping calls it. Raises nothing."""
    tool = next(track.tool for track in tracks if track.name in names)
    return f"drill {tool.tip:g}/{tool.angle:g}" if isinstance(tool, Drill) else Drill.name


def changes(family: Family, tracks: Iterable[str], style: str) -> Changes:
    """How often drill and side are changed, for ``tracks`` in the order of a ``style``. Raises nothing."""
    order = clampings(family, list(tracks), style)
    drills = sum(a.tool != b.tool for a, b in pairwise(order))
    return Changes(drills, sum(a.face != b.face for a, b in pairwise(order)))


def shape(
    family: Family, values: Mapping[str, Sequence[float]], *, style: str = "", tool: Tool | None = None,
    uncut: Collection[tuple[int, Place]] = (),
) -> Shape:  # fmt: skip
    """Each face with its holes, and the section along each row; see ``Shaping`` in the interface. InputError likewise.

    Curves on a face are a hole's mouth and its tip, named after its track and space.
    """
    blank = checked_blank(family)
    corners = np.array([[0.0, 0.0], [blank.length, 0.0], [blank.length, blank.height], [0.0, blank.height]])
    holes = [h for name, of in values.items() for h in holes_of(family, blank, family.track(name), of, tool)]
    left = {(place.track, place.space) for _, place in uncut}
    views, faces = [], dict.fromkeys(family.track(name).face for name in values)
    for face in faces:
        of_face = [hole for hole in holes if hole.face == face]
        curves = [
            Curve(f"{hole.track} {hole.space} {what}", circle(hole.x, hole.y, wide / 2))
            for hole in of_face
            if (hole.track, hole.space) not in left and hole.deep > 0
            for what, wide in (("mouth", hole.mouth), ("tip", hole.drill.tip))
            if wide > 0
        ]
        spots = tuple(Spot(Place(hole.track, hole.space), hole.x, hole.y) for hole in of_face)
        views.append(View(face, corners, corners, tuple(curves), spots))
    done = [hole for hole in holes if (hole.track, hole.space) not in left]
    return Shape((*views, _section(blank, done, dict.fromkeys(hole.y for hole in holes))))


def _section(blank: Blank, holes: Sequence[Hole], rows: Iterable[float]) -> View:
    """The blade cut along each row, one above the other: x from the gauge, its front face up.

    Each row is a closed outline, and a line across where the metal along it is thinnest, where any of it is drilled.
    """
    curves = []
    apart = blank.thickness * 2
    rows = list(rows)
    for number, y in enumerate(rows):
        at = _along_row(blank, holes, y)
        front, back = (_deep_along(at, y, [hole for hole in holes if hole.face == face]) for face in FACES)
        low = number * apart
        upper = np.column_stack((at, low + blank.thickness - front))
        lower = np.column_stack((at, low + back))[::-1]
        curves.append(Curve(f"row {number + 1}", np.concatenate([upper, lower, upper[:1]])))
        left = blank.thickness - front - back
        thin = int(left.argmin())
        if left[thin] < blank.thickness - NOTHING:
            ends = [[at[thin], low + back[thin]], [at[thin], low + blank.thickness - front[thin]]]
            curves.append(Curve(f"row {number + 1} {THINNEST}", np.array(ends)))
    high = blank.thickness + max(0, len(rows) - 1) * apart
    bare = np.array([[0.0, 0.0], [blank.length, 0.0], [blank.length, high], [0.0, high]])
    return View(SECTIONS, bare, bare, tuple(curves), ())


def _along_row(blank: Blank, holes: Sequence[Hole], y: float) -> Points:
    """Where a row is looked at: where a hole of it begins, turns and has its middle, and finely between."""
    marks = {hole.x for hole in holes if hole.y == y}
    for hole in holes:
        if hole.y == y:
            marks |= {hole.x + side * reach / 2 for side in (-1, 1) for reach in (hole.mouth, hole.drill.tip)}
    fine = np.linspace(0.0, blank.length, FINELY)
    return np.unique(np.concatenate([fine, [x for x in marks if 0.0 <= x <= blank.length]]))


def _deep_along(at: Points, y: float, holes: Sequence[Hole]) -> Points:
    """How deep a face is drilled along a row, (n,): also where a hole of another row reaches over it."""
    deep = [max((h.depth_at(hypot(x - h.x, y - h.y)) for h in holes), default=0.0) for x in at]
    return np.array(deep)


def stands(
    family: Family, track: Track, values: Sequence[float], *, style: str = "", tool: Tool | None = None,
    along: float = 0.0,
) -> tuple[float, ...]:  # fmt: skip
    """How high each pin stands on its seat; see ``TumblerHeights`` in the record of a kind.

    A pin rides up the cone where its hole is off along the row by more than half the tip less what it rests on: height
    error = offset / tan(angle / 2) once past the seat. Arguments: ``values`` (n,) family unit, all holes so far
    ``along``. Returns (n,). Raises InputError without a drill.
    """
    drill = tool_for(Drill, track, tool, "drill")
    return tuple(value + _ride(track, drill, along) for value in values)


def rides(track: Track, along: float) -> float:
    """How much higher a pin stands on the cone of its hole, family unit. InputError for a track without a drill.

    Past the seat it is the offset / tan(angle / 2). Arguments: the ``track``, and how far its hole is off ``along`` it.
    """
    return _ride(track, tool_for(Drill, track, None, "drill"), along)


def _ride(track: Track, drill: Drill, along: float) -> float:
    rests = track.tumbler.size if track.tumbler is not None else drill.tip / 2
    return max(0.0, abs(along) - max(0.0, drill.tip / 2 - rests)) / slope(drill)


def no_reach(plan: Plan) -> None:
    """No jaw minds how deep a hole is. Raises nothing."""


def working(family: Family, plan: Plan) -> tuple[str, ...]:
    """How the figures that only this kind has are worked out, in sentences. Raises nothing."""
    return (
        "Mouth = tip + 2 · (thickness − what is left) · tan(angle / 2).",
        "Seat left = how much of the tip along the row deeper neighbours leave.",
        "Metal under = thickness less the deepest of this hole and the holes of the other face together.",
    )


def ways(plan: Plan) -> Mapping[str, Way]:
    """The line of each row across the face, family unit. Raises nothing."""
    return {each.track.name: Way({"Y": row_of(each.track).away or 0.0}) for each in plan.tracks}


CUTTING = Cutting(
    tool=Drill,
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
    suspects=DRILLED,
    ways=ways,
    rides=rides,
)
