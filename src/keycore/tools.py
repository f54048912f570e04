"""What takes the metal off. A tool has a name, and the one size that tells it from its like.

Lengths are in the unit of the family that names the tool, or of whoever measured it.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import radians, tan
from typing import ClassVar


@dataclass(frozen=True, slots=True)
class Wheel:
    """A cutting wheel, by what it leaves: a flat root and two flanks.

    >>> Wheel(0.02, 90).name, Wheel(0.02, 90).size, round(Wheel(0.02, 90).slope, 12)
    ('wheel', 0.02, 1.0)
    """

    name: ClassVar[str] = "wheel"
    flat: float  # whole width of the root flat
    angle: float  # included angle, degrees

    @property
    def size(self) -> float:
        """The width of its flat."""
        return self.flat

    @property
    def slope(self) -> float:
        """T = tan(angle / 2): how far the flank runs along the blade for one unit of height."""
        return tan(radians(self.angle) / 2)


@dataclass(frozen=True, slots=True)
class Mill:
    """An end mill, which leaves a wall or a groove of its own width."""

    name: ClassVar[str] = "mill"
    diameter: float

    @property
    def size(self) -> float:
        """Its diameter."""
        return self.diameter


@dataclass(frozen=True, slots=True)
class Drill:
    """A drill with a flat tip and a cone, which leaves a hole in a face."""

    name: ClassVar[str] = "drill"
    tip: float  # diameter of its flat tip
    angle: float  # included angle of its cone, degrees

    @property
    def size(self) -> float:
        """The diameter of its tip."""
        return self.tip


@dataclass(frozen=True, slots=True)
class Slotter:
    """A narrow wheel or mill that cuts slots into the end of a tube."""

    name: ClassVar[str] = "slotter"
    width: float

    @property
    def size(self) -> float:
        """The width of its slot."""
        return self.width


@dataclass(frozen=True, slots=True)
class DiscClamp:
    """A clamp that turns the key under a wheel of this width, which leaves a flat at an angle."""

    name: ClassVar[str] = "disc clamp"
    width: float

    @property
    def size(self) -> float:
        """The width of the flat it leaves."""
        return self.width


@dataclass(frozen=True, slots=True)
class File:
    """A file in a hand."""

    name: ClassVar[str] = "file"
    thickness: float

    @property
    def size(self) -> float:
        """Its thickness: the narrowest cut it makes."""
        return self.thickness


Tool = Wheel | Mill | Drill | Slotter | DiscClamp | File
TOOLS: tuple[type[Tool], ...] = (Wheel, Mill, Drill, Slotter, DiscClamp, File)
