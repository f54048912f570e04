"""The shape of ``wry-falcon.plan/1``."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from keycore.documents.models.base import MOST_TRACKS, Bitting, Document, FamilyReference
from keycore.documents.models.family import CutModel


class PlanModel(Document):
    """A key to be planned."""

    format: Literal["wry-falcon.plan/1"]
    family: FamilyReference
    bitting: Annotated[dict[str, Bitting], Field(min_length=1, max_length=MOST_TRACKS)]
    style: Literal["plunged", "ramped"]
    cutter: CutModel | None = None
