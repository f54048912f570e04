"""A cut plan as G-code, RS-274 dialect (Kramer, Proctor and Messina, NISTIR 6556, 2000).

One axis, usually X, pieces along the blade from the gauge, another, usually Z, is the depth value left;
which, the machine's book says; both millimetres. Each clamping ends with M0, a stop in the program: the
key is turned over by hand. Values measured across both roots of a double-edge key are for the
machine's own jaw to halve, as on its dials.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import groupby

from keycore.cutting.commands import AxisMap
from wryfalcon.machines.drivers.interface import Command

USUAL = AxisMap()

CLEARANCE = 2.0  # mm above the blank for travel
FEED = 60.0  # mm a minute


def write_gcode(job: str, cuts: Sequence[Command], blank_height: float, axes: AxisMap = USUAL) -> str:
    """One key as a program: travel above the blank, plunge to each value, lift; ``axes`` of space and depth."""
    safe = blank_height + CLEARANCE
    along, depth = axes.space, axes.depth
    lines = ["%", f"(job {_plain(job)})", "G21 G90 G94", f"G0 {depth}{safe:.4f}"]
    for number, ((clamping, track), of_clamping) in enumerate(
        groupby(cuts, key=lambda cut: (cut["clamping"], cut["track"]))
    ):
        if number:
            lines += [f"G0 {depth}{safe:.4f}", "M5", "M0 (turn the key over and clamp it again)"]
        lines += [f"(clamping {clamping}, track {_plain(track)})", "M3"]
        for cut in of_clamping:
            lines += [
                f"G0 {along}{cut['position']:.4f}",
                f"G1 {depth}{cut['value']:.4f} F{FEED:.1f}",
                f"G0 {depth}{safe:.4f}",
            ]
    return "\n".join([*lines, "M5", "M2", "%", ""])


def _plain(text: str) -> str:
    """Text that cannot end a G-code comment early."""
    return "".join(c for c in text if c.isalnum() or c in " -_.")
