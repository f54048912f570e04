"""The shape of ``wry-falcon.series/1``."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from keycore.documents.models.base import MOST_SPACES, Document, Name, Place, Text


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
