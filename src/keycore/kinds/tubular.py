"""Tubes with slots in their ends: a space is an angle round the end, a depth is how far the slot goes in.

Kept in the library; they are neither read nor cut from here yet.
"""

from __future__ import annotations

from keycore.coordinate import Coordinate, Quantity
from keycore.kind import Kind, Surface

KIND = Kind(
    id="tubular",
    surface=Surface.END,
    space=Coordinate("round the end from the nib", Quantity.ANGLE, is_round=True),
    depth=Coordinate("from the end"),
    falls_when_deeper=False,
    is_read=False,
)
