"""The sheet a key is drawn on: bow to the left, tip to the right, everything to one scale."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from keycore.cutting.lay import TURNED
from keycore.errors import InputError
from keycore.family import Blank, Family, Gauge
from wryfalcon.drawings.paper import BLADE_TOP, DESK, Paper, paper_laid

FRONT = "front"


def px(number: float) -> float:
    """A coordinate as it is written."""
    return round(float(number), 2)


def path(points: Iterable[tuple[float, float]], close: bool = False) -> str:
    """An SVG path through points."""
    steps = " L".join(f"{px(x)} {px(y)}" for x, y in points)
    return f"M{steps}{' Z' if close else ''}"


@dataclass(frozen=True)
class Sheet:
    """Maps a family's lengths to the drawing; at real size a pixel is a millimetre."""

    family: Family
    blank: Blank
    length: float  # of what is drawn, family unit: a blade, or a tube unrolled
    height: float
    scale: float  # pixels for one unit of the family
    top: float = BLADE_TOP
    paper: Paper = DESK
    face: str = FRONT  # that is looked at, of a key whose cuts are in its faces

    @classmethod
    def of(cls, family: Family, face: str = FRONT) -> Sheet:
        """The sheet of a family that has a blank, on the paper of whoever is looking; InputError for one without."""
        (blank, (length, height)), paper = _blank(family), paper_laid()
        scale = min((paper.blade_right - paper.blade_left) / length, paper.tallest / height)
        top = BLADE_TOP if family.space.is_length else BLADE_TOP + paper.above
        return cls(family, blank, length, height, scale, top, paper, face)

    @classmethod
    def at_real_size(cls, family: Family) -> Sheet:
        """The sheet in millimetres; InputError for a family without a blank."""
        blank, size = _blank(family)
        return cls(family, blank, *size, family.lengths.to_machine(1.0), top=0.0)

    @property
    def blade_right(self) -> float:
        """Where the tip is."""
        return self.left + self.length * self.scale

    @property
    def left(self) -> float:
        """Where the blade begins."""
        return self.paper.blade_left

    @property
    def bottom(self) -> float:
        """Where the lower edge of the blank is."""
        return self.top + self.height * self.scale

    @property
    def is_on_edge(self) -> bool:
        """Whether the key is looked at from above or below, on one of its blade's edges."""
        return self.face in ("top", "bottom")

    @property
    def gauge_x(self) -> float:
        """Where positions are measured from."""
        return self.left if self.family.gauge == Gauge.SHOULDER else self.blade_right

    def x(self, from_gauge: float) -> float:
        """Where a space is."""
        return self.along(self.family.kind.along_view(self.family, from_gauge))

    def along(self, length: float) -> float:
        """A length along the drawing, from the gauge."""
        sign = 1 if self.family.gauge == Gauge.SHOULDER else -1
        return self.gauge_x + sign * length * self.scale

    def y(self, height: float) -> float:
        """A height above the reference edge: with the bow to the left that is the upper one of a face turned over."""
        return self.top + height * self.scale if self.face in TURNED else self.bottom - height * self.scale


def _blank(family: Family) -> tuple[Blank, tuple[float, float]]:
    size = family.kind.view_size(family)
    if family.blank is None or size is None:
        raise InputError("blank", "a key without a blank cannot be drawn to scale")
    return family.blank, size
