"""Records of finished jobs, ``wry-falcon.record/1``: read back in to make the same key again."""

from __future__ import annotations

from typing import Any

from keycore.documents.family import read_family
from keycore.documents.models.record import RecordModel
from keycore.documents.parse import check
from keycore.errors import InputError
from keycore.family import Family


def read_record(data: Any) -> tuple[RecordModel, Family]:
    """Check a record, ``data`` as JSON gives it: its family, its bitting against the family, its values against both.

    Returns the model and the family. Raises InputError naming the field.
    """
    model = check(RecordModel, data)
    try:
        family = read_family(model.family)
    except InputError as error:
        raise error.under("family") from None
    names = [track.name for track in family.tracks]
    for field, given in (("bitting", model.key.bitting), ("values", model.key.values)):
        if sorted(given) != sorted(names):
            raise InputError(f"key.{field}", f"has tracks {' '.join(sorted(given))}, the family {' '.join(names)}")
    for track in family.tracks:
        try:
            track.steps(model.key.bitting[track.name])
        except InputError as error:
            raise error.under(f"key.bitting.{track.name}") from None
        if len(model.key.values[track.name]) != len(track.spaces):
            raise InputError(f"key.values.{track.name}", f"{len(track.spaces)} values wanted")
    return model, family
