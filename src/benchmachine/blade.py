"""The metal in the clamp as a blade: how a hand laid it, where on it a tool at these axes cuts, what a caliper reads.

Along it x runs from the shoulder to the tip, y from the reference edge to the other one, z from the back to the front.
Nothing here knows what the key is to become.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from itertools import pairwise
from math import ceil, cos, hypot, inf, pi, radians, sin, sqrt, tan
from typing import Any

Vector = tuple[int, int, int]


class Refused(Exception):
    """The machine will not do that now; the text says why."""


UPS: Mapping[str, Vector] = {"front": (0, 0, 1), "back": (0, 0, -1), "top": (0, 1, 0), "bottom": (0, -1, 0)}
"""Which way on the blade its sides look; top is the other edge, bottom the reference edge."""
JAWS = {"reference edge": "bottom", "other edge": "top", "front": "front", "back": "back"}
STOPS = ("shoulder", "tip", "end")
ALONG: Vector = (1, 0, 0)
NEAR = 1.5  # mm: a smith takes a cut no further from its place than this for that cut
NEAR_TURNED = 12.0  # degrees, likewise
STEPS = 40  # of a mill's radius: how finely its way is looked along
SEAT = 0.45  # of a drill's tip: how far from a hole's middle a gauge rests


@dataclass(frozen=True)
class Lain:
    """How a hand laid it: what is up, what lies at the fixed jaw, what meets the stop; of a tube what is at the dot."""

    up: str = "front"
    jaw: str = "reference edge"
    stop: str = "shoulder"
    index: float = 0.0  # degrees that a tube or a key is turned beside where it should be
    is_backwards: bool = False  # the index turns it the other way

    def __post_init__(self) -> None:
        if self.up not in UPS or self.jaw not in JAWS or self.stop not in STOPS:
            raise Refused("a key lies with a side up, another at the jaw, shoulder or tip at the stop")
        if _dot(UPS[self.up], UPS[JAWS[self.jaw]]):
            raise Refused(f"with its {self.up} up its {self.jaw} cannot lie at the jaw")

    @property
    def is_bow_left(self) -> bool:
        """Whether the bow comes to lie on the left, where the fixed jaw is the nearer one."""
        inward = _minus(UPS[JAWS[self.jaw]])
        return _cross(ALONG, inward) == UPS[self.up]

    def slot_at(self, index: float) -> float:
        """The angle round its end that a tube's slot comes to with the index turned so far."""
        return (self.index + (-index if self.is_backwards else index)) % 360.0

    def flat_at(self, turned: float) -> float:
        """The angle that a round's flat comes to with the clamp turned so far."""
        return turned + self.index + (180.0 if self.up == "back" else 0.0)


def _dot(a: Vector, b: Vector) -> int:
    return sum(i * j for i, j in zip(a, b, strict=True))


def _minus(a: Vector) -> Vector:
    return (-a[0], -a[1], -a[2])


def _cross(a: Vector, b: Vector) -> Vector:
    return (a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0])


@dataclass(frozen=True)
class Pass:
    """What one tool took off: where it went in, in the blade's own coordinates; mm, of a turned key degrees."""

    tool: str  # wheel, drill, mill, slotter or disc
    side: str  # what it came from: front, back, top, bottom; "" of an end or a round
    x: float  # along, of the middle of what it cut; of a slot its angle
    across: float = 0.0  # of a hole's middle: y on a face, z on an edge
    deep: float = 0.0  # from its side; of a disc's flat the angle
    size: float = 0.0  # flat, tip or diameter
    angle: float = 0.0  # of the tool, degrees
    way: tuple[tuple[float, float], ...] = ()  # of a mill's middle

    def depth_at(self, x: float, across: float) -> float:
        """How deep it went at a place of its side."""
        if self.tool == "mill":
            return self.deep if any(low <= across <= high for low, high in self.gone(x)) else 0.0
        away = abs(x - self.x) if self.tool == "wheel" else hypot(x - self.x, across - self.across)
        return max(0.0, self.deep - max(0.0, away - self.size / 2) / tan(radians(self.angle) / 2))

    def gone(self, x: float) -> list[tuple[float, float]]:
        """From where to where across a mill took metal at ``x``, one piece after the other."""
        radius, pieces = self.size / 2, []
        for px, y in _close_together(self.way, radius / STEPS):
            if abs(px - x) < radius:
                reach = sqrt(radius**2 - (px - x) ** 2)
                pieces.append((y - reach, y + reach))
        return _joined(pieces)


@dataclass
class Blade:
    """A key's metal: how large the blank was, and all that tools took off since."""

    length: float = 30.0
    height: float = 8.0
    thickness: float = 2.5
    passes: list[Pass] = field(default_factory=list)

    def copy(self) -> Blade:
        """The same metal once more, to be cut further."""
        return replace(self, passes=list(self.passes))

    def extent(self, side: str) -> float:
        """How far it is from a side to the one across from it."""
        return self.height if side in ("top", "bottom") else self.thickness

    def width(self, side: str) -> float:
        """How far it is across a side."""
        return self.thickness if side in ("top", "bottom") else self.height

    # --- where a tool at the machine's axes is on it ---------------------------------------------

    def along(self, lain: Lain, x: float, counts_from: str) -> float:
        """Where along it a tool is that stands ``x`` from the machine's stop, beside it where it lies the wrong way."""
        is_there = (lain.stop != "tip") == lain.is_bow_left
        if counts_from == "tip":
            is_there = (lain.stop == "tip") == lain.is_bow_left
        x = x if is_there else -x
        return self.length - x if lain.stop == "tip" else x

    def across(self, lain: Lain, y: float) -> float:
        """Where across the side that is up a tool is that stands ``y`` from the fixed jaw: from reference or back."""
        if lain.jaw in ("reference edge", "back"):
            return y
        return self.width(lain.up) - y

    def depth_at(self, side: str, x: float, across: float) -> float:
        """How deep a side is cut at a place."""
        return max((each.depth_at(x, across) for each in self._from(side)), default=0.0)

    def _from(self, side: str, tool: str = "") -> list[Pass]:
        return [each for each in self.passes if each.side == side and tool in ("", each.tool)]

    # --- what a caliper reads of it ----------------------------------------------------------------

    def read(self, look: Mapping[str, Any]) -> tuple[float, float]:
        """Where the cut that is looked at truly lies along the blade, and what is left there.

        A ``look`` says what a smith looks for: a root on an edge, a wall or a hole on a face, a slot, a flat of a
        round; about where; and from which edge and which end it is measured.
        """
        readers = {
            "root": self._root, "wall": self._wall, "hole": self._hole, "slot": self._turned, "flat": self._turned,
        }  # fmt: skip
        try:
            x = float(look["x"])
            if look.get("end") == "tip":
                x = self.length - x
            at, left = readers[look["what"]](look, x)
        except (KeyError, TypeError, ValueError):
            raise Refused("a caliper is laid on a root, a wall, a hole, a slot or a flat") from None
        return (self.length - at if look.get("end") == "tip" else at), left

    def _root(self, look: Mapping[str, Any], x: float) -> tuple[float, float]:
        edge, other = (look["side"], "bottom" if look["side"] == "top" else "top")
        at = min((each.x for each in self._from(edge, "wheel")), key=lambda each: abs(each - x), default=inf)
        at = at if abs(at - x) <= NEAR else x
        middle = self.thickness / 2
        left = self.height - self.depth_at(edge, at, middle)
        return at, left - self.depth_at(other, at, middle) if look.get("both") else left

    def _wall(self, look: Mapping[str, Any], x: float) -> tuple[float, float]:
        side, mills = look["side"], self._from(look["side"], "mill")
        at = min((each.x for each in mills), key=lambda each: abs(each - x), default=x)
        at = at if abs(at - x) <= NEAR else x
        is_mirrored = look.get("from") in ("other edge", "front")
        wide, gone = self.width(side), _joined([piece for each in mills for piece in each.gone(at)])
        if is_mirrored:
            gone = [(wide - high, wide - low) for low, high in gone]
        is_below = look["metal"] == "below"
        walls = [low if is_below else high for low, high in gone]
        nothing = wide if is_below else 0.0
        return at, min(walls, key=lambda wall: abs(wall - look["near"]), default=nothing)

    def _hole(self, look: Mapping[str, Any], x: float) -> tuple[float, float]:
        side, row = look["side"], look["row"]
        tip = float(look["tip"])
        holes = [h for h in self._from(side, "drill") if hypot(h.x - x, h.across - row) <= NEAR]
        hole = min(holes, key=lambda h: (abs(h.size - tip) > tip / 4, hypot(h.x - x, h.across - row)), default=None)
        at, across = (hole.x, hole.across) if hole is not None else (x, row)
        ring = [self.depth_at(side, at + dx, across + dy) for dx, dy in _ring(SEAT * tip)]
        return at, self.thickness - min(ring)

    def _turned(self, look: Mapping[str, Any], x: float) -> tuple[float, float]:
        is_slot = look["what"] == "slot"
        near, whole = (NEAR_TURNED, 360.0) if is_slot else (NEAR, inf)
        found = [(_apart(each.x, x, whole), each) for each in self._from("", "slotter" if is_slot else "disc")]
        away, cut = min(found, key=lambda each: (abs(each[0]), -each[1].deep), default=(inf, None))
        if cut is None or abs(away) > near:
            return x, 0.0
        return x + away, cut.deep


def _apart(a: float, b: float, whole: float) -> float:
    """How far a is past b, the shorter way round."""
    return a - b if whole == inf else (a - b + whole / 2) % whole - whole / 2


def _ring(radius: float) -> list[tuple[float, float]]:
    return [(radius * cos(turn * pi / 4), radius * sin(turn * pi / 4)) for turn in range(8)]


def _joined(pieces: Iterable[tuple[float, float]]) -> list[tuple[float, float]]:
    """Pieces of a line that touch made one."""
    found: list[tuple[float, float]] = []
    for low, high in sorted(pieces):
        if found and low <= found[-1][1]:
            found[-1] = (found[-1][0], max(high, found[-1][1]))
        else:
            found.append((low, high))
    return found


def _close_together(way: Sequence[tuple[float, float]], apart: float) -> list[tuple[float, float]]:
    """A way with points no further apart than that along it."""
    found = list(way[:1])
    for (x, y), (x_next, y_next) in pairwise(way):
        parts = max(1, ceil(hypot(x_next - x, y_next - y) / apart))
        found += [(x + (x_next - x) * n / parts, y + (y_next - y) * n / parts) for n in range(1, parts + 1)]
    return found


def written(cut: Pass) -> dict[str, Any]:
    """A pass as it is written into a memory."""
    return asdict(cut)


def pass_of(entry: Mapping[str, Any]) -> Pass:
    """A pass as it was written."""
    return Pass(**{**entry, "way": tuple((x, y) for x, y in entry["way"])})
