"""What copying a copy would do on a machine, from its own figures."""

from __future__ import annotations

from keycore.family import Play
from keycore.machines.copies import Generation, copies_of_copies
from keycore.machines.trim import Noise
from wryfalcon.keeping.course.queries import MachineCourse
from wryfalcon.machines.models import Machine

PLAY = Play(0.08, 0.10)
"""Of a usual lock, mm; common practice, no source."""
CUTS = 5


def copies_on(machine: Machine, course: MachineCourse) -> list[Generation]:
    """Copies of copies of a five-cut key, mm; none before the machine's course is known."""
    if course.fitted is None:
        return []
    seat = float(course.fitted.weights @ course.fitted.seats)
    return copies_of_copies(course.fitted.offset.mean, Noise(machine.sd_each, max(seat, 1e-6)), CUTS, PLAY)
