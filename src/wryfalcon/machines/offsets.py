"""The offsets that a key is cut with: the machine's own, its jaw side's and the family's together."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from keycore.cutting.commands import MachineOffsets
from wryfalcon.library.models import FamilyRecord
from wryfalcon.machines.models import JawSide, Machine, MachineOffset


def offsets_for(
    machine: Machine, gauge: str, jaw_side: JawSide | None = None, record: FamilyRecord | None = None
) -> MachineOffsets:
    """What is added to every command for a key so gauged, in this side of the jaw, of this family; mm."""
    offsets = machine.offsets.filter(gauge=gauge).select_related("family_record").order_by()
    return added_up(offsets, gauge, jaw_side, record)


@dataclass(frozen=True, slots=True)
class OffsetNow:
    """An offset in force, as it was read with others."""

    machine_id: int
    gauge: str
    jaw_side_id: int | None
    family_slug: str | None
    value: float
    space: float


OFFSET_NOW = ("machine_id", "gauge", "jaw_side_id", "family_record__slug", "value", "space")
"""Where the fields of an offset so read stand."""


def added_up(
    rows: Iterable[MachineOffset | OffsetNow], gauge: str, jaw_side: JawSide | None, record: FamilyRecord | None
) -> MachineOffsets:
    """The same of rows that were read already, of one machine.

    Of a clamp that turns the key the machine's own offsets say nothing; of one that cuts across, its own depth offset
    says nothing, its offset along the blade does. A family's offset holds for every edition of it: it is the
    machine's and the blank's, not the table's.
    """
    of_side: set[int | None] = {jaw_side.pk} if jaw_side is not None else {None}
    if jaw_side is None or not jaw_side.turns:
        of_side.add(None)
    of_family = {None, record and record.slug}
    counts = [r for r in rows if r.gauge == gauge and r.jaw_side_id in of_side and r.family_slug in of_family]
    across = jaw_side is not None and jaw_side.cuts_across
    deep = [row for row in counts if row.jaw_side_id is not None or not across]
    return MachineOffsets(sum(row.value for row in deep), sum(row.space for row in counts))
