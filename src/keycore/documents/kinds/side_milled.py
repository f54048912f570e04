"""What families and plans of side-milled keys have of their own: the mill, its wall, the rib between walls."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from keycore.documents.kinds import DocumentPart
from keycore.documents.kinds.rotary import UnstyledPlanModel
from keycore.documents.models.base import LEAST_ANGLE, MOST_TRACKS, Document, Positive
from keycore.documents.models.family import FamilyModel, TrackModel
from keycore.kinds.side_milled import Wall
from keycore.tools import Mill


class MillModel(Document):
    """What a track is milled with, and the wall that is wanted."""

    diameter: Positive
    depth: Positive
    land: Positive
    ramp: Annotated[float, Field(ge=LEAST_ANGLE, lt=90)]
    metal: Literal["below", "above"]


class FittedMillModel(Document):
    """Another mill than the family's."""

    diameter: Positive


class MilledTrackModel(TrackModel):
    """A wall on a face, or on a side."""

    mill: MillModel | None = None
    turning: dict[str, str] | None = None
    turning_row: str | None = None


class MilledFamilyModel(FamilyModel):
    """A family of side-milled keys."""

    kind: Literal["side-milled"]
    tracks: Annotated[list[MilledTrackModel], Field(min_length=1, max_length=MOST_TRACKS)]  # type: ignore[assignment]
    least_rib: Positive | None = None


class MilledPlanModel(UnstyledPlanModel):
    """A key cut with the family's mill or another."""

    mill: FittedMillModel | None = None


def wall(model: Any) -> Wall | None:
    """The wall of a checked track, the ``model``; None without a mill. Raises nothing."""
    if model.mill is None:
        return None
    mill, turning = model.mill, tuple((model.turning or {}).items())
    return Wall(mill.depth, mill.land, mill.ramp, mill.metal, turning, model.turning_row or "")


PART = DocumentPart(
    family=MilledFamilyModel,
    plan=MilledPlanModel,
    track_tool=lambda model: Mill(model.mill.diameter) if model.mill else None,
    plan_tool=lambda model: Mill(model.mill.diameter) if model.mill else None,
    track_own=wall,
    family_own=lambda model: model.least_rib,
)
