"""Keys with conical holes in their faces.

They are read and settled; how they are cut is not known here yet.
"""

from __future__ import annotations

from keycore.coordinate import Coordinate
from keycore.kind import Kind, Surface

KIND = Kind(
    id="dimple",
    surface=Surface.HOLE,
    space=Coordinate("from the gauge, on its row"),
    depth=Coordinate("left under the hole"),
    falls_when_deeper=True,
)
