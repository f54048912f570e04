"""What a key's pattern of errors names as the likely cause; the causes themselves are the kind's own."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np

from keycore.cutting.lay import TURNED
from keycore.family import Tolerance, Track
from keycore.kinds.causes import CAUSES, COMMON, Array, CauseModel, Errors, MendedBy, Say, log_normal
from keycore.logs import log_sum
from keycore.proving.verdict import ProofCut

UNEVEN = 0.25  # a sound machine's own scatter


@dataclass(frozen=True, slots=True)
class Cause:
    """A possible cause, its weight among all, what to do in words, and what mends a key of it."""

    cause: str
    weight: float
    says: str
    mended_by: MendedBy = MendedBy.NOTHING


def likely_causes(
    cuts: Sequence[ProofCut], sd: float, tolerance: Tolerance, unit: str = "", *, falls_when_deeper: bool = True,
    among: Mapping[str, CauseModel] | None = None, say: Say | None = None, sd_space: float | None = None,
    tracks: Sequence[Track] | None = None,
) -> list[Cause]:  # fmt: skip
    """Rank what may have made these errors.

    Arguments: ``cuts`` (n,) as measured, at least one; ``sd`` of one measurement, the family's tolerance, the ``unit``
    to name in words, ``falls_when_deeper`` whether a deeper cut has the smaller value: errors are judged by the metal
    left; the causes ``among`` which to choose, those of an edge without it; how to ``say`` a length, where that is not
    in its own unit; ``sd_space`` of a position, where that has another unit; the ``tracks`` (n,) of the cuts, where
    their tools or the way their values go tell causes apart. A cause that these cuts cannot show has
    no weight. Returns every cause with weights that sum to 1, likeliest first. Raises nothing.

    >>> deep = [ProofCut(n, 0.2 * n, 0.1, 0.1 + 0.004) for n in (1, 2, 3)]
    >>> found = likely_causes(deep, 0.0003, Tolerance(0.002, 0.003), falls_when_deeper=False)
    >>> found[0].cause, "deep" in found[0].says, {c.cause: c.weight for c in found}["scale"]
    ('seat', True, 0.0)
    """
    errors = _errors(cuts, sd, tolerance, tracks, falls=falls_when_deeper, sd_space=sd_space)
    models = CAUSES if among is None else among
    logs = {
        name: np.log(model.prior) + model.log_evidence(errors) if model.shows(errors) else -np.inf
        for name, model in models.items()
    }
    total = log_sum(np.array(list(logs.values())))
    said = say or partial(_plainly, f" {unit}" if unit else "")
    causes = [
        Cause(name, float(np.exp(log - total)), models[name].says(errors, said), models[name].mended_by)
        for name, log in logs.items()
    ]
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
    spaces = log_normal(errors.s, errors.sd_space, ones, [0.0])
    alone = (
        log_sum(np.array([log_normal(errors.e, errors.sd, column, [size]) for column in of_side])) - np.log(2) + spaces
    )
    others = log_sum(np.array([np.log(model.prior) + model.log_evidence(errors) for model in CAUSES.values()]))
    return float(np.exp(min(np.log(ONE_SIDE) + alone - others, 50.0)))


def _errors(
    cuts: Sequence[ProofCut], sd: float, tolerance: Tolerance, tracks: Sequence[Track] | None = None, *,
    falls: bool = True, sd_space: float | None = None,
) -> Errors:  # fmt: skip
    order = sorted(range(len(cuts)), key=lambda n: cuts[n].from_gauge)  # stable: one_side_alone counts on it
    of = [tracks[n] for n in order] if tracks is not None else [None] * len(cuts)
    ordered = [cuts[n] for n in order]
    way = np.array([1.0 if (falls if track is None else track.falls_when_deeper) else -1.0 for track in of])
    over = np.array([-1.0 if track is not None and track.face in TURNED else 1.0 for track in of])
    tools = [track and track.tool for track in of]
    known = list(dict.fromkeys(tools))
    tool = np.array([known.index(each) for each in tools], dtype=float)
    values = np.array([cut.value for cut in ordered])
    jumps = np.abs(np.diff(values, prepend=values[0], append=values[-1]))
    steep = np.maximum(jumps[:-1], jumps[1:])
    is_placed = [cut.space_error is not None for cut in ordered]
    return Errors(
        e=way * np.array([cut.error for cut in ordered]),
        s=np.array([cut.space_error for cut in ordered if cut.space_error is not None]),
        x=_centred(np.array([cut.from_gauge for cut in ordered])),
        v=_centred(values),
        steep=steep / steep.max() if steep.max() > 0 else steep,
        sd=float(np.hypot(sd, UNEVEN * tolerance.value)),
        sd_space=float(np.hypot(sd if sd_space is None else sd_space, UNEVEN * tolerance.space)),
        tolerance=tolerance,
        falls=way,
        jaw=way * over,
        tool_of_s=tool[is_placed],
    )


def _centred(numbers: Array) -> Array:
    span = np.ptp(numbers)
    return np.asarray((numbers - numbers.mean()) / span if span > 0 else np.zeros_like(numbers))


def _plainly(suffix: str, length: float, signed: bool) -> str:
    return f"{length:{'+' if signed else ''}.4f}{suffix}"
