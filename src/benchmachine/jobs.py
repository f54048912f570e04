"""What a client hands in: the cuts of a key, what holds it, and how far it is."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

from benchmachine.blade import Blade, Lain, Refused

MOST_CUTS = 400
MOST_POINTS = 2_000
MOST_ACROSS = 20.0  # mm
MOST_TOOLS = 20


@dataclass(frozen=True)
class Holder:
    """What holds the key: the axes that make space and depth, and whether a hand turns it from cut to cut."""

    space: str
    depth: str
    by_hand: bool = False
    third: str = ""  # an axis that stands still while a cut is made: how deep a mill is, which row a drill

    @property
    def axes(self) -> tuple[str, ...]:
        """All, the space first."""
        return (self.space, self.depth, self.third) if self.third else (self.space, self.depth)

    @property
    def is_face(self) -> bool:
        """Whether it holds a blade flat on a face that can be touched off."""
        return (self.space, self.depth) == ("X", "Y")


JAW, ADAPTER, TURNING_CLAMP = Holder("X", "Z"), Holder("A", "X", by_hand=True), Holder("X", "A")
FACE_CLAMP = Holder("X", "Y")
HOLDERS = {(holder.space, holder.depth): holder for holder in (JAW, ADAPTER, TURNING_CLAMP, FACE_CLAMP)}
"""A jaw; an adapter indexed by hand and fed by the axis that else makes the place; a clamp that turns the key; one that
holds a blade flat, its face up, for a mill whose walls the axis across makes."""
THIRD = {("X", "Z"): "Y", ("X", "Y"): "Z"}
"""The further axis of a holder: across in the jaw, into the face in the clamp that holds a blade flat."""
ANGLES = frozenset({"A"})


@dataclass
class Job:
    """One key being made: cuts as {clamping, place, at, tool}, lengths in millimetres."""

    id: str
    client: str
    cuts: list[dict[str, Any]]
    onto: str | None = None  # the finished key that it is cut into
    holder: Holder = JAW
    at: int = 0  # the next cut
    share: float = 0.0  # how much of it is done
    face: str = ""  # of the clamp that it lies on
    stop: str = "shoulder"  # which of the machine's stops it counts from
    is_halved: bool = False  # whether its jaw gives half of every number to each of two edges
    tools: dict[str, dict[str, float]] = field(default_factory=dict)  # size and angle by name, "" for any
    blade: Blade = field(default_factory=Blade)
    lain: Lain | None = None  # None before a hand laid it
    is_old: bool = False  # begun with a machine of version 2, which knew no blades
    made: dict[str, tuple[float, float]] = field(default_factory=dict)  # of an old one: place: (position, value)

    @property
    def following(self) -> dict[str, Any]:
        """The cut that is next, the last once all are done."""
        return self.cuts[min(self.at, len(self.cuts) - 1)]

    @property
    def clamping(self) -> int:
        """The clamping that the next cut belongs to."""
        return int(self.following["clamping"])

    @property
    def wants_tool(self) -> str | None:
        """The tool that the next cut is made with; None where any that is fitted will do."""
        tool = self.following["tool"]
        return None if tool is None else str(tool)


def holder_for(axes: Any) -> Holder:
    """What holds a key whose space and depth these axes make, or Refused."""
    named = tuple(axes) if isinstance(axes, list | tuple) and all(isinstance(axis, str) for axis in axes) else ()
    pair, further = (named[0], named[1]) if len(named) > 1 else ("", ""), named[2:]
    if pair not in HOLDERS or (further and further != (THIRD.get(pair, ""),)):
        known = ", ".join(" and ".join(pair) for pair in HOLDERS)
        raise Refused(f"it has nothing that makes space and depth so, only by {known}")
    return replace(HOLDERS[pair], third=further[0]) if further else HOLDERS[pair]


def checked_cuts(cuts: Any, holder: Holder) -> list[dict[str, Any]]:
    """A job's cuts: clamping, place, axes and tool of each, or Refused."""
    if not isinstance(cuts, list) or not 0 < len(cuts) <= MOST_CUTS:
        raise Refused(f"a job has 1 to {MOST_CUTS} cuts")
    for cut in cuts:
        if not isinstance(cut, dict) or set(cut) - {"mill"} != {"clamping", "place", "at", "tool"}:
            raise Refused("a cut has clamping, place, at and tool, one that is milled its mill too")
        if not isinstance(cut["clamping"], int) or cut["clamping"] < 1 or not isinstance(cut["place"], str):
            raise Refused("a clamping is a number from 1, a place a name")
        if not isinstance(cut["at"], dict) or set(cut["at"]) != set(holder.axes):
            raise Refused(f"it has the axes {' and '.join(holder.axes)}")
        if not all(isinstance(number, int | float) and abs(number) < 1000 for number in cut["at"].values()):
            raise Refused("an axis goes to a number of millimetres or degrees")
        if cut["tool"] is not None and not isinstance(cut["tool"], str):
            raise Refused("a tool is a name, or none")
        _check_mill(cut.get("mill"), holder)
    return [dict(cut) for cut in cuts]


def _check_mill(mill: Any, holder: Holder) -> None:
    """Refuse a stretch of a wall that has no way, or none that a mill in a face can go."""
    if mill is None:
        return
    if not holder.is_face:
        raise Refused("it mills along a way in the face clamp only")
    if not isinstance(mill, dict) or set(mill) != {"way", "diameter"}:
        raise Refused("a mill has a way and a diameter")
    way, across = mill["way"], mill["diameter"]
    if not _is_number(across) or not 0 < across < MOST_ACROSS:
        raise Refused("a mill is of some millimetres across")
    if not isinstance(way, list) or not 1 < len(way) <= MOST_POINTS:
        raise Refused(f"a way has 2 to {MOST_POINTS} points")
    if not all(isinstance(point, list) and len(point) == 2 and all(map(_is_number, point)) for point in way):
        raise Refused("a point of a way is two numbers of millimetres")


def checked_tools(tools: Any) -> dict[str, dict[str, float]]:
    """The tools of a job by name, each of a size and an angle, or Refused."""
    if not isinstance(tools, dict) or len(tools) > MOST_TOOLS:
        raise Refused(f"a job has up to {MOST_TOOLS} tools by name")
    return {str(name)[:40]: checked_tool(tool) for name, tool in tools.items()}


def checked_tool(tool: Any) -> dict[str, float]:
    """The flat, tip or diameter of a tool and its angle, or Refused."""
    if not isinstance(tool, dict) or set(tool) - {"angle"} != {"size"}:
        raise Refused("a tool has a size, and an angle where it has one")
    if not all(map(_is_number, tool.values())) or not 0 <= tool["size"] < MOST_ACROSS:
        raise Refused("a tool is of some millimetres across")
    if not 0 < tool.get("angle", 90.0) < 180:
        raise Refused("the angle of a tool is between 0 and 180 degrees")
    return {name: float(number) for name, number in tool.items()}


def _is_number(told: Any) -> bool:
    return isinstance(told, int | float) and not isinstance(told, bool) and abs(told) < 1000
