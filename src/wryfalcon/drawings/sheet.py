"""The sheet a key is drawn on: bow to the left, tip to the right, everything to one scale."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from keycore.cutting.limits import edge_values
from keycore.cutting.profile import Profile
from keycore.errors import InputError
from keycore.family import Blank, Family, Gauge

WIDTH = 860.0
BOW_LEFT, BLADE_LEFT, BLADE_RIGHT = 22.0, 226.0, 812.0
TALLEST = 190.0
BLADE_TOP = 34.0
NOSE = 0.06  # share of the blade that tapers to the tip


def px(number: float) -> float:
    """A coordinate as it is written."""
    return round(float(number), 2)


def path(points: Iterable[tuple[float, float]], close: bool = False) -> str:
    """An SVG path through points."""
    steps = " L".join(f"{px(x)} {px(y)}" for x, y in points)
    return f"M{steps}{' Z' if close else ''}"


@dataclass(frozen=True)
class Sheet:
    """Maps a family's lengths to the drawing."""

    family: Family
    blank: Blank
    scale: float  # pixels for one unit of the family
    top: float = BLADE_TOP

    @classmethod
    def of(cls, family: Family) -> Sheet:
        """The sheet of a family that has a blank; InputError for one without."""
        if family.blank is None:
            raise InputError("blank", "a key without a blank cannot be drawn to scale")
        scale = min((BLADE_RIGHT - BLADE_LEFT) / family.blank.length, TALLEST / family.blank.height)
        return cls(family, family.blank, scale)

    @property
    def blade_right(self) -> float:
        """Where the tip is."""
        return BLADE_LEFT + self.blank.length * self.scale

    @property
    def bottom(self) -> float:
        """Where the lower edge of the blank is."""
        return self.top + self.blank.height * self.scale

    @property
    def gauge_x(self) -> float:
        """Where positions are measured from."""
        return BLADE_LEFT if self.family.gauge == Gauge.SHOULDER else self.blade_right

    def x(self, from_gauge: float) -> float:
        """A position along the blade."""
        sign = 1 if self.family.gauge == Gauge.SHOULDER else -1
        return self.gauge_x + sign * from_gauge * self.scale

    def edge(self, profile: Profile | None, lower: bool = False) -> list[tuple[float, float]]:
        """One edge of the blade from shoulder to tip, the nose's taper taken into account."""
        length, height = self.blank.length, self.edge_height
        nose = np.linspace(length * (1 - NOSE), length, 6)
        at = np.unique(np.concatenate([[0.0, length], nose, np.linspace(0, length * NOSE, 6)]))
        if profile is not None:
            at = np.unique(np.concatenate([at, profile.x]))
        heights = profile.at(at) if profile is not None else np.full_like(at, height)
        from_shoulder = length - at if self.family.gauge == Gauge.TIP else at
        taper = height - np.maximum(0.0, from_shoulder - length * (1 - NOSE)) / (length * NOSE) * self.half
        points = sorted(
            (BLADE_LEFT + x * self.scale, self.y(h, lower))
            for x, h in zip(from_shoulder, np.minimum(heights, taper), strict=True)
        )
        return points

    @property
    def edge_height(self) -> float:
        """The blank's height as one edge's depth values measure it."""
        return edge_values(self.family, [self.blank.height])[0]

    @property
    def half(self) -> float:
        """Half of the blade's height."""
        return self.blank.height / 2

    def y(self, height: float, lower: bool = False) -> float:
        """A height on one edge: from the far edge, or from the middle where measured across."""
        middle = self.top + self.half * self.scale
        if self.family.measured == "across":
            return middle + height * self.scale if lower else middle - height * self.scale
        return self.top + height * self.scale if lower else self.bottom - height * self.scale


def is_drawable(family: Family) -> bool:
    """Whether a family's keys can be drawn to scale here: an edge that a wheel follows, on a blank of known size."""
    return family.blank is not None and family.kind.is_profiled


def bow_path(sheet: Sheet) -> str:
    """The bow: a plain shape of our own, a shield lying on its side."""
    half = sheet.half * sheet.scale
    middle = sheet.top + half
    tall, neck = max(half * 1.12, 74), half + 9
    left, right = BOW_LEFT, BLADE_LEFT
    steps = [
        ("M", right, middle - neck), ("L", right - 26, middle - neck),
        ("L", right - 40, middle - tall), ("L", left + 46, middle - tall),
        ("Q", left, middle - tall), ("", left, middle - tall * 0.45),
        ("L", left, middle + tall * 0.45), ("Q", left, middle + tall), ("", left + 46, middle + tall),
        ("L", right - 40, middle + tall), ("L", right - 26, middle + neck), ("L", right, middle + neck),
    ]  # fmt: skip
    return " ".join(f"{letter}{px(x)} {px(y)}" for letter, x, y in steps) + " Z"
