"""JSON Schemas of the documents, written from their models: ``python -m keycore.documents.schemas``."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any, Union

from pydantic import TypeAdapter

from keycore.documents.kinds import parts
from keycore.documents.models.base import Document
from keycore.documents.models.calibration import CalibrationModel
from keycore.documents.models.family import FamilyModel
from keycore.documents.models.guide import GuideModel
from keycore.documents.models.plan import PlanModel
from keycore.documents.models.progression import ProgressionModel
from keycore.documents.models.proof import ProofModel
from keycore.documents.models.reading import ReadingModel
from keycore.documents.models.record import RecordModel
from keycore.documents.models.series import SeriesModel

MODELS: dict[str, type[Document]] = {
    "family": FamilyModel,
    "reading": ReadingModel,
    "plan": PlanModel,
    "proof": ProofModel,
    "record": RecordModel,
    "progression": ProgressionModel,
    "series": SeriesModel,
    "calibration": CalibrationModel,
    "guide": GuideModel,
}
"""The documents the core reads, by the name of their schema."""

HERE = Path(__file__).parent


def schema_of(name: str) -> dict[str, Any]:
    """The JSON Schema (2020-12) of a document, as plain data; KeyError for an unknown name.

    A document whose fields differ from kind to kind is any of theirs.
    """
    models = dict.fromkeys([MODELS[name], *(getattr(part, name) for part in parts() if name in ("family", "plan"))])
    every: Any = Union[tuple(models)]  # noqa: UP007  # as many as there are
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": f"Wry Falcon {name}",
        **TypeAdapter(every).json_schema(by_alias=True),
    }


def write_schemas() -> None:
    """Write every schema beside this file. Raises OSError where that is not allowed."""
    for name in MODELS:
        (HERE / f"{name}.schema.json").write_text(json.dumps(schema_of(name), indent=1) + "\n")
