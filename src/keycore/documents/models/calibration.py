"""The shape of ``wry-falcon.calibration/1``."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from keycore.documents.models.base import MOST_SPACES, MOST_TRACKS, Document, Doubt, Length, Positive, UnitName
from keycore.documents.models.family import ToleranceModel


class MeasuredCutModel(Document):
    space: Length
    value: Length
    measured_value: Length | None
    measured_space: Length | None


class MeasuredKeyModel(Document):
    cuts: Annotated[list[MeasuredCutModel], Field(min_length=1, max_length=MOST_TRACKS * MOST_SPACES)]


class AdjustModel(Document):
    depth_step: Positive
    space_step: Positive


class NoiseModel(Document):
    sd: Positive
    seat_sd: Doubt


class CalibrationModel(Document):
    """Keys of known target, as they came out of a machine."""

    format: Literal["wry-falcon.calibration/1"]
    unit: UnitName
    keys: Annotated[list[MeasuredKeyModel], Field(min_length=1)]
    tolerance: ToleranceModel
    adjust: AdjustModel
    noise: NoiseModel | None = None
    deeper: Literal["smaller", "larger"] = "smaller"
