"""Family documents as families, each checked once however often it is asked for."""

from __future__ import annotations

from functools import lru_cache

from keycore.documents.family import read_family
from keycore.documents.text import parse_json
from keycore.family import Family


@lru_cache(maxsize=256)
def parsed(document: str) -> Family:
    """The family a document describes."""
    return read_family(parse_json(document.encode()))
