"""Cut plans, ``wry-falcon.plan/1``: the verb ``plan``."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from keycore import families
from keycore.cutting.lay import write_lay
from keycore.cutting.plan import Plan, PlannedCut, plan_cuts
from keycore.documents.family import family_of
from keycore.documents.kinds import part_of
from keycore.documents.parse import check
from keycore.errors import InputError


def answer_plan(data: Any) -> dict[str, Any]:
    """The verb ``plan``: a bitting in, its cuts, what they leave and its problems out.

    ``data`` as JSON gives it. Raises InputError.
    """
    part = part_of(_kind_named(data))
    model = check(part.plan, data)
    return write_plan(plan_cuts(family_of(model.family), model.bitting, model.style or "", part.plan_tool(model)))


def write_plan(plan: Plan) -> dict[str, Any]:
    """A plan as plain data. Raises nothing."""
    part = part_of(plan.family.kind.id)
    tracks = [
        {
            "track": planned.track.name,
            "cuts": [_write_cut(cut) for cut in planned.cuts],
            **part.track_answer(planned),
            "macs_geometric": planned.macs_geometric,
        }
        for planned in plan.tracks
    ]
    clampings = {
        "clampings": [
            {"n": c.number, "face": c.face, "tool": c.tool, "tracks": list(c.tracks), "turn": c.turn}
            for c in plan.clampings
        ],
        "lays": [write_lay(lay) for lay in plan.lays],
        "fins": [asdict(fin) for fin in plan.fins],
    }
    problems = [{**asdict(problem), "spaces": list(problem.spaces)} for problem in plan.problems]
    told = clampings if part.tells_clampings else {}
    return {"tracks": tracks, **told, **part.plan_answer(plan), "problems": problems}


def _write_cut(cut: PlannedCut) -> dict[str, Any]:
    return {
        "space": cut.space,
        "label": cut.label,
        "from_gauge": cut.from_gauge,
        "from_previous": cut.from_previous,
        "value": cut.value,
        **{name: list(each) if isinstance(each, tuple) else each for name, each in cut.own.items()},
    }


def _kind_named(data: Any) -> Any:
    """The kind that a plan's family names, before anything of it is checked; None where it names none."""
    family = data.get("family") if isinstance(data, dict) else None
    if isinstance(family, str):
        try:
            family = families.shipped(family)
        except InputError:
            return None
    return family.get("kind") if isinstance(family, dict) else None
