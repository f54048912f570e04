"""The shape of ``wry-falcon.proof/1``."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from keycore.documents.models.base import MOST_SPACES, MOST_TRACKS, Document, Doubt, Length, Place, UnitName
from keycore.documents.models.family import ToleranceModel


class ProofCutModel(Document):
    space: Place
    from_gauge: Length
    value: Length
    measured: Length
    measured_space: Length | None = None


class ProofModel(Document):
    """A cut key and what was measured on it."""

    format: Literal["wry-falcon.proof/1"]
    unit: UnitName
    tolerance: ToleranceModel
    sd: Doubt
    deeper: Literal["smaller", "larger"] = "smaller"
    cuts: Annotated[list[ProofCutModel], Field(min_length=1, max_length=MOST_TRACKS * MOST_SPACES)]
