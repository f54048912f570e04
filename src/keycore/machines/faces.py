"""Touching a clamp's face off: its floor, a flat laid on it, a key's edge; what each says and what it rests on.

The limits are common practice, no source.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

LYING_MM = 0.3
"""A floor that is touched higher than this is no floor: something lies on it."""
CHIPS_MM = 0.02
"""A flat that stands further than this off its own thickness lies on chips, or is another flat."""
TILT_MM = 0.03
"""What a face may rise over a blade's length before it wants squaring."""
BLADE_MM = 25.0


class FaceStep(StrEnum):
    """What is touched, in this order: each rests on those before it."""

    FLOOR = "floor"  # nothing in the clamp
    TOP = "top"  # a flat of known thickness
    EDGE = "edge"  # a key, its reference edge


@dataclass(frozen=True, slots=True)
class FaceTouched:
    """Where a face was touched at two places along it, mm: heights, or how far across an edge lies."""

    near: float
    far: float
    apart: float

    @property
    def mean(self) -> float:
        """Where it lies in the middle."""
        return (self.near + self.far) / 2

    @property
    def tilt(self) -> float:
        """How much it rises for each millimetre along."""
        return (self.far - self.near) / self.apart


class FaceFault(StrEnum):
    """What a touch says is wrong; nothing rests on one that has any."""

    NOT_EMPTY = "not-empty"
    NOTHING_LIES = "nothing-lies"
    CHIPS = "chips"
    TILTED = "tilted"


def judge_face(
    step: FaceStep, touched: FaceTouched, before: Mapping[FaceStep, FaceTouched], thickness: float = 0.0
) -> tuple[FaceFault, ...]:
    """What is wrong with a face by one touch of it.

    Arguments: the ``step``, where it ``touched``, the touches ``before`` it that hold, the ``thickness`` of what lies
    there for a top, mm. Returns what is wrong, nothing for a touch that holds. Raises KeyError for a top without a
    floor.

    >>> judge_face(FaceStep.FLOOR, FaceTouched(2.59, 2.6, 24.0), {})
    (<FaceFault.NOT_EMPTY: 'not-empty'>,)
    >>> floor = FaceTouched(0.01, 0.01, 24.0)
    >>> judge_face(FaceStep.TOP, FaceTouched(3.05, 3.05, 24.0), {FaceStep.FLOOR: floor}, 3.0)
    (<FaceFault.CHIPS: 'chips'>,)
    """
    found = []
    if step == FaceStep.FLOOR and abs(touched.mean) > LYING_MM:
        return (FaceFault.NOT_EMPTY,)
    if step == FaceStep.TOP:
        stands = touched.mean - before[FaceStep.FLOOR].mean
        if stands < thickness / 2:
            return (FaceFault.NOTHING_LIES,)
        if abs(stands - thickness) > CHIPS_MM:
            found.append(FaceFault.CHIPS)
    elif abs(touched.tilt) * BLADE_MM > TILT_MM:
        found.append(FaceFault.TILTED)
    return tuple(found)


def offset_across(edge: FaceTouched) -> float:
    """What is added to every wall so that it lies as far from the key's own edge as its table says, mm.

    Argument: where a key's reference ``edge`` was touched. Raises nothing.

    >>> offset_across(FaceTouched(0.014, 0.016, 24.0))
    -0.015
    """
    return -edge.mean
