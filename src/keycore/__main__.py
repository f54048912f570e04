"""The headless command: ``python -m keycore VERB FILE``; ``-`` reads standard input."""

from __future__ import annotations

import json
import sys
from pathlib import Path

from keycore.documents import VERBS
from keycore.documents.parse import parse_json
from keycore.errors import InputError

BAD_INPUT = 2


def main(arguments: list[str]) -> int:
    """Run one verb on one document.

    Arguments: the verb and the file. Returns the exit status: 0 with the answer on standard
    output, 2 with one line on standard error.
    """
    try:
        answer = _answer(arguments)
    except InputError as error:
        print(error, file=sys.stderr)
        return BAD_INPUT
    print(json.dumps(answer, allow_nan=False))
    return 0


def _answer(arguments: list[str]) -> dict[str, object]:
    if len(arguments) != 2 or arguments[0] not in VERBS:
        raise InputError("", f"usage: python -m keycore VERB FILE, where VERB is one of {', '.join(VERBS)}")
    verb, name = arguments
    try:
        raw = sys.stdin.buffer.read() if name == "-" else Path(name).read_bytes()
    except (OSError, ValueError) as error:
        raise InputError("", f"cannot read {name!r}: {getattr(error, 'strerror', None) or error}") from None
    return VERBS[verb](parse_json(raw))


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
