"""A cut plan as G-code, RS-274 dialect (Kramer, Proctor and Messina, NISTIR 6556, 2000).

One axis, usually X, pieces along the blade from the gauge, another, usually Z, is the depth value left;
which, the machine's book says; millimetres, or degrees of an axis that turns. Each clamping ends with M0, a
stop in the program: the key is turned over by hand. Values measured across both roots of a double-edge key
are for the machine's own jaw to halve, as on its dials.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import groupby

from keycore.cutting.commands import AxisMap
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


def write_gcode(program: Program, cuts: Sequence[Command], uncut: float) -> str:
    """One key as a program: travel clear of the blank, go to each value, back off; ``uncut`` is where metal begins."""
    axes = program.axes
    safe = uncut - CLEARANCE if program.deeper == "more" else uncut + CLEARANCE
    clear = "" if program.deeper == "turned" else f"G0 {axes.depth}{safe:.4f}"
    lines = ["%", *(f"({_plain(line)})" for line in (f"job {program.job}", *program.head)), "G21 G90 G94", clear]
    for number, ((clamping, track), of_clamping) in enumerate(
        groupby(cuts, key=lambda cut: (cut["clamping"], cut["track"]))
    ):
        if number:
            lines += [clear, "M5", "M0 (turn the key over and clamp it again)"]
        lines += [f"(clamping {clamping}, track {_plain(track)})", "M3"]
        for cut in of_clamping:
            lines += _cut(cut, axes, clear)
    return "\n".join([line for line in lines if line] + ["M5", "M2", "%", ""])


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
