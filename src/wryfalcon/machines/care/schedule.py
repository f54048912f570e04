"""The schedule of care: what, how often, and how to do it without getting hurt."""

from __future__ import annotations

from wryfalcon.machines.models import Work

# How often and how: common practice, no source. The maker's own book comes first.
SCHEDULE = (
    (Work.BRUSHED, 1, "Spindle off. A brush, never a hand or compressed air; chips away from the works."),
    (Work.CLEANED, 7, "Unplug it. Jaws open, slides wiped and oiled lightly, nothing left between jaw and key."),
    (Work.TIGHTENED, 30, "Unplug it. The wheel nut may be left-handed; take the hex key out at once."),
    (Work.HOMED, 7, "Hands away, spindle off. After every jam as well."),
)
