"""What a client hands in: the cuts of a key, what holds it, and how far it is."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

MOST_CUTS = 400


class Refused(Exception):
    """The machine will not do that now; the text says why."""


@dataclass(frozen=True)
class Holder:
    """What holds the key: the axes that make space and depth, and whether a hand turns it from cut to cut."""

    space: str
    depth: str
    by_hand: bool = False

    @property
    def axes(self) -> tuple[str, str]:
        """Both, the space first."""
        return self.space, self.depth


JAW, ADAPTER, TURNING_CLAMP = Holder("X", "Z"), Holder("A", "X", by_hand=True), Holder("X", "A")
FACE_CLAMP = Holder("X", "Y")
HOLDERS = {holder.axes: holder for holder in (JAW, ADAPTER, TURNING_CLAMP, FACE_CLAMP)}
"""A jaw; an adapter indexed by hand and fed by the axis that else makes the place; a clamp that turns the key; one that
holds a blade flat, its face up, for a mill whose walls the axis across makes."""
ANGLES = frozenset({"A"})
DEEPER = ("less", "more", "turned")
"""What a deeper cut's number is; of a turning clamp, or where walls face both ways, it is neither."""


@dataclass
class Job:
    """One key being made: cuts as {clamping, place, at, tool}, lengths in millimetres."""

    id: str
    client: str
    cuts: list[dict[str, Any]]
    blank_height: float
    onto: str | None = None  # the finished key that it is cut into
    holder: Holder = JAW
    deeper: str = "less"
    at: int = 0  # the next cut
    share: float = 0.0  # how much of it is done
    made: dict[str, tuple[float, float]] = field(default_factory=dict)  # place: true (position, value)

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
    if named not in HOLDERS:
        known = ", ".join(" and ".join(pair) for pair in HOLDERS)
        raise Refused(f"it has nothing that makes space and depth so, only by {known}")
    return HOLDERS[named]


def checked_cuts(cuts: Any, holder: Holder) -> list[dict[str, Any]]:
    """A job's cuts: clamping, place, axes and tool of each, or Refused."""
    if not isinstance(cuts, list) or not 0 < len(cuts) <= MOST_CUTS:
        raise Refused(f"a job has 1 to {MOST_CUTS} cuts")
    for cut in cuts:
        if not isinstance(cut, dict) or set(cut) != {"clamping", "place", "at", "tool"}:
            raise Refused("a cut has clamping, place, at and tool")
        if not isinstance(cut["clamping"], int) or cut["clamping"] < 1 or not isinstance(cut["place"], str):
            raise Refused("a clamping is a number from 1, a place a name")
        if not isinstance(cut["at"], dict) or set(cut["at"]) != set(holder.axes):
            raise Refused(f"it has the axes {' and '.join(holder.axes)}")
        if not all(isinstance(number, int | float) and abs(number) < 1000 for number in cut["at"].values()):
            raise Refused("an axis goes to a number of millimetres or degrees")
        if cut["tool"] is not None and not isinstance(cut["tool"], str):
            raise Refused("a tool is a name, or none")
    return [dict(cut) for cut in cuts]
