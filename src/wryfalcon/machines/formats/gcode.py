"""A cut plan as G-code, RS-274 dialect (Kramer, Proctor and Messina, NISTIR 6556, 2000).

One axis, usually X, pieces along the blade from the gauge, another, usually Z, is the depth value left; which, the
machine's book says; millimetres, or degrees of an axis that turns. Wherever a hand must act the tool is drawn back, the
spindle stopped and waited for, and M0, a stop in the program, says what to do; after it the spindle runs up again.
Values measured across both roots of a double-edge key are for the machine's own jaw to halve, as on its dials.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from itertools import groupby, pairwise
from math import hypot
from typing import TYPE_CHECKING, Any

from keycore.cutting.commands import AxisMap
from keycore.kind import Way

if TYPE_CHECKING:  # the drivers write programs themselves
    from wryfalcon.machines.drivers.interface import Command

USUAL = AxisMap()

CLEARANCE = 2.0  # mm above the blank for travel
FEED = 60.0  # mm a minute
RESOLUTION = 0.01  # mm: no move of a way is shorter
STRAIGHT = 0.002  # mm: a point that lies no further from the line of its neighbours is no corner
STANDS_OFF = 0.05  # mm that a mill stands off its wall on the way in, where it cuts it on the way out
OFF_TIP = 1.0  # mm beyond its radius from which a mill comes in
RUNS_DOWN, RUNS_UP = "G4 P3", "G4 P2"
"""Seconds until a spindle stands, and until it runs: common practice, no source."""
FED_BY_HAND = "feed to the stop, back off, the spindle running"

Points = tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class Program:
    """What a program is for: comments at its head, the axes of its clamp, and what a deeper cut's number is.

    ``deeper`` is less (what is left), more (how far it goes in) or turned (an angle, fed by hand to the stop).
    ``lays`` says how the key lies by the numbers that its cuts have, ``tools`` what each tool is by name, "" for cuts
    that name none; ``index`` which way a tube is turned by hand from slot to slot, "" where none is.
    """

    job: str
    head: Sequence[str] = ()
    axes: AxisMap = USUAL
    deeper: str = "less"
    uncut: float = 0.0  # the depth axis's number where metal begins
    ways: Mapping[str, Way] = field(default_factory=dict)  # by track
    lays: Mapping[int, str] = field(default_factory=dict)
    tools: Mapping[str, str] = field(default_factory=dict)
    index: str = ""
    length: float = 0.0  # of the blade, mm; 0 where no mill runs along it
    counts_from: str = "shoulder"  # the end that positions count from


def program_told(told: Mapping[str, Any]) -> Program:
    """A program as it was put into an order, as ``dataclasses.asdict`` gives it and JSON keeps it."""
    ways = {
        name: Way(way["also"], tuple((x, y) for x, y in way["path"]), way["across"], way["metal"])
        for name, way in told["ways"].items()
    }
    lays = {int(number): says for number, says in told["lays"].items()}
    return Program(**{**told, "axes": AxisMap(**told["axes"]), "ways": ways, "lays": lays})


def write_gcode(program: Program, cuts: Sequence[Command]) -> str:
    """One key as a program: travel clear of the blank, go to each value, back off."""
    axes = program.axes
    safe = program.uncut + (-CLEARANCE if program.deeper == "more" else CLEARANCE)
    is_milled = any(way.path for way in program.ways.values())
    clear = "" if program.deeper == "turned" or is_milled else f"G0 {axes.depth}{safe:.4f}"
    lifted = f"G0 Z{CLEARANCE:.4f}" if is_milled else clear
    first = cuts[0].get("tool", "") if cuts else ""
    head = [_tool(program, first), f"(job {_plain(program.job)})", *(f"({_plain(line)})" for line in program.head)]
    lines = ["%", *head, "G21 G90 G94", lifted]
    before: Command | None = None
    for (number, tool, track), group in groupby(cuts, key=lambda c: (c["clamping"], c.get("tool", ""), c["track"])):
        of_track = list(group)
        hands = _hands(program, of_track[0], before)
        if hands:
            stops = [f"M0 ({_plain(says)})" for says in hands]
            lines += [lifted, "M5", RUNS_DOWN] if before is not None else []
            lines += [*stops, *([_tool(program, tool)] if before is not None else []), "M3", RUNS_UP]
        elif before is None:
            lines += ["M3", RUNS_UP]
        before = of_track[-1]
        lines.append(f"(lay {number}, track {_plain(track)})")
        way = program.ways.get(track)
        if way is not None and way.path:
            lines += _along(program, way)
            continue
        lines += [f"G0 {axis}{number:.4f}" for axis, number in (way.also if way is not None else {}).items()]
        lines += _each(program, of_track, clear)
    return "\n".join([line for line in lines if line] + ["M5", "M2", "%", ""])


def _tool(program: Program, name: str) -> str:
    words = program.tools.get(name, name)
    return f"(tool {_plain(words)})" if words else ""


def _hands(program: Program, first: Command, before: Command | None) -> list[str]:
    """What hands do before a cut: lay the key otherwise, fit another tool; nothing where all stays as it is."""
    hands = []
    if before is None or first["clamping"] != before["clamping"]:
        hands += [program.lays[first["clamping"]]] if first["clamping"] in program.lays else []
    tool = first.get("tool", "")
    if before is not None and tool != before.get("tool", ""):
        hands.append(f"fit {program.tools.get(tool, tool)}, unplugged, hex key out at once")
    return hands


def _each(program: Program, cuts: Sequence[Command], clear: str) -> list[str]:
    """Cut after cut; of a tube every slot but the first is turned to by hand."""
    axes, lines = program.axes, []
    for place, cut in enumerate(cuts):
        if program.index:
            if place:
                says = f"turn the index {program.index} to its dot for slot {cut['space']}, {cut['position']:.2f}°"
                lines += ["M5", RUNS_DOWN, f"M0 ({_plain(says)})", "M3", RUNS_UP]
            lines += [f"G1 {axes.depth}{cut['value']:.4f} F{FEED:.1f}", clear]
        elif not clear:  # a clamp that turns the key is fed by hand to its stop
            lines += [f"G0 {axes.space}{cut['position']:.4f} {axes.depth}{cut['value']:.4f}", f"M0 ({FED_BY_HAND})"]
        else:
            to = f"G0 {axes.space}{cut['position']:.4f}"
            lines += [to, f"G1 {axes.depth}{cut['value']:.4f} F{FEED:.1f}", clear]
    return lines


def _along(program: Program, way: Way) -> list[str]:
    """Down beside the tip, along the wall with the tool's middle, and lifted again.

    The wall's metal lies to the left of travel, against the cutter's turning: what stays below the wall is cut from
    the tip to the shoulder, what stays above it on the way back, after a way in that stands off it.
    """
    axes, inward = program.axes, _inward(program, way)
    off = -STANDS_OFF if way.metal == "above" else 0.0
    (x, y), *rest = [(x, y + off) for x, y in inward]
    along = [*rest, *inward[::-1]] if off else rest
    lifted = [f"G0 {axis}{CLEARANCE:.4f}" for axis in way.also]
    down = [f"G1 {axis}{number:.4f} F{FEED:.1f}" for axis, number in way.also.items()]
    moves = [f"G1 {axes.space}{x:.4f} {axes.depth}{y:.4f} F{FEED:.1f}" for x, y in along]
    return [*lifted, f"G0 {axes.space}{x:.4f} {axes.depth}{y:.4f}", *down, *moves, *lifted]


def _inward(program: Program, way: Way) -> Points:
    """A way from off the tip to the shoulder, or as near to it as the mill's radius lets it."""
    radius, length = way.across / 2, program.length or max(x for x, _ in way.path)
    is_from_shoulder = program.counts_from == "shoulder"
    low, high = (radius, length) if is_from_shoulder else (0.0, length - radius)
    kept = [(x, y) for x, y in way.path if low <= x <= high]
    if is_from_shoulder:
        kept = kept[::-1]
    away = radius + OFF_TIP
    outside = (length + away, kept[0][1]) if is_from_shoulder else (-away, kept[0][1])
    return (outside, *_fewer(kept))


def _fewer(points: Sequence[tuple[float, float]]) -> Points:
    """The corners of a way alone: a point is left out where its neighbours' line passes it (Ramer 1972)."""
    if len(points) < 3:
        return tuple(points)
    (x, y), (x_end, y_end) = points[0], points[-1]
    long = hypot(x_end - x, y_end - y)

    def away(point: tuple[float, float]) -> float:
        px, py = point
        if long < RESOLUTION:
            return hypot(px - x, py - y)
        return abs((x_end - x) * (y - py) - (x - px) * (y_end - y)) / long

    far = max(range(1, len(points) - 1), key=lambda place: away(points[place]))
    if away(points[far]) <= STRAIGHT:
        return (points[0], points[-1])
    found = (*_fewer(points[: far + 1])[:-1], *_fewer(points[far:]))
    return (found[0], *(b for a, b in pairwise(found) if hypot(b[0] - a[0], b[1] - a[1]) >= RESOLUTION))


def _plain(text: str) -> str:
    """Text that cannot end a G-code comment early."""
    return "".join(c for c in text.replace("’", "'") if c.isalnum() or c in " -_.,:;/°+'")
