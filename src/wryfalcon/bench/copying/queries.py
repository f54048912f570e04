"""What of a side-milling duplicator's preparation still holds from the job before, and what is to be done for this."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from django.db.models import Max, QuerySet

from keycore.kind import Surface
from wryfalcon.bench.models import Piece, PieceState, Tag
from wryfalcon.machines.models import CopyStep, CopyStepDone, Machine, MachineKind, MachineWork, Shift, Work

OF_EACH_KEY = (CopyStep.BACK, CopyStep.BLANK, CopyStep.ROW, CopyStep.FREE)
"""Done anew for every key."""
OF_EACH_PROFILE = (CopyStep.DEPTH, CopyStep.LIFT)
"""Done anew after any change of kind."""


RESTS_ON = {
    CopyStep.LIFT: (CopyStep.MATCH, CopyStep.DEPTH), CopyStep.BLANK: CopyStep.of_grooves()[:-1],
    CopyStep.ROW: (CopyStep.LOCK,), CopyStep.FREE: (CopyStep.LOCK, CopyStep.ROW),
}  # fmt: skip
"""Done anew once one of these was."""
WHILE_MADE = (CopyStep.FREE,)
"""Done while the key is being made, not before it is begun."""


@dataclass(frozen=True)
class StepNow:
    """One step: whether it holds, since when, and whether it was done for this job or is left from the one before."""

    step: CopyStep
    at: datetime | None  # None where it is to be done
    is_left_over: bool = False

    @property
    def holds(self) -> bool:
        """Whether it need not be done."""
        return self.at is not None


def profile_of(tag: Tag) -> str:
    """What two keys share that are copied by one setting: their family, or where it is not known their blank."""
    return str(tag.family_record or (tag.blank.code if tag.blank else "not known"))


def copy_steps(tag: Tag, machine: Machine) -> list[StepNow]:
    """The steps before a copy on this machine, in order; none for one that has none."""
    if machine.kind != MachineKind.SIDE_MILL:
        return []
    steps = _steps_for(tag)
    moving = [work for work in Work if work.moves_it or work == Work.SWAPPED]
    moved = MachineWork.objects.filter(machine=machine, what__in=moving).aggregate(last=Max("at"))["last"]
    last_key = _last_key(machine)
    done = list(CopyStepDone.objects.filter(machine=machine).order_by("id"))
    found: list[StepNow] = []
    for step in steps:
        last = next((each for each in reversed(done) if each.step == step), None)
        since = max(
            filter(None, [moved if step != CopyStep.BACK else None, _needed_since(step, last_key)]), default=None
        )
        at = last.at if last is not None and (since is None or last.at > since) else None
        if last is not None and step in OF_EACH_PROFILE and last.profile != profile_of(tag):
            at = None
        if step == CopyStep.LOCK and at is not None and at < _freed_for_another(done, at, last_key):
            at = None  # the spring was freed since
        rests_on = [each for each in found if each.step in RESTS_ON.get(step, ())]
        if at is not None and any(each.at is None or _is_anew(each, at) for each in rests_on):
            at = None  # what it rests on was done anew, or is to be
        found.append(StepNow(step, at, is_left_over=at is not None and last_key is not None and at < last_key))
    return found


def _steps_for(tag: Tag) -> tuple[CopyStep, ...]:
    """By what is traced: walls, also where the family is not known, or holes."""
    if tag.family_record is None or tag.family.kind.surface != Surface.HOLE:
        return CopyStep.of_grooves()
    return CopyStep.of_holes(with_inner=len({track.tool for track in tag.family.tracks}) > 1)


def _freed_for_another(done: Sequence[CopyStepDone], locked: datetime, last_key: datetime | None) -> datetime:
    """When the spring was last freed for a key before this one; ``locked`` itself where it never was."""
    freed = [each.at for each in done if each.step == CopyStep.FREE and last_key is not None and each.at <= last_key]
    return max(freed, default=locked)


def shift_on(machine: Machine) -> Shift | None:
    """How a duplicator was moved on purpose and not yet put back; None where it was not."""
    return _shifts(machine).first()


def _shifts(machine: Machine) -> QuerySet[Shift]:
    return machine.shifts.filter(put_back_at=None).select_related("tag", "by")


def _is_anew(step: StepNow, at: datetime) -> bool:
    """Whether a step of the profile's setting was done after something that rests on it."""
    return step.step in OF_EACH_PROFILE and step.at is not None and step.at > at


def _needed_since(step: CopyStep, last_key: datetime | None) -> datetime | None:
    return last_key if step in OF_EACH_KEY else None


def _last_key(machine: Machine) -> datetime | None:
    """When the last key was made on it, or begun and spoilt."""
    ended = Piece.objects.filter(machine=machine).exclude(state=PieceState.BEGUN)
    times = ended.aggregate(made=Max("finished_at"), spoilt=Max("ended_at"))
    return max(filter(None, times.values()), default=None)
