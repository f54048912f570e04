"""A cutting wheel by what it leaves: its flat and angle from test cuts, and whether it must be changed."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from math import atan, degrees, hypot, radians, tan

import numpy as np
from scipy.special import ndtri

from keycore.errors import InputError
from keycore.machines.trim import LEVEL, MeasuredCut, Noise, Term
from keycore.reading.evidence import Spread
from keycore.tools import Wheel

NARROWEST, WIDEST = 20.0, 150.0  # degrees included; anything else was mistyped
SHARE = 0.5  # of the tolerance that the wheel alone may use up
BURRS = 2  # keys with a burr since it was fitted; one may be the blank's (common practice, no source)


@dataclass(frozen=True, slots=True)
class TestCut:
    """One cut with the wheel into a blank's straight edge: how deep below the edge, how wide at the edge."""

    __test__ = False  # not a test of pytest's

    depth: float
    width: float


@dataclass(frozen=True, slots=True)
class WheelShape:
    """A wheel's flat and included angle (degrees) as its cuts show them."""

    flat: Spread
    angle: Spread


def measure_wheel(cuts: Sequence[TestCut], sd: float) -> WheelShape:
    """Find a wheel's flat f and angle from the widths its cuts leave: w = f + 2 d tan(angle / 2).

    Least squares over the cuts; a depth misread by sd moves the width by 2 T sd, so one width counts
    with sd sqrt(1 + 4 T^2), T found first. Arguments: at least two cuts of different depths and
    ``sd`` of one measurement, all in one unit. Returns a WheelShape, flat in that unit. Raises
    InputError for too few cuts, no difference in depth, or widths that no wheel of 20 to 150
    degrees leaves.
    Source: the geometry of a V with a flat; the propagation is JCGM 100:2008, 5.1.2.

    >>> shape = measure_wheel([TestCut(1.0, 3.0), TestCut(2.0, 5.0)], 0.01)
    >>> round(shape.flat.mean, 6), round(shape.angle.mean, 6), round(shape.angle.sd, 2)
    (1.0, 90.0, 0.91)
    >>> measure_wheel([TestCut(1.0, 3.0)], 0.01)
    Traceback (most recent call last):
    keycore.errors.InputError: cuts: two cuts of different depths are needed
    """
    depths, widths = np.array([cut.depth for cut in cuts]), np.array([cut.width for cut in cuts])
    if len(cuts) < 2 or float(np.ptp(depths)) <= 4 * sd:
        raise InputError("cuts", "two cuts of different depths are needed")
    if not (depths.min() > 0 and widths.min() > 0):
        raise InputError("cuts", "a cut has a depth and a width above 0")
    design = np.column_stack([np.ones_like(depths), 2 * depths])
    (flat, slope), *_ = np.linalg.lstsq(design, widths, rcond=None)
    if not tan(radians(NARROWEST) / 2) <= slope <= tan(radians(WIDEST) / 2):
        raise InputError("cuts", "no wheel leaves such widths: measure depth and width of each cut again")
    covariance = np.linalg.inv(design.T @ design) * sd**2 * (1 + 4 * slope**2)
    return WheelShape(
        Spread(float(flat), float(covariance[0, 0] ** 0.5)),
        Spread(degrees(2 * atan(slope)), degrees(2 / (1 + slope**2)) * float(covariance[1, 1] ** 0.5)),
    )


@dataclass(frozen=True, slots=True)
class KeyOfWheel:
    """Depth errors of one key, (n,), positive is shallow, and how far each cut's worse neighbour lies away."""

    errors: tuple[float, ...]
    jumps: tuple[float, ...]


def worse_neighbour(heights: Sequence[float], at: int) -> float:
    """How far the worse neighbour of the cut ``at`` a place lies away. Raises nothing.

    Arguments: ``heights`` (n,) in the order along the blade, in one unit, which the answer shares.

    >>> worse_neighbour([8.0, 7.0, 7.5], 1), worse_neighbour([8.0], 0)
    (1.0, 0.0)
    """
    beside = [heights[other] for other in (at - 1, at + 1) if 0 <= other < len(heights)]
    return max((abs(height - heights[at]) for height in beside), default=0.0)


def key_of_wheel(cuts: Sequence[MeasuredCut]) -> KeyOfWheel | None:
    """A test key as it speaks of the wheel; None where a cut was not measured, since a gap hides how steep it is.

    Argument: all ``cuts`` of the key, heights on one edge. Raises nothing.

    >>> key_of_wheel([MeasuredCut(2.0, 8.0, 8.0), MeasuredCut(1.0, 7.0, 6.9)]).jumps
    (1.0, 1.0)
    """
    ordered = sorted(cuts, key=lambda cut: cut.space)
    heights = [cut.value for cut in ordered]
    errors = [cut.measured_value - cut.value for cut in ordered if cut.measured_value is not None]
    if len(errors) < len(ordered):
        return None
    return KeyOfWheel(tuple(errors), tuple(worse_neighbour(heights, at) for at in range(len(heights))))


def steep_error(keys: Sequence[KeyOfWheel], noise: Noise) -> Term | None:
    """How much deeper cuts come out for each unit that a neighbour lies away, seating taken out.

    e = m_key + s jump, least squares within each key, so that offsets and seating drop out; normal
    95 % interval by ``noise.sd`` of one measured cut. Arguments: the keys made since the wheel was
    fitted, errors, jumps and noise in one unit. Returns the Term of s; None where no key has
    neighbours of different steepness. Raises nothing.

    >>> keys = [KeyOfWheel((0.0, -0.02, 0.0), (0.0, 1.0, 0.0))] * 4
    >>> term = steep_error(keys, Noise(0.008, 0.008))
    >>> round(term.value, 3), term.excludes_zero
    (-0.02, True)
    """
    across = within = 0.0
    for key in keys:
        errors, jumps = np.array(key.errors), np.array(key.jumps)
        away = jumps - jumps.mean()
        across += float(away @ errors)
        within += float(away @ away)
    if within <= 0:
        return None
    half = float(ndtri(LEVEL)) * noise.sd / within**0.5
    return Term(across / within, across / within - half, across / within + half)


class WheelAdvice(StrEnum):
    """What to do about a wheel."""

    KEEP = "keep"
    LOOK = "look"
    CHANGE = "change"


@dataclass(frozen=True)
class WheelVerdict:
    """The advice and what speaks for it."""

    advice: WheelAdvice
    reasons: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class WheelSigns:
    """What is known of a wheel since it was fitted."""

    steep: Term | None = None  # error for each unit a neighbour lies away
    steepest: float = 0.0  # how far neighbours lie away at most, same unit
    tolerance: float = 0.0  # of a depth
    tolerance_space: float = 0.0  # along the blade
    shape: WheelShape | None = None
    burrs: int = 0  # keys with burrs noted
    shakes: int = 0  # times it was felt to shake


def in_millimetres(length: float) -> str:
    """A length in millimetres as a text. Raises nothing.

    >>> in_millimetres(0.0254)
    '0.025 mm'
    """
    return f"{length:.3f} mm"


def judge_wheel(meant: Wheel, signs: WheelSigns, say: Callable[[float], str] = in_millimetres) -> WheelVerdict:
    """Whether a wheel still serves.

    It is changed when cuts beside steep neighbours are deeper by more than half the depth's tolerance,
    or its flank stands out by more than half the tolerance along the blade at the steepest of them,
    interval excluding zero; looked at
    when the same may be so but the interval does not say, when it shook, or left burrs twice.
    Arguments: the shape it should have, the signs, all in one unit, and how a length of it is to be ``say``-ed.
    Returns a WheelVerdict. Raises nothing.

    >>> judge_wheel(Wheel(1.0, 90.0), WheelSigns()).advice.value
    'keep'
    >>> judge_wheel(Wheel(1.0, 90.0), WheelSigns(Term(-0.03, -0.04, -0.02), 1.8, 0.05)).advice.value
    'change'
    """
    allowed = SHARE * signs.tolerance
    change, look = [], []
    if signs.steep is not None and signs.tolerance:
        effect = signs.steep.value * signs.steepest
        says = f"cuts beside the steepest neighbours come out {say(abs(effect))} deep"
        if effect < -allowed and signs.steep.excludes_zero:
            change.append(says)
        elif signs.steep.low * signs.steepest < -2 * allowed:
            look.append(f"its keys cannot rule out {say(abs(signs.steep.low * signs.steepest))} at the steepest")
    if signs.shape is not None:
        off = _flank(meant, signs.shape, signs.steepest or 1.0)
        if abs(off.mean) > 2 * off.sd:
            way = "out" if off.mean > 0 else "in"
            says = (
                f"its flank stands {say(abs(off.mean))} too far {way}: flat {say(signs.shape.flat.mean)}, not "
                f"{say(meant.flat)}, {signs.shape.angle.mean:.1f} degrees, not {meant.angle:.1f}"
            )
            (change if abs(off.mean) > SHARE * signs.tolerance_space else look).append(says)
    if signs.shakes:
        look.append("it was felt to shake")
    if signs.burrs >= BURRS:
        look.append(f"{signs.burrs} keys had burrs")
    advice = WheelAdvice.CHANGE if change else WheelAdvice.LOOK if look else WheelAdvice.KEEP
    return WheelVerdict(advice, (*change, *look))


def _flank(meant: Wheel, shape: WheelShape, height: float) -> Spread:
    """How far a flank stands out along the blade at a height above the root, flat and angle together."""
    slope = tan(radians(shape.angle.mean) / 2)
    per_degree = radians(1) / 2 * (1 + slope**2) * height
    return Spread(
        (shape.flat.mean - meant.flat) / 2 + (slope - meant.slope) * height,
        hypot(shape.flat.sd / 2, per_degree * shape.angle.sd),
    )
