"""Duplicates traced from a pattern, both measured: kept as evidence about the machine that traced them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from math import isfinite

from keycore.errors import InputError
from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.bench.models import Tag
from wryfalcon.keeping.tracing.queries import compared
from wryfalcon.library.models import FamilyRecord
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.machines.hands.queries import caliper_sd_mm
from wryfalcon.machines.models import Duplicate, Machine
from wryfalcon.refusal import NotDone

FAR = 3.0  # gaps between depths: a value so far from every depth was mistyped


@dataclass(frozen=True)
class TracedKey:
    """A pattern and its copy, values in the family's unit and order, meaned; None for what was not measured."""

    record: FamilyRecord
    track: str
    pattern: Sequence[float | None]
    copy: Sequence[float | None]
    tag: Tag | None = None
    repeats: int = 1  # measurements of each cut, the fewest


@action
def keep_duplicate(actor: User, machine: Machine, key: TracedKey) -> Duplicate:
    """Keep a pattern and its copy as measured. Raises NotDone for values that are no such key's."""
    values = key.record.family.track(key.track).values
    gap = max(abs(a - b) for a, b in pairwise(values))
    for which, measured in (("pattern", key.pattern), ("copy", key.copy)):
        for space, value in enumerate(measured, start=1):
            if value is not None and not (isfinite(value) and min(abs(value - v) for v in values) <= FAR * gap):
                raise NotDone(f"Cut {space} of the {which} is far from every depth of {key.record}: measure it again.")
    duplicate = Duplicate(
        machine=machine, family_record=key.record, tag=key.tag, track=key.track, cutter=machine.fitted,
        pattern=list(key.pattern), copy=list(key.copy), repeats=key.repeats, by=actor,
    )  # fmt: skip
    try:
        compared(duplicate, caliper_sd_mm())
    except InputError as error:
        raise NotDone(f"That cannot be compared: {error.reason}.") from None
    duplicate.save()
    write_down(Event.MACHINE_WORKED, actor, key.tag, machine=str(machine), traced=str(key.record))
    return duplicate


@action
def withdraw_duplicate(actor: User, duplicate: Duplicate) -> None:
    """Take a mistyped duplicate back; it no longer says anything of its machine. Raises NotDone for one taken back."""
    if duplicate.withdrawn:
        raise NotDone("It is taken back already.")
    duplicate.withdrawn = True
    duplicate.save()
    write_down(Event.MACHINE_WORKED, actor, duplicate.tag, machine=str(duplicate.machine), withdrew_duplicate=True)


def note_copy_seen(actor: User, duplicate: Duplicate) -> None:
    """Somebody asked to see the cuts of a pattern and its copy."""
    write_down(Event.BITTING_SEEN, actor, duplicate.tag, what="a copy beside its pattern", duplicate=duplicate.pk)
