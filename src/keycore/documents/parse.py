"""From plain data to a checked document, with one clear error for anything else."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, TypeVar

from pydantic import ValidationError

from keycore.documents.models.base import Document
from keycore.documents.text import one_line
from keycore.errors import InputError

MOST_FAULTS = 50

DocumentT = TypeVar("DocumentT", bound=Document)

_PLAIN = {
    "missing": "is missing",
    "extra_forbidden": "is not a field of this document",
    "finite_number": "must be a finite number",
    "float_type": "must be a number",
    "int_type": "must be a whole number",
    "string_type": "must be text",
    "list_type": "must be a list",
    "dict_type": "must be an object",
    "model_type": "must be an object",
    "model_attributes_type": "must be an object",
    "union_tag_not_found": "needs a kind",
}


def check(model: type[DocumentT], data: Any) -> DocumentT:
    """Check plain data against a document's model.

    Returns the model. Raises InputError naming the first wrong field as ``tracks[0].spaces[2]``, the other wrong
    ones with it.
    """
    try:
        return model.model_validate(data)
    except ValidationError as error:
        found = error.errors(include_url=False, include_input=False)[:MOST_FAULTS]
        faults = [
            InputError(_path(each["loc"], data), one_line(_PLAIN.get(each["type"], each["msg"]))) for each in found
        ]
        raise InputError.first_of(faults) from None


def _path(location: Sequence[int | str], data: Any) -> str:
    """A pydantic location as a path, without the names of union members pydantic adds."""
    path = ""
    for place, part in enumerate(location):
        reachable = (isinstance(data, dict) and part in data) or (isinstance(data, list) and isinstance(part, int))
        if not reachable and (place < len(location) - 1 or not isinstance(data, dict)):
            continue
        path += f"[{part}]" if isinstance(part, int) else f".{part}" if path else str(part)
        data = data[part] if reachable and not (isinstance(data, list) and int(part) >= len(data)) else None
    return one_line(path)
