"""What a key's pattern of errors names as the likely cause.

Each cause is a small normal model of the errors it would make; its marginal likelihood is closed
form (MacKay, "Information Theory, Inference, and Learning Algorithms", 2003, chapter 28, on the
evidence framework). The prior weights are common practice, no source.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray
from scipy.special import log_ndtr

from keycore.family import Tolerance
from keycore.logs import log_sum
from keycore.proving.verdict import ProofCut

Array = NDArray[np.float64]

PRIOR = {
    "none": 0.50, "seat": 0.13, "depth": 0.09, "angle": 0.07, "single": 0.07,
    "gauge": 0.06, "scale": 0.03, "cutter": 0.03, "loose": 0.02,
}  # fmt: skip

COMMON = 2.0  # how large an effect each cause makes, in tolerances
LONE = 4.0
UNEVEN = 0.25  # a sound machine's own scatter
LOOSE = 1.5


Say = Callable[[float, bool], str]
"""How a length is said in words, with a sign or without."""


@dataclass(frozen=True, slots=True)
class Cause:
    """A possible cause, its weight among all, and what to do in words."""

    cause: str
    weight: float
    says: str


@dataclass(frozen=True)
class _Errors:
    e: Array  # (n,) depth errors, metal left too much
    s: Array  # (m,) position errors, those measured
    x: Array  # (n,) places along the blade, centred, -1/2 .. 1/2
    v: Array  # (n,) depth values, likewise
    steep: Array  # (n,) steepness of the worse neighbour, 0 .. 1
    sd: float  # of one depth error on a sound machine
    sd_space: float
    tolerance: Tolerance


def likely_causes(
    cuts: Sequence[ProofCut], sd: float, tolerance: Tolerance, unit: str = "", *, falls_when_deeper: bool = True,
    among: Collection[str] | None = None, say: Say | None = None, sd_space: float | None = None,
) -> list[Cause]:  # fmt: skip
    """Rank what may have made these errors.

    Arguments: the measured cuts, at least one; ``sd`` of one measurement, the family's tolerance, the ``unit`` to name
    in words, ``falls_when_deeper`` whether a deeper cut has the smaller value: errors are judged by the metal left;
    the causes ``among`` which to choose, all without it; how to ``say`` a length, where that is not in its own unit;
    ``sd_space`` of a position, where that has another unit. A cause that these cuts cannot show has no weight. Returns
    every cause with weights that sum to 1, likeliest first. Raises nothing.

    >>> deep = [ProofCut(n, 0.2 * n, 0.1, 0.1 + 0.004) for n in (1, 2, 3)]
    >>> found = likely_causes(deep, 0.0003, Tolerance(0.002, 0.003), falls_when_deeper=False)
    >>> found[0].cause, "deep" in found[0].says, {c.cause: c.weight for c in found}["scale"]
    ('seat', True, 0.0)
    """
    errors = _errors(cuts, sd, tolerance, 1.0 if falls_when_deeper else -1.0, sd_space)
    logs = {
        cause: np.log(prior) + _log_evidence(cause, errors) if _can_show(cause, errors) else -np.inf
        for cause, prior in PRIOR.items()
        if among is None or cause in among
    }
    total = log_sum(np.array(list(logs.values())))
    said = say or partial(_plainly, f" {unit}" if unit else "")
    causes = [Cause(name, float(np.exp(log - total)), _says(name, errors, said)) for name, log in logs.items()]
    return sorted(causes, key=lambda cause: -cause.weight)


ONE_SIDE = 0.05
"""How often a key of two sides is spoiled on one of them alone: common practice, no source."""


def one_side_alone(cuts: Sequence[ProofCut], sides: Sequence[str], sd: float, tolerance: Tolerance) -> float:
    """The weight of one side being off alone, beside all of ``likely_causes`` together, which weigh 1.

    Either side, with even chance, has an error of its own common to its cuts; the other has none. Arguments as
    ``likely_causes``: ``cuts`` and the ``sides`` (n,) they are on, ``sd`` in the family's unit. Returns 0 for cuts of
    one side only. Raises nothing.

    >>> cuts = [ProofCut(1, 1.0, 8.0, 8.0), ProofCut(2, 2.0, 8.0, 8.0), ProofCut(1, 1.0, 8.0, 7.8),
    ...         ProofCut(2, 2.0, 8.0, 7.8)]
    >>> one_side_alone(cuts, "AABB", 0.01, Tolerance(0.05, 0.08)) > 1
    True
    >>> one_side_alone(cuts, "AAAA", 0.01, Tolerance(0.05, 0.08))
    0.0
    """
    if len(set(sides)) != 2:
        return 0.0
    errors = _errors(cuts, sd, tolerance)
    place = np.argsort([cut.from_gauge for cut in cuts], kind="stable")
    size = COMMON * tolerance.value
    of_side = [np.array([[float(sides[n] == side)] for n in place]) for side in sorted(set(sides))]
    ones = np.ones((len(errors.s), 1))
    spaces = _log_normal(errors.s, errors.sd_space, ones, [0.0])
    alone = (
        log_sum(np.array([_log_normal(errors.e, errors.sd, column, [size]) for column in of_side])) - np.log(2) + spaces
    )
    others = log_sum(np.array([np.log(prior) + _log_evidence(cause, errors) for cause, prior in PRIOR.items()]))
    return float(np.exp(min(np.log(ONE_SIDE) + alone - others, 50.0)))


def _can_show(cause: str, errors: _Errors) -> bool:
    """Whether these cuts could tell a cause from an offset of all alike."""
    column = {"scale": errors.v, "angle": errors.x, "cutter": errors.steep}.get(cause)
    return column is None or float(np.ptp(column)) > 0


def _errors(
    cuts: Sequence[ProofCut], sd: float, tolerance: Tolerance, way: float = 1.0, sd_space: float | None = None
) -> _Errors:
    ordered = sorted(cuts, key=lambda cut: cut.from_gauge)  # stable: one_side_alone counts on it
    values = np.array([cut.value for cut in ordered])
    jumps = np.abs(np.diff(values, prepend=values[0], append=values[-1]))
    steep = np.maximum(jumps[:-1], jumps[1:])
    spaces = [cut.space_error for cut in ordered if cut.space_error is not None]
    return _Errors(
        e=way * np.array([cut.error for cut in ordered]),
        s=np.array(spaces),
        x=_centred(np.array([cut.from_gauge for cut in ordered])),
        v=_centred(values),
        steep=steep / steep.max() if steep.max() > 0 else steep,
        sd=float(np.hypot(sd, UNEVEN * tolerance.value)),
        sd_space=float(np.hypot(sd if sd_space is None else sd_space, UNEVEN * tolerance.space)),
        tolerance=tolerance,
    )


def _centred(numbers: Array) -> Array:
    span = np.ptp(numbers)
    return np.asarray((numbers - numbers.mean()) / span if span > 0 else np.zeros_like(numbers))


def _log_evidence(cause: str, errors: _Errors) -> float:
    """Log p(errors | cause): depth errors and position errors together."""
    n, size = len(errors.e), COMMON * errors.tolerance.value
    ones = np.ones((n, 1))
    shift = COMMON * errors.tolerance.space if cause == "gauge" else 0.0
    spaces = _log_normal(errors.s, errors.sd_space, np.ones((len(errors.s), 1)), [shift])
    match cause:
        case "none" | "gauge":
            depths = _log_normal(errors.e, errors.sd, ones, [0.0])
        case "depth":
            depths = _log_normal(errors.e, errors.sd, ones, [size])
        case "seat":
            depths = _log_one_way(errors.e, errors.sd, ones[:, 0], size)
        case "angle":
            depths = _log_normal(errors.e, errors.sd, np.column_stack([ones, errors.x]), [size, 2 * size])
        case "scale":
            depths = _log_normal(errors.e, errors.sd, np.column_stack([ones, errors.v]), [size, 2 * size])
        case "cutter":
            depths = _log_one_way(errors.e, errors.sd, errors.steep, size)
        case "loose":
            depths = _log_normal(errors.e, float(np.hypot(errors.sd, LOOSE * errors.tolerance.value)), ones, [0.0])
        case _:  # single: any one cut may be the odd one
            wide = float(np.hypot(errors.sd, LONE * errors.tolerance.value))
            less = np.log(wide / errors.sd) + 0.5 * np.square(errors.e) * (wide**-2 - errors.sd**-2)
            depths = float(_log_normal(errors.e, errors.sd, ones, [0.0]) + log_sum(-less) - np.log(n))
    return depths + spaces


def _log_normal(e: Array, sd: float, design: Array, sizes: Sequence[float]) -> float:
    """Log N(e; 0, sd^2 I + design diag(sizes^2) design^T), by the few columns and not the many rows (Woodbury)."""
    if not len(e):
        return 0.0
    scaled = design * np.array(sizes) / sd
    inner = np.eye(scaled.shape[1]) + scaled.T @ scaled
    _, log_det = np.linalg.slogdet(inner)
    shown = scaled.T @ (e / sd)
    far = float((e / sd) @ (e / sd)) - float(shown @ np.linalg.solve(inner, shown))
    return float(-0.5 * (len(e) * np.log(2 * np.pi * sd**2) + log_det + far))


def _log_one_way(e: Array, sd: float, column: Array, size: float) -> float:
    """As above for one term that only ever cuts deep: a half-normal in place of a normal."""
    precision = size**-2 + float(column @ column) / sd**2
    mean = float(column @ e) / sd**2 / precision
    two_sided = _log_normal(e, sd, column[:, None], [size])
    return two_sided + float(np.log(2) + log_ndtr(-mean * precision**0.5))


def _plainly(suffix: str, length: float, signed: bool) -> str:
    return f"{length:{'+' if signed else ''}.4f}{suffix}"


def _says(cause: str, errors: _Errors, say: Say) -> str:
    mean = float(errors.e.mean())
    way = "deep" if mean < 0 else "shallow"
    shift = say(float(errors.s.mean()), True) if len(errors.s) else "not measured"
    odd = int(np.abs(errors.e - np.median(errors.e)).argmax()) + 1
    return {
        "none": "Nothing but the ordinary scatter of cutting and measuring.",
        "seat": "All cuts deep alike: the blank was not bottomed in the jaw. "
        "Clamp again and cut again before any adjustment.",
        "depth": f"All cuts {way} alike, by {say(abs(mean), False)} on average: "
        "the depth setting is off, or the wheel is worn.",
        "angle": "The error grows along the blade: the key sat at an angle, or the pitch is off. "
        "Clamp again, sight the millings.",
        "scale": "The error grows with depth: the depth axis is out of scale. Service, not an offset.",
        "single": f"One cut stands out, number {odd} from the gauge: a chip under the key, or a misread. "
        "Measure it again.",
        "gauge": f"All cuts shifted along the blade ({shift}): the shoulder or tip was not at its stop, "
        "or the gauge is off.",
        "cutter": "Deep only beside steep neighbours: wrong cutter angle, or a worn wheel.",
        "loose": "Errors without a pattern: a loose jaw, a worn bearing or a dull wheel.",
    }[cause]
