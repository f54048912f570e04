"""A wheel looked at by test cuts."""

from __future__ import annotations

from collections.abc import Sequence

from keycore.errors import InputError
from keycore.machines.wheel import TestCut, measure_wheel
from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.machines.hands.queries import caliper_sd_mm
from wryfalcon.machines.models import Cutter, CutterLook
from wryfalcon.refusal import NotDone


@action
def look_at_wheel(actor: User, cutter: Cutter, cuts: Sequence[TestCut]) -> CutterLook:
    """Work a wheel's flat and angle out of its test cuts, mm, and keep them. Raises NotDone for cuts that cannot be."""
    try:
        found = measure_wheel(cuts, caliper_sd_mm())
    except InputError as error:
        raise NotDone(f"These cuts do not tell: {error.reason}.") from None
    look = CutterLook.objects.create(
        cutter=cutter, cuts=[[cut.depth, cut.width] for cut in cuts], by=actor,
        flat=found.flat.mean, flat_sd=found.flat.sd, angle=found.angle.mean, angle_sd=found.angle.sd,
    )  # fmt: skip
    write_down(Event.MACHINE_WORKED, actor, cutter=str(cutter), flat=round(look.flat, 4), angle=round(look.angle, 2))
    return look
