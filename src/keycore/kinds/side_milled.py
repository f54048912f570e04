"""Keys with tracks milled into their faces; the wall's distance from the reference edge codes.

They are read and settled; how they are cut is not known here yet.
"""

from __future__ import annotations

from keycore.coordinate import Coordinate
from keycore.kind import Kind, Surface

KIND = Kind(
    id="side-milled",
    surface=Surface.GROOVE,
    space=Coordinate("from the gauge"),
    depth=Coordinate("wall from the edge"),
    falls_when_deeper=None,
)
