"""JSON in and out. The verbs answer plain data with plain data; see ``docs/formats.md``.

A verb brings in only what it uses itself: checking a family waits for no statistics.
"""

from __future__ import annotations

from collections.abc import Callable
from importlib import import_module
from typing import Any

Answer = Callable[[Any], dict[str, Any]]


_DOCUMENT_OF = {
    "family": "family",
    "decode": "reading",
    "plan": "plan",
    "verify": "proof",
    "progress": "progression",
    "calibrate": "calibration",
}


def answer_of(verb: str) -> Answer:
    """The function that answers a verb, with all that it uses brought in; KeyError for an unknown one.

    >>> answer_of("family").__name__
    'answer_family'
    """
    found: Answer = getattr(import_module(f"keycore.documents.{_DOCUMENT_OF[verb]}"), f"answer_{verb}")
    return found


def _when_asked(verb: str) -> Answer:
    return lambda data: answer_of(verb)(data)


VERBS: dict[str, Answer] = {verb: _when_asked(verb) for verb in _DOCUMENT_OF}
