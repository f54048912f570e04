"""What is known of a bitting in, the keys to try out: ``wry-falcon.progression/1``, the verb ``progress``."""

from __future__ import annotations

from typing import Any

from keycore.codes.candidates import candidates_of
from keycore.codes.progression import blanks_for
from keycore.documents.family import family_of, step_of, steps_of
from keycore.documents.models.progression import ProgressionModel
from keycore.documents.parse import check
from keycore.family import Rules


def answer_progress(data: Any) -> dict[str, Any]:
    """The verb ``progress``: the bittings still possible, on the fewest blanks.

    ``data`` as JSON gives it. Raises InputError.
    """
    model = check(ProgressionModel, data)
    family = family_of(model.family)
    track = family.track(model.track)
    known = []
    for place, entry in enumerate(model.known):
        labels = [] if entry is None else [entry] if isinstance(entry, str) else entry
        known.append(frozenset(step_of(track, label, f"known[{place}]") for label in labels))
    among = None
    if model.among is not None:
        among = [steps_of(track, labels, f"among[{place}]") for place, labels in enumerate(model.among)]
    rules = family.rules if "rules" in model.obey else Rules()
    candidates = candidates_of(track, known, obey_macs="macs" in model.obey, rules=rules, among=among)
    found = blanks_for(candidates, can_be_recut=family.can_be_recut)
    return {
        "candidates": found.candidates,
        "blanks": found.blanks,
        "chains": [[[track.labels[step] for step in steps] for steps in chain] for chain in found.chains],
    }
