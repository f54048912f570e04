"""What can make a key come out wrong: a small normal model of the errors that each cause would make, and its words.

A kind names those that its keys can show, and may bring others of its own. The prior weights are common practice, no
source. The marginal likelihoods are closed form (MacKay, "Information Theory, Inference, and Learning Algorithms",
2003, chapter 28, on the evidence framework).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from keycore.family import Tolerance
from keycore.logs import log_sum

Array = NDArray[np.float64]
Say = Callable[[float, bool], str]
"""How a length is said in words, with a sign or without."""

COMMON = 2.0  # how large an effect each cause makes, in tolerances
LONE = 4.0
LOOSE = 1.5


class MendedBy(StrEnum):
    """What mends a key of a cause."""

    NOTHING = ""
    CUTTING = "cutting"  # another blank, clamped anew
    MEASURING = "measuring"  # once more


@dataclass(frozen=True)
class Errors:
    """The errors of a key's measured cuts, in the order along the blade."""

    e: Array  # (n,) depth errors, metal left too much
    s: Array  # (m,) position errors, those measured
    x: Array  # (n,) places along the blade, centred, -1/2 .. 1/2
    v: Array  # (n,) depth values, likewise
    steep: Array  # (n,) steepness of the worse neighbour, 0 .. 1
    sd: float  # of one depth error on a sound machine
    sd_space: float
    tolerance: Tolerance
    falls: Array  # (n,) 1 where a deeper cut has the smaller value, -1 where it has the larger
    jaw: Array  # (n,) what more metal a cut has left that lies further from the fixed jaw: 1, or -1 as falls and turned
    tool_of_s: Array  # (m,) which tool cut it, from 0, of the positions measured

    @property
    def ones(self) -> Array:
        """A column (n, 1) for what all cuts share."""
        return np.ones((len(self.e), 1))

    @property
    def size(self) -> float:
        """How large an effect a cause makes."""
        return COMMON * self.tolerance.value


def _always(errors: Errors) -> bool:
    return True


@dataclass(frozen=True)
class CauseModel:
    """One cause: how often it happens, the log density of the depth errors under it, what it means in words.

    ``shifts_places`` whether it shifts all cuts along the blade; ``shows`` whether these cuts could tell it from an
    offset of all alike.
    """

    prior: float
    depths: Callable[[Errors], float]
    says: Callable[[Errors, Say], str]
    mended_by: MendedBy = MendedBy.CUTTING
    shifts_places: bool = False
    shows: Callable[[Errors], bool] = _always
    places: Callable[[Errors], float] | None = None  # of the position errors, where they are not shifted all alike

    def log_evidence(self, errors: Errors) -> float:
        """Log p(errors | cause): depth errors and position errors together."""
        if self.places is not None:
            return self.depths(errors) + self.places(errors)
        shift = COMMON * errors.tolerance.space if self.shifts_places else 0.0
        return self.depths(errors) + log_normal(errors.s, errors.sd_space, np.ones((len(errors.s), 1)), [shift])


def log_normal(e: Array, sd: float, design: Array, sizes: Sequence[float]) -> float:
    """Log N(e; 0, sd^2 I + design diag(sizes^2) design^T), by the few columns and not the many rows (Woodbury).

    Arguments: errors ``e`` (n,), their own ``sd``, ``design`` (n, k), ``sizes`` (k,) in the errors' unit. Raises
    nothing.
    """
    if not len(e):
        return 0.0
    scaled = design * np.array(sizes) / sd
    inner = np.eye(scaled.shape[1]) + scaled.T @ scaled
    _, log_det = np.linalg.slogdet(inner)
    shown = scaled.T @ (e / sd)
    far = float((e / sd) @ (e / sd)) - float(shown @ np.linalg.solve(inner, shown))
    return float(-0.5 * (len(e) * np.log(2 * np.pi * sd**2) + log_det + far))


def log_one_way(e: Array, sd: float, column: Array, size: float) -> float:
    """As ``log_normal`` for one term that only ever cuts deep: a half-normal in place of a normal.

    Arguments: errors ``e`` (n,), their own ``sd``, a ``column`` (n,), the term's ``size`` in their unit. Raises
    nothing.
    """
    from scipy.special import log_ndtr  # here, since a plan names causes, weighs none and need not wait for it

    precision = size**-2 + float(column @ column) / sd**2
    mean = float(column @ e) / sd**2 / precision
    two_sided = log_normal(e, sd, column[:, None], [size])
    return two_sided + float(np.log(2) + log_ndtr(-mean * precision**0.5))


def _scatter(errors: Errors) -> float:
    return log_normal(errors.e, errors.sd, errors.ones, [0.0])


def _with(column: Array, errors: Errors) -> float:
    """An offset, and a slope along a column."""
    design = np.column_stack([errors.ones, column])
    return log_normal(errors.e, errors.sd, design, [errors.size, 2 * errors.size])


def _loose(errors: Errors) -> float:
    wide = float(np.hypot(errors.sd, LOOSE * errors.tolerance.value))
    return log_normal(errors.e, wide, errors.ones, [0.0])


def _single(errors: Errors) -> float:
    """Any one cut may be the odd one."""
    wide = float(np.hypot(errors.sd, LONE * errors.tolerance.value))
    less = np.log(wide / errors.sd) + 0.5 * np.square(errors.e) * (wide**-2 - errors.sd**-2)
    return float(_scatter(errors) + log_sum(-less) - np.log(len(errors.e)))


def _differs(column: Array) -> bool:
    return float(np.ptp(column)) > 0


def _depth_says(errors: Errors, say: Say) -> str:
    mean = float(errors.e.mean())
    way = "deep" if mean < 0 else "shallow"
    return (
        f"All cuts {way} alike, by {say(abs(mean), False)} on average: the depth setting is off, or the wheel is worn."
    )


def _single_says(errors: Errors, say: Say) -> str:
    odd = int(np.abs(errors.e - np.median(errors.e)).argmax()) + 1
    return f"One cut stands out, number {odd} from the gauge: a chip under the key, or a misread. Measure it again."


def _gauge_says(errors: Errors, say: Say) -> str:
    shift = say(float(errors.s.mean()), True) if len(errors.s) else "not measured"
    return f"All cuts shifted along the blade ({shift}): the shoulder or tip was not at its stop, or the gauge is off."


def _plain(words: str) -> Callable[[Errors, Say], str]:
    """The same words whatever the errors are."""
    return lambda errors, say: words


CAUSES: Mapping[str, CauseModel] = {
    "none": CauseModel(
        0.50, _scatter, _plain("Nothing but the ordinary scatter of cutting and measuring."), MendedBy.NOTHING
    ),
    "seat": CauseModel(
        0.13,
        lambda errors: log_one_way(errors.e, errors.sd, errors.ones[:, 0], errors.size),
        _plain(
            "All cuts deep alike: the blank was not bottomed in the jaw. "
            "Clamp again and cut again before any adjustment."
        ),
    ),
    "depth": CauseModel(0.09, lambda errors: log_normal(errors.e, errors.sd, errors.ones, [errors.size]), _depth_says),
    "angle": CauseModel(
        0.07,
        lambda errors: _with(errors.x, errors),
        _plain(
            "The error grows along the blade: the key sat at an angle, or the pitch is off. "
            "Clamp again, sight the millings."
        ),
        shows=lambda errors: _differs(errors.x),
    ),
    "single": CauseModel(0.07, _single, _single_says, MendedBy.MEASURING),
    "gauge": CauseModel(0.06, _scatter, _gauge_says, shifts_places=True),
    "scale": CauseModel(
        0.03,
        lambda errors: _with(errors.v, errors),
        _plain("The error grows with depth: the depth axis is out of scale. Service, not an offset."),
        shows=lambda errors: _differs(errors.v),
    ),
    "cutter": CauseModel(
        0.03,
        lambda errors: log_one_way(errors.e, errors.sd, errors.steep, errors.size),
        _plain("Deep only beside steep neighbours: wrong cutter angle, or a worn wheel."),
        shows=lambda errors: _differs(errors.steep),
    ),
    "loose": CauseModel(0.02, _loose, _plain("Errors without a pattern: a loose jaw, a worn bearing or a dull wheel.")),
}
"""Those of a key cut along its edge."""


def _across(errors: Errors) -> float:
    return log_normal(errors.e, errors.sd, errors.jaw[:, None], [errors.size])


def _across_says(errors: Errors, say: Say) -> str:
    off = float((errors.jaw * errors.e).mean())
    way = "away from" if off > 0 else "towards"
    return (
        f"Every wall lies {way} the fixed jaw alike, by {say(abs(off), False)}: the clamp's face, or the axis "
        "across, is off. Touch the face off again."
    )


def _tilt(errors: Errors) -> float:
    design = np.column_stack([errors.jaw, errors.jaw * errors.x])
    return log_normal(errors.e, errors.sd, design, [errors.size, 2 * errors.size])


def _mill_says(errors: Errors, say: Say) -> str:
    left = float(errors.e.mean())
    return (
        f"Every wall has metal left, {say(abs(left), False)} on average, whichever side its metal is on: the mill is "
        "worn smaller, by twice that. Measure it; no offset mends it, a new mill or its own diameter in the plan does."
    )


def _drill_places(errors: Errors) -> float:
    """One drill's holes alone are off along the blade, whichever it is."""
    shift = COMMON * errors.tolerance.space
    tools = np.unique(errors.tool_of_s)
    each = [
        log_normal(errors.s, errors.sd_space, (errors.tool_of_s == tool).astype(float)[:, None], [shift])
        for tool in tools
    ]
    return float(log_sum(np.array(each)) - np.log(len(tools)))


def _drill_says(errors: Errors, say: Say) -> str:
    means = [float(errors.s[errors.tool_of_s == tool].mean()) for tool in np.unique(errors.tool_of_s)]
    off = f"by {say(abs(max(means, key=abs)), False)}" if means else "not measured"
    return (
        f"The holes of one drill alone are off along the blade, {off}: that drill runs off its "
        "centre, or was put in crooked. Put it in again and drill a flat; pins ride up the cones beside their seats."
    )


MILLED: Mapping[str, CauseModel] = {
    **{name: CAUSES[name] for name in ("none", "depth", "seat", "single", "gauge", "loose")},
    "mill": CauseModel(
        0.06,
        lambda errors: log_one_way(errors.e, errors.sd, -errors.ones[:, 0], errors.size),
        _mill_says,
    ),
    "across": CauseModel(0.09, _across, _across_says, shows=lambda errors: _differs(errors.jaw)),
    "angle": CauseModel(
        0.06,
        _tilt,
        _plain(
            "The error grows along the blade: the clamp's face is tilted, or the key lay at an angle. Clean the face, "
            "clamp again; touch it off at both ends, for no offset mends a tilt."
        ),
        shows=lambda errors: _differs(errors.x),
    ),
}
"""Those of a key whose walls are milled: a mill worn smaller moves every wall towards its groove, a face that is off
moves all of them the same way."""
DRILLED: Mapping[str, CauseModel] = {
    **{name: CAUSES[name] for name in ("none", "depth", "seat", "angle", "single", "gauge", "loose")},
    "drill": CauseModel(
        0.05,
        _scatter,
        _drill_says,
        shows=lambda errors: len(errors.s) > 0 and _differs(errors.tool_of_s),
        places=_drill_places,
    ),
}
"""Those of a key whose holes are drilled."""
