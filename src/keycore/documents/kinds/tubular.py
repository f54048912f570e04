"""What families and plans of tubular keys have of their own: the tube, and the slots in its end."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from keycore.documents.kinds import DocumentPart
from keycore.documents.kinds.rotary import UnstyledPlanModel
from keycore.documents.models.base import MOST_TRACKS, Document, Positive
from keycore.documents.models.family import FamilyModel, TrackModel
from keycore.kinds.tubular import Tube
from keycore.tools import Slotter


class TubeModel(Document):
    """The tube: its diameters."""

    outer: Positive
    inner: Positive


class SlotModel(Document):
    """What a slot is cut with."""

    width: Positive


class TubularTrackModel(TrackModel):
    """A ring of slots."""

    slot: SlotModel | None = None


class TubularFamilyModel(FamilyModel):
    """A family of tubular keys."""

    kind: Literal["tubular"]
    tube: TubeModel | None = None
    tracks: Annotated[list[TubularTrackModel], Field(min_length=1, max_length=MOST_TRACKS)]  # type: ignore[assignment]


PART = DocumentPart(
    family=TubularFamilyModel,
    plan=UnstyledPlanModel,
    track_tool=lambda model: Slotter(model.slot.width) if model.slot else None,
    plan_tool=lambda model: None,
    family_own=lambda model: Tube(model.tube.outer, model.tube.inner) if model.tube else None,
)
