"""Keys of turning discs: a space is where along the blade a disc stands, a depth is the angle of its cut.

Kept in the library; they are neither read nor cut from here yet.
"""

from __future__ import annotations

from keycore.coordinate import Coordinate, Quantity
from keycore.kind import Kind, Surface

KIND = Kind(
    id="rotary",
    surface=Surface.ROUND,
    space=Coordinate("from the gauge"),
    depth=Coordinate("angle of the cut", Quantity.ANGLE, is_round=True),
    falls_when_deeper=None,
    is_read=False,
)
