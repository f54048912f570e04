"""The shape of ``wry-falcon.guide/1``."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from keycore.documents.models.base import Document, Name, Text

MOST_ROWS, MOST_BLANKS = 20_000, 20
Year = Annotated[int, Field(ge=1000, le=9999)]


class BlankNumberModel(Document):
    supplier: Text = ""
    number: Name


class GuideRowModel(Document):
    what: Name
    since: Annotated[Year | None, Field(alias="from")] = None
    until: Annotated[Year | None, Field(alias="to")] = None
    use: Text = ""
    family: Text = ""
    cuts: Annotated[int, Field(ge=1, le=60)] | None = None
    blanks: Annotated[list[BlankNumberModel], Field(max_length=MOST_BLANKS)] = []
    clamp: Text = ""
    face: Text = ""
    stop: Text = ""
    electronics: Text = ""
    procedure: Text = ""


class GuideModel(Document):
    format: Literal["wry-falcon.guide/1"]
    id: Name
    name: Name
    edition: Text = ""
    source: Text = ""
    rows: Annotated[list[GuideRowModel], Field(max_length=MOST_ROWS)]
