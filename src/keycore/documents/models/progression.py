"""The shape of ``wry-falcon.progression/1``."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from keycore.documents.models.base import MOST_SPACES, Bitting, Document, FamilyReference, Label, Name


class ProgressionModel(Document):
    """What is known of a bitting, to list what it may still be."""

    format: Literal["wry-falcon.progression/1"]
    family: FamilyReference
    track: Name | None = None
    known: Annotated[list[Label | Annotated[list[Label], Field(min_length=1)] | None], Field(max_length=MOST_SPACES)]
    obey: list[Literal["macs", "rules"]] = ["macs"]
    among: Annotated[list[Bitting], Field(min_length=1)] | None = None
