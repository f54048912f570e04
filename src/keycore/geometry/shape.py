"""What metal is where once a key is cut: the one geometry for every drawing, file and forecast.

A shape has named views; a view has the blank's outline, the outline of what is left, and the edges that tools left.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from keycore.family import Place

Points = NDArray[np.float64]


SECTIONS, THINNEST = "sections", "thinnest"
"""The view of a blade cut across or along, and how a curve in it is called that stands where its metal is thinnest."""


@dataclass(frozen=True)
class Curve:
    """An edge that a tool left: ``points`` (m, 2) in the view's own coordinates, family unit."""

    name: str  # the track, and how the key was turned to cut it
    points: Points
    bounds: str = ""  # the side of the metal it is on, where it is all there is: above or below


@dataclass(frozen=True)
class Spot:
    """Where the middle of a cut is in a view, family unit."""

    place: Place
    x: float
    y: float


@dataclass(frozen=True)
class View:
    """One way of looking at the key: x to the right, y up, family unit; closed outlines of (m, 2) points.

    In an elevation x is the distance from the gauge, y the height above the blank's lower edge.
    """

    name: str
    blank: Points
    outline: Points
    curves: tuple[Curve, ...]
    spots: tuple[Spot, ...]

    @property
    def cut_away(self) -> float:
        """The area of metal that is gone, square family units."""
        return area(self.blank) - area(self.outline)


@dataclass(frozen=True)
class Shape:
    """Every view of one key, the most telling first."""

    views: tuple[View, ...]

    def view(self, name: str = "") -> View:
        """A view by its name, the first without one. Raises KeyError for a view that the kind does not have."""
        for view in self.views:
            if name in ("", view.name):
                return view
        raise KeyError(name)


def circle(x: float, y: float, radius: float) -> Points:
    """A circle as a closed line, a chord for every 5 degrees.

    Arguments: its middle ``x``, ``y`` and its ``radius``, in one unit. Returns (73, 2) points in it. Raises nothing.

    >>> [float(round(end, 9)) for end in circle(1.0, 0.0, 2.0)[0]]
    [1.0, 2.0]
    """
    turns = np.radians(np.arange(0, 365, 5))
    return np.column_stack((x + radius * np.sin(turns), y + radius * np.cos(turns)))


def area(outline: Points) -> float:
    """The area within a closed outline (m, 2), whichever way round it goes; the shoelace formula. Raises nothing.

    >>> area(np.array([[0.0, 0.0], [2.0, 0.0], [2.0, 1.0], [0.0, 1.0]]))
    2.0
    """
    x, y = outline[:, 0], outline[:, 1]
    return abs(float(x @ np.roll(y, -1) - y @ np.roll(x, -1))) / 2
