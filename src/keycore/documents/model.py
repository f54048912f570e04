"""The shape of every document the core reads, as pydantic models; their schemas ship beside them."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field
from pydantic_core import PydanticCustomError

MOST_TRACKS, MOST_SPACES, MOST_DEPTHS = 20, 60, 60
LONGEST = 10_000.0  # no key, in any unit, is longer
SMALLEST = 1e-9  # of lengths and standard deviations that must be more than none

Length = Annotated[float, Field(ge=-LONGEST, le=LONGEST)]
Positive = Annotated[float, Field(ge=SMALLEST, le=LONGEST)]
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

    model_config = ConfigDict(extra="forbid", strict=True, allow_inf_nan=False, populate_by_name=True)


class BlankModel(Document):
    code: Name
    height: Positive
    thickness: Positive
    length: Positive


class DepthModel(Document):
    label: Label
    value: Length


class CutModel(Document):
    flat: NotNegative
    angle: Annotated[float, Field(gt=0, lt=180)]


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
    tracks: Annotated[list[TrackModel], Field(min_length=1, max_length=MOST_TRACKS)]
    measured: Literal["edge", "across"] = "edge"
    entry: Literal["both", "one"] = "both"
    edition: Text | None = None
    play: PlayModel | None = None
    tolerance: ToleranceModel | None = None
    positions: dict[str, Annotated[list[Place], Field(max_length=MOST_SPACES)]] | None = None
    rules: RulesModel | None = None
    fixed: dict[str, Annotated[dict[str, Label], Field(max_length=MOST_SPACES)]] | None = None
    setup: SetupModel | None = None
    notes: Text | None = None
    source: Text | None = None


FamilyReference = Annotated[str | dict[str, Any], Field(description="a family document or a shipped id")]


Doubt = Annotated[float, Field(ge=0, le=LONGEST), AfterValidator(_none_or_some)]
"""An sd that may be none, else at least the smallest there is."""


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
Bitting = Annotated[list[Label], Field(min_length=1, max_length=MOST_SPACES)]


class ReadingModel(Document):
    """What was seen of one track of a key."""

    format: Literal["wry-falcon.reading/1"]
    family: FamilyReference
    track: Name | None = None
    obey: list[Literal["macs", "rules"]] = ["macs"]
    stray: Annotated[float, Field(ge=0, lt=1)] = 0.01
    evidence: Annotated[list[EvidenceModel], Field(max_length=200)]
    among: Annotated[list[Bitting], Field(min_length=1)] | None = None


class ProgressionModel(Document):
    """What is known of a bitting, to list what it may still be."""

    format: Literal["wry-falcon.progression/1"]
    family: FamilyReference
    track: Name | None = None
    known: Annotated[list[Label | Annotated[list[Label], Field(min_length=1)] | None], Field(max_length=MOST_SPACES)]
    obey: list[Literal["macs", "rules"]] = ["macs"]
    among: Annotated[list[Bitting], Field(min_length=1)] | None = None


class FormulaModel(Document):
    """A range of codes and the rule that turns each into its bitting."""

    first: Annotated[Name, Field(alias="from")]
    last: Annotated[Name, Field(alias="to")]
    rule: Literal["digits", "counted"]
    places: Annotated[list[Place], Field(min_length=1, max_length=MOST_SPACES)] | None = None
    start: Annotated[int, Field(ge=1, le=10**9)] = 1
    every: Annotated[int, Field(ge=1, le=10**9)] = 1


class SeriesModel(Document):
    """A code series: every code with the bitting it stands for, or the formula that gives them."""

    format: Literal["wry-falcon.series/1"]
    id: Name
    name: Name
    family: Name
    track: Name | None = None
    note: Text | None = None
    codes: Annotated[list[Annotated[list[Text], Field(min_length=2, max_length=2)]], Field(min_length=1)] | None = None
    formula: FormulaModel | None = None
    maker: Name | None = None
    use: Name | None = None
    edition: Name | None = None
    printed: Annotated[str, Field(max_length=40)] | None = None


class PlanModel(Document):
    """A key to be planned."""

    format: Literal["wry-falcon.plan/1"]
    family: FamilyReference
    bitting: Annotated[dict[str, Bitting], Field(min_length=1, max_length=MOST_TRACKS)]
    style: Literal["plunged", "ramped"]
    cutter: CutModel | None = None


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


MODELS: dict[str, type[Document]] = {
    "family": FamilyModel,
    "reading": ReadingModel,
    "plan": PlanModel,
    "proof": ProofModel,
    "record": RecordModel,
    "progression": ProgressionModel,
    "series": SeriesModel,
    "calibration": CalibrationModel,
}
"""The documents the core reads, by the name of their schema."""
