"""The invented families that ship with the core, as family documents."""

from __future__ import annotations

import json
from functools import cache
from pathlib import Path
from typing import Any

from keycore.errors import InputError


@cache
def _library() -> dict[str, str]:
    documents = [entry.read_text() for entry in Path(__file__).parent.glob("*.json")]
    return {json.loads(text)["id"]: text for text in documents}


def shipped_ids() -> list[str]:
    """The ids of the shipped families, in order. Raises nothing."""
    return sorted(_library())


def shipped(family_id: str) -> Any:
    """The document of the shipped family ``family_id``, as plain data; InputError for an unknown id."""
    try:
        return json.loads(_library()[family_id])
    except KeyError:
        raise InputError("", f"no family {family_id[:80]!r} ships with the core") from None
