"""JSON in and out. The verbs answer plain data with plain data; see ``docs/formats.md``."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from keycore.documents.calibration import answer_calibrate
from keycore.documents.family import answer_family
from keycore.documents.plan import answer_plan
from keycore.documents.progression import answer_progress
from keycore.documents.proof import answer_verify
from keycore.documents.reading import answer_decode

VERBS: dict[str, Callable[[Any], dict[str, Any]]] = {
    "family": answer_family,
    "decode": answer_decode,
    "plan": answer_plan,
    "verify": answer_verify,
    "progress": answer_progress,
    "calibrate": answer_calibrate,
}
