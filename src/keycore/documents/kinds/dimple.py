"""What families and plans of dimple keys have of their own: rows and drills, inner tracks, the order of the work."""

from __future__ import annotations

from dataclasses import asdict
from typing import TYPE_CHECKING, Annotated, Any, Literal

from pydantic import Field

from keycore.documents.kinds import DocumentPart
from keycore.documents.models.base import MOST_TRACKS, Angle, Document, Positive
from keycore.documents.models.family import FamilyModel, TrackModel
from keycore.documents.models.plan import PlanModel
from keycore.kinds.dimple import Row
from keycore.tools import Drill

if TYPE_CHECKING:
    from keycore.cutting.plan import Plan


class DrillModel(Document):
    """A drill: the diameter of its flat tip, and the angle of its cone."""

    tip: Annotated[float, Field(ge=0, le=10_000)]
    angle: Angle


class DimpleTrackModel(TrackModel):
    """A row of holes in a face."""

    row: Annotated[float, Field(ge=0, le=10_000)] | None = None
    drill: DrillModel | None = None
    inside: str | None = None


class DimpleFamilyModel(FamilyModel):
    """A family of dimple keys."""

    kind: Literal["dimple"]
    tracks: Annotated[list[DimpleTrackModel], Field(min_length=1, max_length=MOST_TRACKS)]  # type: ignore[assignment]
    least_under: Positive | None = None


class DimplePlanModel(PlanModel):
    """A key drilled by drill or by face."""

    style: Literal["by-drill", "by-face"] | None = None  # type: ignore[assignment]
    cutter: None = None
    drill: DrillModel | None = None


def handling(plan: Plan) -> dict[str, Any]:
    """What the order of the work of a ``plan`` asks of the hand, and what the other school's would. Raises nothing."""
    from keycore.kinds.dimple.cutting import (  # here, since a family is checked without arrays
        BY_DRILL,
        BY_FACE,
        changes,
    )

    tracks = [planned.track.name for planned in plan.tracks]
    other = BY_FACE if plan.style == BY_DRILL else BY_DRILL
    said = {"style": other, **asdict(changes(plan.family, tracks, other))}
    return {"handling": {**asdict(changes(plan.family, tracks, plan.style)), "other": said}}


PART = DocumentPart(
    family=DimpleFamilyModel,
    plan=DimplePlanModel,
    track_tool=lambda model: Drill(model.drill.tip, model.drill.angle) if model.drill else None,
    plan_tool=lambda model: Drill(model.drill.tip, model.drill.angle) if model.drill else None,
    track_own=lambda model: Row(model.row, model.inside or ""),
    family_own=lambda model: model.least_under,
    plan_answer=handling,
)
