"""A machine as a picture: what holds the key, what cuts it, what guides it, and which way each offset moves it."""

from __future__ import annotations

from dataclasses import dataclass
from math import radians, tan

from wryfalcon.drawings.sheet import path

WIDTH, HEIGHT, PAIR_HEIGHT = 380.0, 220.0, 186.0
KEY_TOP, JAW_TOP, JAW_BOTTOM = 132.0, 150.0, 196.0
TOOL_REACH, TOOL_TOP = 10.0, 66.0  # how far the tool is in the key, and where it ends above
HALF_TOOL, FACE = 26.0, 7.0  # half its width above, half its flat at most
MOVED = 9.0  # pixels that an offset is drawn as, however small it is
ALONE, PAIR = (190.0,), (104.0, 276.0)


@dataclass(frozen=True)
class ToolFacts:
    """A wheel, mill, follower or tracer: its name, and its shape; mm and degrees, an angle of 0 for a mill."""

    name: str
    flat: float = 1.0
    angle: float = 90.0


@dataclass(frozen=True)
class MachineFacts:
    """All that is drawn of a machine; offsets in mm, positive is shallower and away from the gauge."""

    tool: ToolFacts
    follower: ToolFacts | None = None  # of a duplicator
    jaw: str = ""
    space_axis: str = "X"
    depth_axis: str = "Z"
    depth_offset: float = 0.0
    space_offset: float = 0.0


@dataclass(frozen=True)
class Station:
    """One key in its jaw, and the tool over it; dashed where the tool would be without the offset."""

    x: float
    tool: str
    name: str
    holds: str
    ghost: str = ""


@dataclass(frozen=True)
class MachineDrawing:
    """The picture."""

    width: float
    height: float
    stations: tuple[Station, ...]
    key_top: float
    jaw_top: float
    jaw_bottom: float
    jaw: str
    space_axis: str
    depth_axis: str
    is_pair: bool

    @property
    def left(self) -> float:
        """The first station."""
        return self.stations[0].x

    @property
    def right(self) -> float:
        """The last one."""
        return self.stations[-1].x


def draw_machine(facts: MachineFacts) -> MachineDrawing:
    """Draw it: one station, or two side by side where one guides the other."""
    places = PAIR if facts.follower is not None else ALONE
    stations = []
    if facts.follower is not None:
        stations.append(Station(places[0], _tool(facts.follower, places[0]), facts.follower.name, "pattern"))
    x = places[-1]
    across, up = _sign(facts.space_offset) * MOVED, -_sign(facts.depth_offset) * MOVED
    ghost = _tool(facts.tool, x) if across or up else ""
    tool = _tool(facts.tool, x + across, up)
    stations.append(Station(x, tool, facts.tool.name, "blank" if facts.follower is not None else "key", ghost))
    is_pair = facts.follower is not None
    return MachineDrawing(
        width=WIDTH, height=PAIR_HEIGHT if is_pair else HEIGHT, stations=tuple(stations), key_top=KEY_TOP,
        jaw_top=JAW_TOP, jaw_bottom=JAW_BOTTOM, jaw=facts.jaw, space_axis=facts.space_axis,
        depth_axis=facts.depth_axis, is_pair=is_pair,
    )  # fmt: skip


def _tool(tool: ToolFacts, x: float, up: float = 0.0) -> str:
    """Its outline, edge-on: a flat with flanks for a wheel, straight sides for a mill."""
    bottom, top = KEY_TOP + TOOL_REACH + up, TOOL_TOP + up
    if tool.angle <= 0:
        half = max(4.0, min(HALF_TOOL / 2, tool.flat * 4))
        return path([(x - half, top), (x - half, bottom), (x + half, bottom), (x + half, top)], close=True)
    face = min(FACE, max(1.5, tool.flat * 4))
    wide = min(HALF_TOOL, face + (bottom - top) * tan(radians(tool.angle / 2)))
    knee = bottom - (wide - face) / tan(radians(tool.angle / 2))
    outline = [(x - face, bottom), (x - wide, max(knee, top)), (x - wide, top)]
    return path([*outline, *((2 * x - at, y) for at, y in reversed(outline))], close=True)


def _sign(number: float) -> int:
    return (number > 0) - (number < 0)
