"""From bytes to plain data, strictly, with one clear error for anything else."""

from __future__ import annotations

import json
from typing import Any, NoReturn

from keycore.errors import InputError

MOST_BYTES = 5_000_000
MOST_NAMES = 1_000
"""Fields of one object: no document of ours comes near."""


def parse_json(raw: bytes, most_bytes: int = MOST_BYTES) -> Any:
    """Parse ``raw`` JSON strictly: UTF-8, no duplicate fields, no NaN or Infinity, ``most_bytes`` at most.

    An object has ``MOST_NAMES`` fields at most; the work grows with the bytes and no faster.

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
    if len(pairs) > MOST_NAMES:
        raise InputError(one_line(pairs[0][0]), f"stands among {len(pairs):,} fields; {MOST_NAMES:,} at most")
    fields: dict[str, Any] = {}
    for name, value in pairs:
        if name in fields:
            raise InputError(one_line(name), "is given twice")
        fields[name] = value
    return fields


def one_line(text: str) -> str:
    r"""Any text on one line, 300 characters at most, what cannot be seen as its escape. Raises nothing.

    >>> one_line("a\x1b[2Jb\n c")
    'a\\x1b[2Jb c'
    """
    return "".join(c if c.isprintable() else ascii(c)[1:-1] for c in " ".join(text.split())[:300])
