"""Proofs of cut keys, ``wry-falcon.proof/1``: the verb ``verify``."""

from __future__ import annotations

from typing import Any

from keycore.documents.models.proof import ProofModel
from keycore.documents.parse import check
from keycore.family import Tolerance
from keycore.proving.causes import likely_causes
from keycore.proving.verdict import ProofCut, judge_key, worst


def answer_verify(data: Any) -> dict[str, Any]:
    """The verb ``verify``: measured cuts in, verdicts and likely causes out.

    ``data`` as JSON gives it. Raises InputError.
    """
    model = check(ProofModel, data)
    tolerance = Tolerance(model.tolerance.value, model.tolerance.space)
    cuts = [ProofCut(**cut.model_dump()) for cut in model.cuts]
    judged = judge_key(cuts, model.sd, tolerance)
    causes = likely_causes(cuts, model.sd, tolerance, model.unit, falls_when_deeper=model.deeper == "smaller")
    return {
        "cuts": [
            {"space": j.cut.space, "error": j.cut.error, "space_error": j.cut.space_error, "verdict": j.verdict.value}
            for j in judged
        ],
        "verdict": worst([j.verdict for j in judged]).value,
        "causes": [{"cause": cause.cause, "weight": cause.weight, "says": cause.says} for cause in causes],
    }
