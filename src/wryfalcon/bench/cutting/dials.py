"""The steps of cutting a key by dials on one machine: its offsets put in, held in the clamp that makes such cuts."""

from __future__ import annotations

from keycore.cutting.dials import DialStep, dial_steps
from keycore.errors import InputError
from wryfalcon.bench.models import Tag
from wryfalcon.bench.setting_up.planning import plan_of
from wryfalcon.machines.fittings.queries import makes
from wryfalcon.machines.models import JawSide, Machine
from wryfalcon.machines.offsets import offsets_for


def holder_on(machine: Machine, tag: Tag) -> tuple[JawSide | None, bool]:
    """In what such a key is held on a machine, None for its own jaw, and whether it can be cut there at all."""
    wanted = tag.family.setup.get("jaw", "")
    sides = list(machine.jaw_sides.select_related("clamp"))
    sides.sort(key=lambda side: wanted not in (side.name, side.clamp and side.clamp.name))
    found: list[JawSide | None] = [*sides, None]
    held = [side for side in found if makes(machine, side, tag.family)]
    return (held[0], True) if held else (None, False)


def steps_on(tag: Tag, machine: Machine) -> tuple[DialStep, ...]:
    """What is done at its dials for the bitting as settled; none where it cannot be cut there."""
    if tag.settlement is None or tag.family.kind.cutting is None:
        return ()
    side, can_be = holder_on(machine, tag)
    if not can_be:
        return ()
    offsets = offsets_for(machine, tag.family.gauge, side, tag.family_record)
    try:
        return dial_steps(plan_of(tag, tag.settlement), offsets)
    except InputError:
        return ()
