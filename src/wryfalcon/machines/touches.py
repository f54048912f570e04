"""Trims by touch under way: what was tried, and whether a machine stands set but not proven."""

from __future__ import annotations

from collections.abc import Sequence

from keycore.machines.touch import TouchMark
from wryfalcon.machines.models import Machine, TouchTry


def touches_of(machine: Machine) -> list[TouchTry]:
    """The tries of the trim under way, first to last."""
    return list(machine.touches.filter(is_done=False).select_related("by"))


def is_to_be_proven(tries: Sequence[TouchTry]) -> bool:
    """Whether the wheel just ticks the blank, and a proving key is to say the rest."""
    return bool(tries) and tries[-1].showed == TouchMark.NICK
