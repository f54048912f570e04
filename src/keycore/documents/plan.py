"""Cut plans, ``wry-falcon.plan/1``: the verb ``plan``."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from keycore.cutting.plan import Plan, plan_cuts
from keycore.documents.family import family_of, read_cut
from keycore.documents.models.plan import PlanModel
from keycore.documents.parse import check


def answer_plan(data: Any) -> dict[str, Any]:
    """The verb ``plan``: a bitting in, its cuts, profile and problems out. Raises InputError."""
    model = check(PlanModel, data)
    cutter = read_cut(model.cutter) if model.cutter else None
    return write_plan(plan_cuts(family_of(model.family), model.bitting, model.style, cutter))


def write_plan(plan: Plan) -> dict[str, Any]:
    """A plan as plain data. Raises nothing."""
    return {
        "tracks": [
            {
                "track": planned.track.name,
                "cuts": [asdict(cut) for cut in planned.cuts],
                "profile": [[float(x), float(h)] for x, h in zip(planned.profile.x, planned.profile.h, strict=True)],
                "macs_geometric": planned.macs_geometric,
            }
            for planned in plan.tracks
        ],
        "problems": [{**asdict(problem), "spaces": list(problem.spaces)} for problem in plan.problems],
    }
