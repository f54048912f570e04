"""The headless command: ``python -m keycore VERB FILE``; ``-`` reads standard input."""

from __future__ import annotations

import gc
import json
import os
import sys
from pathlib import Path

from keycore.documents import VERBS, answer_of
from keycore.documents.text import MOST_BYTES, one_line, parse_json
from keycore.errors import InputError

BAD_INPUT = 2


def main(arguments: list[str]) -> int:
    """Run one verb on one document.

    Arguments: the verb and the file. Returns the exit status: 0 with the answer on standard
    output, 2 with one line on standard error.
    """
    os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "1")  # no looking through every package for plugins we have not
    try:
        answer = _answer(arguments)
    except InputError as error:
        print(one_line(str(error)), file=sys.stderr)
        return BAD_INPUT
    print(json.dumps(answer, allow_nan=False))
    return 0


def _answer(arguments: list[str]) -> dict[str, object]:
    if len(arguments) != 2 or arguments[0] not in VERBS:
        raise InputError("", f"usage: python -m keycore VERB FILE, where VERB is one of {', '.join(VERBS)}")
    verb, name = arguments
    try:
        raw = _read(name)
    except (OSError, ValueError) as error:
        raise InputError("", f"cannot read {name!r}: {getattr(error, 'strerror', None) or error}") from None
    data = parse_json(raw)
    gc.disable()  # what is brought in stays to the end: nothing of it is worth looking through
    answer = answer_of(verb)
    gc.freeze()
    gc.enable()
    return answer(data)


def _read(name: str) -> bytes:
    """What a file or standard input holds, no more of it than shows that it is too much."""
    if name != "-":
        with Path(name).open("rb") as file:
            return file.read(MOST_BYTES + 1)
    if sys.stdin is None:  # closed before we began
        raise ValueError("standard input is closed")
    return sys.stdin.buffer.read(MOST_BYTES + 1)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
