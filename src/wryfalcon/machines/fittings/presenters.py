"""What is fitted on a machine, and what a hand turns, in words."""

from __future__ import annotations

from wryfalcon.lengths import say_mm
from wryfalcon.machines.fittings.queries import Mismatch
from wryfalcon.machines.models import Closer, Machine


def mismatch_words(found: Mismatch | None) -> str:
    """What the follower that is fitted would do to a copy, "" where it matches the wheel."""
    if found is None:
        return ""
    match = found.match
    says = [f"every cut comes out {_wider(match.wider_at_root)} at the root"]
    if abs(match.wider_at_edge - match.wider_at_root) > abs(match.wider_at_root) / 10:
        says.append(f"{_wider(match.wider_at_edge)} at the edge of a deep one")
    if match.shallow:
        says.append(f"up to {say_mm(match.shallow, 2)} too shallow where it rides on the flanks")
    unlike = f"{found.follower} and {found.cutter} are not of one shape"
    return f"{unlike}: {', '.join(says)}. Fit the follower of that wheel."


def turn_words(machine: Machine, adjust: float, sign: float = 1.0) -> str:
    """A depth adjustment as what the hand does: a number, or part of a turn of a screw and which way; mm.

    ``adjust`` is shallow when positive; ``sign`` -1 where values grow with depth.
    """
    deeper = adjust < 0
    if not machine.screw_lead:
        dial = dial_words(machine.depth_dial, adjust)
        return f"add {say_mm(adjust * sign, signed=True)} to the offset{dial}, {'deeper' if deeper else 'shallower'}"
    turns = abs(adjust) / machine.screw_lead
    closer = machine.closer or Closer.CLOCKWISE
    other = Closer.ANTICLOCKWISE if closer == Closer.CLOCKWISE else Closer.CLOCKWISE
    way = closer if deeper else other
    return f"turn the screw {turns:.2f} of a turn {Closer(way).label}, {'closer' if deeper else 'away'}"


def dial_words(division: float | None, adjust: float) -> str:
    """An adjustment in divisions of a dial, "" without one; mm."""
    if not division:
        return ""
    divisions = abs(adjust) / division
    return f", {divisions:.3g} division{'' if divisions == 1 else 's'} of the dial"


def _wider(by: float) -> str:
    return f"{say_mm(abs(by), 2)} {'wider' if by > 0 else 'narrower'}"
