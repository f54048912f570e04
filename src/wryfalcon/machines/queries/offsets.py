"""The offsets that a key is cut with: the machine's own, its jaw side's and the family's together."""

from __future__ import annotations

from django.db.models import Q

from keycore.cutting.commands import MachineOffsets
from wryfalcon.library.models import FamilyRecord
from wryfalcon.machines.models import JawSide, Machine


def offsets_for(
    machine: Machine, gauge: str, jaw_side: JawSide | None = None, record: FamilyRecord | None = None
) -> MachineOffsets:
    """What is added to every command for a key so gauged, in this side of the jaw, of this family; mm."""
    side = Q(jaw_side=None) | Q(jaw_side=jaw_side) if jaw_side else Q(jaw_side=None)
    family = Q(family_record=None) | Q(family_record=record) if record else Q(family_record=None)
    rows = machine.offsets.filter(side, family, gauge=gauge).values_list("value", "space")
    return MachineOffsets(sum(value for value, _ in rows), sum(space for _, space in rows))
