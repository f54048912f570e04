"""What all documents share: nothing unknown, nothing coerced, every number finite."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field
from pydantic_core import PydanticCustomError

MOST_TRACKS, MOST_SPACES, MOST_DEPTHS = 20, 60, 60
LONGEST = 10_000.0  # no key, in any unit, is longer
LEAST_ANGLE = 0.1  # degrees: no tool is narrower
SMALLEST = 1e-9  # of lengths and standard deviations that must be more than none

Length = Annotated[float, Field(ge=-LONGEST, le=LONGEST)]
Positive = Annotated[float, Field(ge=SMALLEST, le=LONGEST)]
Angle = Annotated[float, Field(ge=LEAST_ANGLE, lt=180)]
NotNegative = Annotated[float, Field(ge=0, le=LONGEST)]


def _none_or_some(sd: float) -> float:
    if 0 < sd < SMALLEST:
        raise PydanticCustomError("sd", "must be 0 or at least 1e-09")
    return sd


Label = Annotated[str, Field(min_length=1, max_length=3, pattern=r"^\S+$")]
Text = Annotated[str, Field(max_length=2_000)]
Name = Annotated[str, Field(min_length=1, max_length=120)]
Place = Annotated[int, Field(ge=1, le=MOST_SPACES)]
UnitName = Literal["in", "mm"]
EndName = Literal["bow", "tip"]


class Document(BaseModel):
    """Nothing unknown, nothing coerced, every number finite."""

    model_config = ConfigDict(extra="forbid", strict=True, allow_inf_nan=False, populate_by_name=True, defer_build=True)


FamilyReference = Annotated[str | dict[str, Any], Field(description="a family document or a shipped id")]

Doubt = Annotated[float, Field(ge=0, le=LONGEST), AfterValidator(_none_or_some)]
"""An sd that may be none, else at least the smallest there is."""

Bitting = Annotated[list[Label], Field(min_length=1, max_length=MOST_SPACES)]
