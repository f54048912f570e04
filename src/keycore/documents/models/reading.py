"""The shape of ``wry-falcon.reading/1``."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from keycore.documents.models.base import (
    MOST_DEPTHS,
    MOST_SPACES,
    Bitting,
    Document,
    Doubt,
    EndName,
    FamilyReference,
    Label,
    Length,
    Name,
    NotNegative,
    Place,
    Positive,
)


class SpreadModel(Document):
    mean: Length
    sd: Doubt


class OffsetModel(SpreadModel):
    tip: SpreadModel | None = None


class SourceModel(Document):
    counted_from: EndName | None = Field(default=None, alias="from")


class InstrumentModel(SourceModel):
    sd: Positive | Annotated[list[Positive], Field(max_length=MOST_SPACES)]


class FarModel(Document):
    mean: NotNegative
    sd: NotNegative


class LocalModel(Document):
    chance: Annotated[float, Field(ge=0, lt=1)]
    deep: FarModel
    shallow: FarModel
    share_deep: Annotated[float, Field(ge=0, le=1)]


class MeasuredModel(InstrumentModel):
    kind: Literal["measured"]
    values: Annotated[list[Length | None], Field(max_length=MOST_SPACES)]
    offset: OffsetModel | None = None
    same_as: Annotated[int, Field(ge=0, le=200)] | None = None
    local: LocalModel | None = None


class RoundedModel(InstrumentModel):
    kind: Literal["rounded"]
    offset: OffsetModel
    labels: Annotated[list[Label | None], Field(max_length=MOST_SPACES)]


class FlushModel(SourceModel):
    kind: Literal["flush"]
    depth: Label
    at: Annotated[list[Place], Field(max_length=MOST_SPACES)]
    unsure: Annotated[list[Place], Field(max_length=MOST_SPACES)] = []


class StatedModel(SourceModel):
    kind: Literal["label"]
    labels: Annotated[
        list[Label | Annotated[list[Label], Field(min_length=1, max_length=MOST_DEPTHS)] | None],
        Field(max_length=MOST_SPACES),
    ]
    trust: Annotated[float, Field(gt=0, le=1)] = 0.99


Pair = Annotated[list[Place | Literal["level", "deeper", "shallower"]], Field(min_length=3, max_length=3)]


class ComparedModel(SourceModel):
    kind: Literal["compare"]
    pairs: Annotated[list[Pair], Field(max_length=MOST_SPACES * MOST_SPACES)]
    resolves: Positive | None = None
    sd: Positive | None = None
    tip: SpreadModel | None = None


EvidenceModel = Annotated[
    MeasuredModel | RoundedModel | FlushModel | StatedModel | ComparedModel, Field(discriminator="kind")
]


class ReadingModel(Document):
    """What was seen of one track of a key."""

    format: Literal["wry-falcon.reading/1"]
    family: FamilyReference
    track: Name | None = None
    obey: list[Literal["macs", "rules"]] = ["macs"]
    stray: Annotated[float, Field(ge=0, lt=1)] = 0.01
    evidence: Annotated[list[EvidenceModel], Field(max_length=200)]
    among: Annotated[list[Bitting], Field(min_length=1)] | None = None
