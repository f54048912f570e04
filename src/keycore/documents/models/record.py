"""The shape of ``wry-falcon.record/1``."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from keycore.documents.models.base import (
    MOST_DEPTHS,
    MOST_SPACES,
    MOST_TRACKS,
    Bitting,
    Document,
    Length,
    Name,
    Place,
    Text,
)


class DeeperCutModel(Document):
    track: Name
    space: Place
    steps: Annotated[int, Field(ge=1, le=MOST_DEPTHS)]
    reason: Text


class RecordedKeyModel(Document):
    """What a key is and what was cut, enough to make it again."""

    bitting: Annotated[dict[str, Bitting], Field(min_length=1, max_length=MOST_TRACKS)]
    values: dict[str, Annotated[list[Length], Field(max_length=MOST_SPACES)]]
    intent: Literal["restore", "copy", "compensate"]
    deeper_by: Length = 0.0
    deeper_cuts: Annotated[list[DeeperCutModel], Field(max_length=MOST_SPACES)] = []
    chance: Annotated[float, Field(ge=0, le=1)] | None = None
    reason: Text = ""


class RecordModel(Document):
    """Everything a tag holds; the key and its family are checked, the rest is kept as it was written."""

    format: Literal["wry-falcon.record/1"]
    tag: Annotated[str, Field(max_length=12)]
    title: Name
    customer: Name
    authority: Text = ""
    quantity: Annotated[int, Field(ge=1, le=10_000)] = 1
    family: dict[str, Any]
    key: RecordedKeyModel
    locks: Annotated[list[dict[str, str]], Field(max_length=100)] = []
    readings: list[dict[str, Any]] = []
    overrulings: list[dict[str, Any]] = []
    set_up: dict[str, Any] | None = None
    keys: list[dict[str, Any]] = []
    history: list[dict[str, Any]] = []
