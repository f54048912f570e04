"""From bytes to a checked document, with one clear error for anything else."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any, NoReturn, TypeVar

from pydantic import ValidationError

from keycore.documents.model import Document
from keycore.errors import InputError

MOST_BYTES = 5_000_000
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


def parse_json(raw: bytes, most_bytes: int = MOST_BYTES) -> Any:
    """Parse JSON strictly: UTF-8, no duplicate fields, no NaN or Infinity, at most 5 MB unless said otherwise.

    Returns plain Python data. Raises InputError naming the line where it stops making sense.
    """
    if len(raw) > most_bytes:
        raise InputError("", f"the document is larger than {most_bytes // 1_000_000} MB")
    try:
        return json.loads(raw.decode("utf-8-sig"), parse_constant=_not_finite, object_pairs_hook=_no_repeats)
    except UnicodeDecodeError as error:
        raise InputError("", f"not UTF-8 text at byte {error.start}") from None
    except json.JSONDecodeError as error:
        raise InputError("", f"not JSON at line {error.lineno}, column {error.colno}: {error.msg}") from None
    except InputError:
        raise
    except (RecursionError, ValueError):
        raise InputError("", "not JSON that makes sense: nested too deeply or a number too long") from None


def _not_finite(name: str) -> NoReturn:
    raise InputError("", f"{name} is not a finite number")


def _no_repeats(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    fields = dict(pairs)
    if len(fields) != len(pairs):
        names = [name for name, _ in pairs]
        twice = next(name for name in names if names.count(name) > 1)
        raise InputError(_one_line(twice), "is given twice")
    return fields


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
            InputError(_path(each["loc"], data), _one_line(_PLAIN.get(each["type"], each["msg"]))) for each in found
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
    return _one_line(path)


def _one_line(text: str) -> str:
    return " ".join(text.split())[:300]
