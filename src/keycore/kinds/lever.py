"""Bit keys, whose steps lift levers.

They are read and settled; how they are cut is not known here yet.
"""

from __future__ import annotations

from keycore.coordinate import Coordinate
from keycore.kind import Kind, Surface

KIND = Kind(
    id="lever",
    surface=Surface.BIT,
    space=Coordinate("along the bit"),
    depth=Coordinate("height of the bit left"),
    falls_when_deeper=True,
    once_cut_down="Try it in the lock: the window or the witness mark says which lever is still too high.",
)
