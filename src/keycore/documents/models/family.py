"""The shape of ``wry-falcon.family/1``."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from keycore.documents.models.base import (
    MOST_DEPTHS,
    MOST_SPACES,
    MOST_TRACKS,
    Angle,
    Document,
    EndName,
    Label,
    Length,
    Name,
    NotNegative,
    Place,
    Positive,
    Text,
    UnitName,
)


class BlankModel(Document):
    code: Name
    height: Positive
    thickness: Positive
    length: Positive


Corner = Annotated[list[Length], Field(min_length=2, max_length=2)]


class SectionModel(Document):
    """The blank's cross-section as seen from the tip: corners of a closed outline that does not cross itself."""

    outline: Annotated[list[Corner], Field(min_length=3, max_length=200)]


class DepthModel(Document):
    label: Label
    value: Length


class CutModel(Document):
    flat: NotNegative
    angle: Angle


class TumblerModel(Document):
    shape: Literal["round", "flat"]
    size: Positive


class TrackModel(Document):
    name: Name
    spaces: Annotated[list[Length], Field(min_length=1, max_length=MOST_SPACES)]
    depths: Annotated[list[DepthModel], Field(min_length=1, max_length=MOST_DEPTHS)]
    cut: CutModel | None = None
    macs: Annotated[int, Field(ge=0, le=MOST_DEPTHS)] | None = None
    tumbler: TumblerModel | None = None
    face: Literal["front", "back", "top", "bottom"] = "front"


class PlayModel(Document):
    high: NotNegative
    low: NotNegative


class ToleranceModel(Document):
    value: Positive
    space: Positive


class RulesModel(Document):
    most_alike: Annotated[int, Field(ge=1, le=MOST_SPACES)] | None = None
    fewest_depths: Annotated[int, Field(ge=1, le=MOST_DEPTHS)] | None = None


class SetupModel(Document):
    cutter: Text | None = None
    jaw: Text | None = None
    stop: Text | None = None


Spaces = Annotated[list[Place], Field(max_length=MOST_SPACES)]


class FamilyModel(Document):
    """A key family."""

    format: Literal["wry-falcon.family/1"]
    id: Annotated[str, Field(min_length=1, max_length=80)]
    name: Name
    maker: Text | None = None
    kind: Literal["edge", "double-edge", "side-milled", "dimple", "tubular", "rotary", "lever"]
    unit: UnitName
    gauge: Literal["shoulder", "tip"]
    numbered_from: EndName
    blank: BlankModel | None = None
    section: SectionModel | None = None
    tracks: Annotated[list[TrackModel], Field(min_length=1, max_length=MOST_TRACKS)]
    measured: Literal["edge", "across"] = "edge"
    entry: Literal["both", "one"] = "both"
    edition: Text | None = None
    play: PlayModel | None = None
    tolerance: ToleranceModel | None = None
    positions: dict[str, Spaces | dict[str, Spaces]] | None = None
    recut: bool | None = None
    rules: RulesModel | None = None
    fixed: dict[str, Annotated[dict[str, Label], Field(max_length=MOST_SPACES)]] | None = None
    setup: SetupModel | None = None
    notes: Text | None = None
    source: Text | None = None
