"""A cut plan as G-code, RS-274 dialect (Kramer, Proctor and Messina, NISTIR 6556, 2000).

One axis, usually X, pieces along the blade from the gauge, another, usually Z, is the depth value left;
which, the machine's book says; millimetres, or degrees of an axis that turns. Each clamping ends with M0, a
stop in the program: the key is turned over by hand. Values measured across both roots of a double-edge key
are for the machine's own jaw to halve, as on its dials.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from itertools import groupby

from keycore.cutting.commands import AxisMap
from keycore.kind import Way
from wryfalcon.machines.drivers.interface import Command

USUAL = AxisMap()

CLEARANCE = 2.0  # mm above the blank for travel
FEED = 60.0  # mm a minute


@dataclass(frozen=True)
class Program:
    """What a program is for: comments at its head, the axes of its clamp, and what a deeper cut's number is.

    ``deeper`` is less (what is left), more (how far it goes in) or turned (an angle, fed by hand to the stop).
    """

    job: str
    head: Sequence[str] = ()
    axes: AxisMap = USUAL
    deeper: str = "less"
    ways: Mapping[str, Way] = field(default_factory=dict)  # by track


def write_gcode(program: Program, cuts: Sequence[Command], uncut: float) -> str:
    """One key as a program: travel clear of the blank, go to each value, back off; ``uncut`` is where metal begins."""
    axes = program.axes
    safe = uncut - CLEARANCE if program.deeper == "more" else uncut + CLEARANCE
    is_milled = any(way.path for way in program.ways.values())
    clear = "" if program.deeper == "turned" or is_milled else f"G0 {axes.depth}{safe:.4f}"
    lines = ["%", *(f"({_plain(line)})" for line in (f"job {program.job}", *program.head)), "G21 G90 G94", clear]
    before: Command | None = None
    for (clamping, track), group in groupby(cuts, key=lambda cut: (cut["clamping"], cut["track"])):
        of_clamping = list(group)
        if before is not None:
            lines += [clear, "M5", _stop(of_clamping[0], before)]
        before = of_clamping[0]
        lines += [f"(clamping {clamping}, track {_plain(track)})", "M3"]
        way = program.ways.get(track)
        if way is not None and way.path:
            lines += _along(way, axes)
            continue
        lines += [f"G0 {axis}{number:.4f}" for axis, number in (way.also if way is not None else {}).items()]
        for cut in of_clamping:
            lines += _cut(cut, axes, clear)
    return "\n".join([line for line in lines if line] + ["M5", "M2", "%", ""])


def _stop(first: Command, before: Command) -> str:
    """What a hand does before the next clamping."""
    if first.get("tool") != before.get("tool"):
        return f"M0 (fit {_plain(first['tool'])}, then clamp the key as the plan says)"
    return "M0 (turn the key over and clamp it again)"


def _along(way: Way, axes: AxisMap) -> list[str]:
    """Lifted to the beginning of a path, into the face, along it with the tool's middle, and lifted again.

    The path leaves the tool's radius out: it is the middle's own way, against the cutter's rotation.
    """
    (x, y), *rest = way.path
    lifted = [f"G0 {axis}{CLEARANCE:.4f}" for axis in way.also]
    into = [f"G1 {axis}{number:.4f} F{FEED:.1f}" for axis, number in way.also.items()]
    along = [f"G1 {axes.space}{x:.4f} {axes.depth}{y:.4f} F{FEED:.1f}" for x, y in rest]
    return [*lifted, f"G0 {axes.space}{x:.4f} {axes.depth}{y:.4f}", *into, *along, *lifted]


def _cut(cut: Command, axes: AxisMap, clear: str) -> list[str]:
    """To the place, into the metal, and clear of it again; a clamp that turns the key is fed by hand to its stop."""
    if not clear:
        return [
            f"G0 {axes.space}{cut['position']:.4f} {axes.depth}{cut['value']:.4f}",
            "M0 (feed to the stop, back off)",
        ]
    to = f"G0 {axes.space}{cut['position']:.4f}"
    return [to, f"G1 {axes.depth}{cut['value']:.4f} F{FEED:.1f}", clear]


def _plain(text: str) -> str:
    """Text that cannot end a G-code comment early."""
    return "".join(c for c in text if c.isalnum() or c in " -_.,:/°+")
