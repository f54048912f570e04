"""Keys cut on both edges: a track for each, or one for both, cut again with the key turned over."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from functools import cache
from typing import TYPE_CHECKING, Any

from keycore.family import Family
from keycore.kinds import edge

if TYPE_CHECKING:
    from keycore.kind import Cutting


def assumed(family: Family, given: Mapping[str, Any]) -> Iterable[str]:
    """What a document, the data ``given``, leaves out, in sentences. Raises nothing."""
    if "measured" not in given:
        yield "measured: the table is taken to give the height left at each root, not the width across both."
    yield from edge.assumed(family, given)


@cache
def cuts() -> Cutting:
    """How keys of this kind are cut; brought in when it is first asked for. Raises nothing."""
    from keycore.kinds.double_edge.cutting import CUTTING

    return CUTTING


KIND = replace(
    edge.KIND,
    id="double-edge",
    usual_entry="",
    can_be_across=True,
    assumed=assumed,
    cuts=cuts,
)
