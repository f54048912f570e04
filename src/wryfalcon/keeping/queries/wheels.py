"""A cutting wheel: what it has cut, what its keys and test cuts say of it, and whether to change it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db.models import Max, Q, QuerySet

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
from wryfalcon.bench.models import Piece, PieceState, Proof
from wryfalcon.keeping.queries.course import noise_of
from wryfalcon.keeping.queries.proven import USUAL_TOLERANCE_MM, edge_mm, shallow_mm
from wryfalcon.lengths import say_mm
from wryfalcon.library.queries.families import families_by_pk
from wryfalcon.machines.models import Cutter, CutterLook, Machine, MachineWork, Work
from wryfalcon.machines.queries.fittings import shape_of

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
    machines = tuple(cutter.fitted_to.all())
    put_on = MachineWork.objects.filter(cutter=cutter, what__in=(Work.WHEEL, Work.SWAPPED))
    dates = put_on.aggregate(fitted=Max("at"), new=Max("at", filter=Q(what=Work.WHEEL)))
    fitted_at, new_at = dates["fitted"], dates["new"]
    made = Piece.objects.filter(set_up__cutter=cutter, state=PieceState.FINISHED, onto=None)
    noted = MachineWork.objects.filter(Q(at__gt=new_at) if new_at else Q(), cutter=cutter)
    whats = list(noted.values_list("what", flat=True))
    keys, steepest, tolerance = _keys_of(made.filter(finished_at__gt=new_at) if new_at else made)
    noise = noise_of(machines[0]) if machines else Noise(0.012, 0.008)
    looks = cutter.looks.filter(at__gt=new_at) if new_at else cutter.looks.all()
    look, steep = looks.first(), steep_error(keys, noise) if len(keys) >= FEWEST_KEYS else None
    burrs, shakes = whats.count(Work.BURRS), whats.count(Work.SHOOK)
    signs = WheelSigns(steep, steepest, tolerance.value, tolerance.space, _shape(look) if look else None, burrs, shakes)
    return WheelKnown(
        cutter=cutter,
        machines=machines,
        fitted_at=fitted_at,
        keys=made.count(),
        keys_since=made.filter(finished_at__gt=fitted_at).count() if fitted_at else None,
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


def _keys_of(made: QuerySet[Piece]) -> tuple[list[KeyOfWheel], float, Tolerance]:
    """The proven keys of these pieces, the steepest neighbours and the strictest tolerance among them, mm."""
    rows = Proof.objects.filter(piece__in=made).values_list(
        "cuts", "piece__settlement__values", "piece__tag__family_record_id"
    )
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
