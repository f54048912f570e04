"""Machines against their target, ``wry-falcon.calibration/1``: the verb ``calibrate``."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from keycore.documents.models.calibration import CalibrationModel
from keycore.documents.parse import check
from keycore.family import Tolerance
from keycore.machines.trim import TERMS, Adjustment, MeasuredCut, Noise, Term, fit_trim


def answer_calibrate(data: Any) -> dict[str, Any]:
    """The verb ``calibrate``: measured keys in; errors, adjustments and advice out.

    ``data`` as JSON gives it. Raises InputError.
    """
    model = check(CalibrationModel, data)
    trim = fit_trim(
        [[MeasuredCut(**cut.model_dump()) for cut in key.cuts] for key in model.keys],
        Tolerance(model.tolerance.value, model.tolerance.space),
        Adjustment(model.adjust.depth_step, model.adjust.space_step),
        Noise(model.noise.sd, model.noise.seat_sd) if model.noise else None,
    )
    terms: dict[str, Term | None] = {name: getattr(trim, name) for name in TERMS}
    return {
        **{name: asdict(term) if term else None for name, term in terms.items()},
        "depth_adjust": trim.depth_adjust,
        "space_adjust": trim.space_adjust,
        "verdict": trim.advice.value,
        **({"left_out": dict(trim.left_out)} if trim.left_out else {}),
    }
