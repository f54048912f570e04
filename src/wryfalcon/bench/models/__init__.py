"""A job and everything learned on the way."""

from wryfalcon.bench.models.filing import StageLook, StageShowed
from wryfalcon.bench.models.jobs import (
    Answer,
    Asked,
    Customer,
    Felt,
    Lock,
    OnBench,
    Picture,
    Tag,
    TagState,
)
from wryfalcon.bench.models.pieces import Piece
from wryfalcon.bench.models.proving import Dimension, Proof, ProofValue, ProvenBy, SideBySide, Trial, WayUp
from wryfalcon.bench.models.reading import (
    Beside,
    CutMark,
    Overruling,
    Sighting,
    Source,
    SourceKind,
    Swing,
    TumblerSeen,
    WearGrade,
)
from wryfalcon.bench.models.settling import Intent, Settlement, SetUp
from wryfalcon.bench.models.tools import ShopTool, ToolKind
from wryfalcon.bench.models.tries import ALL_TRACKS, Outcome, SheetEntry, TrialOrder, TrialSheet
from wryfalcon.bench.piece_states import MadeHow, PieceState

__all__ = [
    "ALL_TRACKS",
    "Answer",
    "Asked",
    "Beside",
    "Customer",
    "CutMark",
    "Dimension",
    "Felt",
    "Intent",
    "Lock",
    "MadeHow",
    "OnBench",
    "Outcome",
    "Overruling",
    "Picture",
    "Piece",
    "PieceState",
    "Proof",
    "ProofValue",
    "ProvenBy",
    "SetUp",
    "Settlement",
    "SheetEntry",
    "ShopTool",
    "SideBySide",
    "Sighting",
    "Source",
    "SourceKind",
    "StageLook",
    "StageShowed",
    "Swing",
    "Tag",
    "TagState",
    "ToolKind",
    "Trial",
    "TrialOrder",
    "TrialSheet",
    "TumblerSeen",
    "WayUp",
    "WearGrade",
]
