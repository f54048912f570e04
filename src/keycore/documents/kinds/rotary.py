"""What families and plans of disc keys have of their own: how wide a cut is, and the round that it is cut in."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from keycore.documents.kinds import DocumentPart
from keycore.documents.models.base import MOST_TRACKS, Positive
from keycore.documents.models.family import FamilyModel, TrackModel
from keycore.documents.models.plan import PlanModel
from keycore.tools import DiscClamp


class RotaryTrackModel(TrackModel):
    """A row of discs."""

    cut_width: Positive | None = None
    blade: Positive | None = None


class RotaryFamilyModel(FamilyModel):
    """A family of disc keys."""

    kind: Literal["rotary"]
    tracks: Annotated[list[RotaryTrackModel], Field(min_length=1, max_length=MOST_TRACKS)]  # type: ignore[assignment]


class UnstyledPlanModel(PlanModel):
    """A key whose plan has one path and one tool."""

    style: None = None  # type: ignore[assignment]
    cutter: None = None


PART = DocumentPart(
    family=RotaryFamilyModel,
    plan=UnstyledPlanModel,
    track_tool=lambda model: DiscClamp(model.cut_width) if model.cut_width else None,
    plan_tool=lambda model: None,
    track_own=lambda model: model.blade,
)
