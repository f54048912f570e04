"""A cutting wheel: what it has cut, what its keys and test cuts say of it, and whether to change it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import partial
from typing import Any

from django.db.models import Count, Q, QuerySet

from keycore.family import Family, Tolerance
from keycore.machines.trim import Noise, Term
from keycore.machines.wheel import (
    KeyOfWheel,
    WheelShape,
    WheelSigns,
    WheelVerdict,
    judge_wheel,
    steep_error,
    worse_neighbour,
)
from keycore.reading.evidence import Spread
from keycore.tools import Wheel
from wryfalcon.bench.models import PieceState, Proof
from wryfalcon.keeping.course.proven import USUAL_TOLERANCE_MM, edge_mm, shallow_mm
from wryfalcon.keeping.course.queries import noise_of
from wryfalcon.lengths import say_mm
from wryfalcon.library.queries.families import families_by_pk
from wryfalcon.machines.fittings.queries import shape_of
from wryfalcon.machines.models import Cutter, CutterLook, Machine, MachineWork, Work

FEWEST_KEYS = 3  # fewer tell nothing of steep neighbours


@dataclass(frozen=True)
class WheelKnown:
    """All that is known of a wheel."""

    cutter: Cutter
    machines: tuple[Machine, ...]  # it is fitted to
    fitted_at: datetime | None  # as far as it was noted
    keys: int
    keys_since: int | None
    proven: int  # keys since it was new that tell of it
    look: CutterLook | None  # since it was new
    steep: Term | None
    steepest: float  # mm
    tolerance: Tolerance  # mm, the strictest of its families
    burrs: int
    shakes: int
    verdict: WheelVerdict


def wheel_of(cutter: Cutter) -> WheelKnown:
    """Gather what is known of a wheel since it was new; swapping it off and on does not make it so."""
    machines, works = tuple(_fitted_to(cutter)), _works(cutter)
    fitted_at = max((at for what, at in works if what in (Work.WHEEL, Work.SWAPPED)), default=None)
    new_at = max((at for what, at in works if what == Work.WHEEL), default=None)
    whats = [what for what, at in works if new_at is None or at > new_at]
    ((made, since),) = _made(cutter, fitted_at)
    keys, steepest, tolerance = _keys_of(_proofs(cutter, new_at))
    noise = noise_of(machines[0]) if machines else Noise(0.012, 0.008)
    look, steep = _looks(cutter, new_at).first(), steep_error(keys, noise) if len(keys) >= FEWEST_KEYS else None
    burrs, shakes = whats.count(Work.BURRS), whats.count(Work.SHOOK)
    signs = WheelSigns(steep, steepest, tolerance.value, tolerance.space, _shape(look) if look else None, burrs, shakes)
    return WheelKnown(
        cutter=cutter,
        machines=machines,
        fitted_at=fitted_at,
        keys=made,
        keys_since=since if fitted_at else None,
        proven=len(keys),
        look=look,
        steep=steep,
        steepest=steepest,
        tolerance=tolerance,
        burrs=burrs,
        shakes=shakes,
        verdict=judge_wheel(shape_of(cutter), signs, say_mm),
    )


def _shape(look: CutterLook) -> WheelShape:
    return WheelShape(Spread(look.flat, look.flat_sd), Spread(look.angle, look.angle_sd))


def _fitted_to(cutter: Cutter) -> list[Machine]:
    return list(cutter.fitted_to.all())


def _works(cutter: Cutter) -> list[tuple[str, datetime]]:
    return list(MachineWork.objects.filter(cutter=cutter).values_list("what", "at"))


def _looks(cutter: Cutter, since: datetime | None) -> QuerySet[CutterLook]:
    return cutter.looks.all() if since is None else cutter.looks.filter(at__gt=since)


def _made(cutter: Cutter, since: datetime | None) -> list[tuple[int, int]]:
    """How many keys were made with it, in all and since then."""
    is_made = Q(setup__pieces__state=PieceState.FINISHED, setup__pieces__onto=None)
    is_since = is_made if since is None else is_made & Q(setup__pieces__finished_at__gt=since)
    pieces = partial(Count, "setup__pieces")
    counted = Cutter.objects.filter(pk=cutter.pk).annotate(made=pieces(filter=is_made), since=pieces(filter=is_since))
    return list(counted.values_list("made", "since"))


def _proofs(cutter: Cutter, since: datetime | None) -> list[tuple[Any, ...]]:
    """Of each proven key made with it since then: its cuts as measured, as wanted, and its family."""
    proofs = Proof.objects.filter(piece__set_up__cutter=cutter, piece__state=PieceState.FINISHED, piece__onto=None)
    of_now = proofs if since is None else proofs.filter(piece__finished_at__gt=since)
    return list(of_now.values_list("cuts", "piece__settlement__values", "piece__tag__family_record_id"))


def _keys_of(rows: Sequence[tuple[Any, ...]]) -> tuple[list[KeyOfWheel], float, Tolerance]:
    """The proven keys, the steepest neighbours and the strictest tolerance among them, mm."""
    records = families_by_pk(tuple({row[2] for row in rows}))
    keys: list[KeyOfWheel] = []
    depths, spaces = [], []
    for cuts, values, record in rows:
        family = records[record].family
        if not isinstance(family.tracks[0].tool, Wheel):
            continue  # a mill, a drill or a clamp leaves no flanks to judge it by
        keys += _edges(family, cuts, values)
        if family.tolerance:
            depths.append(family.tolerance.value * edge_mm(family))
            spaces.append(family.lengths.to_machine(family.tolerance.space))
    steepest = max((max(key.jumps) for key in keys), default=0.0)
    usual = USUAL_TOLERANCE_MM
    return keys, steepest, Tolerance(min(depths, default=usual), min(spaces, default=usual))


def _edges(
    family: Family, cuts: Sequence[Mapping[str, Any]], values: Mapping[str, Sequence[float]]
) -> list[KeyOfWheel]:
    """Each edge of a proven key: errors and how far the worse neighbour lies away, mm, on one edge."""
    found = []
    for track in family.tracks:
        if track.name not in values:
            continue
        order = sorted(range(len(track.spaces)), key=lambda place: track.spaces[place])
        heights = [values[track.name][place] * edge_mm(family) for place in order]
        errors = {cut["space"]: cut["error"] for cut in cuts if cut["track"] == track.name and cut["error"] is not None}
        measured = [
            (errors[place + 1] * shallow_mm(family), worse_neighbour(heights, at))
            for at, place in enumerate(order)
            if place + 1 in errors
        ]
        if len(measured) > 1:
            found.append(KeyOfWheel(tuple(e for e, _ in measured), tuple(jump for _, jump in measured)))
    return found
