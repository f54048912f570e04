"""What families of lever keys have of their own: the bit, the bolt's step, the levers and the clearance beside them."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import ConfigDict, Field

from keycore.documents.kinds import DocumentPart
from keycore.documents.kinds.rotary import UnstyledPlanModel
from keycore.documents.models.base import MOST_SPACES, MOST_TRACKS, Document, Positive
from keycore.documents.models.family import FamilyModel, TrackModel
from keycore.kinds.lever import Bit, Bolt, Levers
from keycore.tools import File

Length = Annotated[float, Field(ge=0, le=10_000)]


class BoltModel(Document):
    """The bolt's own step of the bit."""

    model_config = ConfigDict(populate_by_name=False)
    start: Annotated[Length, Field(alias="from")]
    end: Annotated[Length, Field(alias="to")]
    value: Positive


class BitModel(Document):
    """The bit: heights from the axis of the stem, the stem as a radius."""

    height: Positive
    length: Positive
    thickness: Positive
    stem: Positive
    bore: Positive | None = None
    bolt: BoltModel | None = None


class OneLeverModel(Document):
    """A lever."""

    thickness: Positive


class LeverTrackModel(TrackModel):
    """The steps of a bit."""

    levers: Annotated[list[OneLeverModel], Field(min_length=1, max_length=MOST_SPACES)] | None = None
    clearance: Length | None = None


class LeverFamilyModel(FamilyModel):
    """A family of lever keys."""

    kind: Literal["lever"]
    tracks: Annotated[list[LeverTrackModel], Field(min_length=1, max_length=MOST_TRACKS)]  # type: ignore[assignment]
    bit: BitModel | None = None


def bit(model: Any) -> Bit | None:
    """The bit of a checked family document, the ``model``; None without one. Raises nothing."""
    if model.bit is None:
        return None
    said = model.bit
    bolt = Bolt(said.bolt.start, said.bolt.end, said.bolt.value) if said.bolt else None
    return Bit(said.height, said.length, said.thickness, said.stem, said.bore, bolt)


def levers(model: Any) -> Levers | None:
    """The levers of a checked track, the ``model``; None without any. Raises nothing."""
    if model.levers is None:
        return None
    return Levers(tuple(each.thickness for each in model.levers), model.clearance)


PART = DocumentPart(
    family=LeverFamilyModel,
    plan=UnstyledPlanModel,
    track_tool=lambda model: File(0.0) if model.levers else None,
    plan_tool=lambda model: None,
    track_own=levers,
    family_own=bit,
)
