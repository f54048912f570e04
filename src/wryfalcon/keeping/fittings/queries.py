"""How many keys a machine has made, in all and since each thing that was done to it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db.models import Count, Max, Q

from wryfalcon.bench.models import PieceState
from wryfalcon.machines.models import Machine, MachineWork, OffsetChange, Work


@dataclass(frozen=True)
class Counters:
    """How many keys a machine has made, in all and since each thing that was done to it, by its name."""

    keys: int
    since: tuple[tuple[str, int], ...]


def counters_of(machine: Machine) -> Counters:
    """Count its keys, duplicates too."""
    works = MachineWork.objects.filter(machine=machine)
    last: dict[str, datetime | None] = works.aggregate(
        touched=Max("at", filter=Q(what=Work.TOUCHED)),
        wheel=Max("at", filter=Q(what__in=(Work.WHEEL, Work.SWAPPED))),
        jaw=Max("at", filter=Q(what=Work.JAW)),
    )
    changes = OffsetChange.objects.filter(offset__machine=machine).aggregate(last=Max("at"))
    trimmed = max(filter(None, [changes["last"], last["touched"]]), default=None)
    since = {"trim": trimmed, "wheel": last["wheel"], "jaw": last["jaw"]}
    made = machine.pieces.filter(state=PieceState.FINISHED, onto=None).aggregate(**_counts("finished_at", since))
    traced = machine.duplicates.filter(withdrawn=False).aggregate(**_counts("at", since))
    return Counters(
        made["all"] + traced["all"],
        tuple((name, made[name] + traced[name]) for name, at in since.items() if at is not None),
    )


def _counts(when: str, since: dict[str, datetime | None]) -> dict[str, Count]:
    counts = {"all": Count("pk")}
    return counts | {name: Count("pk", filter=Q(**{f"{when}__gt": at})) for name, at in since.items() if at}
