"""Every key that says something of a machine: proven, of a test bitting, traced from a pattern, or brought back."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from math import sqrt
from statistics import fmean
from typing import Any

from django.db.models import Exists, OuterRef, Q
from django.db.models.functions import Coalesce

from keycore.family import Family
from keycore.machines.trim import Noise
from keycore.proving.returned import as_made, mean_error
from keycore.reading.evidence import Spread
from keycore.units import Unit, convert
from wryfalcon.bench.brought_back import BroughtBack, brought_back
from wryfalcon.bench.models import MadeHow, Piece, PieceState, Tag
from wryfalcon.keeping.tracing.queries import measured_pattern
from wryfalcon.library.queries.families import families_by_pk
from wryfalcon.machines.fittings.queries import makes
from wryfalcon.machines.models import TRACES, Cutter, Duplicate, Machine, Shift, Trim

USUAL_TOLERANCE_MM = 0.05


@dataclass(frozen=True)
class ProvenKey:
    """A key as it was measured: when made, what it was, and its mean depth error on one edge, mm."""

    at: datetime
    name: str
    gauge: str
    error: float  # positive is shallow
    cuts: int
    wheel: int = 0  # the cutter's key; 0 where it is not known
    wheel_name: str = ""
    extra_sd: float = 0.0  # mm, beside cutting, measuring and seating


def proven_keys(machine: Machine, noise: Noise, closed: Sequence[Trim]) -> tuple[tuple[ProvenKey, ...], float]:
    """Every key measured on a machine, first to last, and the strictest tolerance among its families, mm.

    ``closed`` are its trims and checks that are over, with their readings.
    """
    made, tolerances = _made_keys(machine, noise)
    traced = _traced_keys(machine, noise, tolerances) if machine.kind in TRACES else []
    keys = sorted([*made, *traced, *_test_keys(machine, closed)], key=lambda key: key.at)
    return tuple(keys), min(tolerances, default=USUAL_TOLERANCE_MM)


def shallow_mm(family: Family) -> float:
    """What a depth error in the family's unit is on one edge, mm, shallow counted positive."""
    return edge_mm(family) * (1.0 if family.tracks[0].falls_when_deeper else -1.0)


def left_mm(family: Family, track: str, error: float) -> float:
    """The metal that a depth error of a cut on this track leaves on one edge, mm: by which way its values go."""
    return error * edge_mm(family) * (1.0 if family.track(track).falls_when_deeper else -1.0)


def edge_mm(family: Family) -> float:
    """What a depth error in the family's unit is on one edge, mm."""
    return family.depth.to_machine(1.0) * family.share_per_edge


def zero_mm(trim: Trim, family: Family) -> float:
    """What the caliper's own error adds to a depth on one edge, mm, to be taken off; 0 where it was not tried."""
    if trim.known_size is None or trim.known_read is None:
        return 0.0
    return (trim.known_size - trim.known_read) * family.share_per_edge


def _made_keys(machine: Machine, noise: Noise) -> tuple[list[ProvenKey], set[float]]:
    """Keys that were proven when new, those that came back, and the tolerances that were asked, mm."""
    rows = _told(machine)
    came_back = {pk: at for pk, at, *_, is_back, _, _ in rows if is_back and at}
    back = brought_back(came_back) if came_back else {}
    wanted = dict(Piece.objects.filter(pk__in=back).values_list("pk", "settlement__values")) if back else {}
    records = families_by_pk(tuple({row[3] for row in rows}))
    # Where another clamp's axis made the depths, they say nothing of the machine's own.
    families = {pk: record.family for pk, record in records.items() if makes(machine, None, record.family)}
    left = {pk: {track.name: left_mm(of, track.name, 1.0) for track in of.tracks} for pk, of in families.items()}
    keys, asked = [], set()
    for pk, at, number, record, proven, _, wheel, wheel_name in rows:
        if record not in families:
            continue
        family, of_track = families[record], left[record]
        errors = [of_track[cut["track"]] * cut["error"] for cut in proven or () if cut["error"] is not None]
        name, error = f"tag {number:04d}", fmean(errors) if errors else 0.0
        key = ProvenKey(at, name, family.gauge, error, len(errors), wheel or 0, wheel_name or "")
        if pk in back:
            keys.append(_with_return(key, errors, back[pk], wanted[pk], family, noise))
        elif errors:
            keys.append(key)
        asked.add(record)
    return keys, {mm for record in asked if (mm := _tolerance_mm(families[record]))}


def _tolerance_mm(family: Family) -> float | None:
    return family.tolerance.value * edge_mm(family) if family.tolerance else None


def _told(machine: Machine) -> list[tuple[Any, ...]]:
    """Of each key that was made on it and measured then, or came back: the piece, and what was measured."""
    pieces = Piece.objects.filter(
        machine=machine,
        onto=None,
        state=PieceState.FINISHED,
        finished_at__isnull=False,
        tag__family_record__isnull=False,
    ).exclude(made_how=MadeHow.TRACED)
    came_back = Exists(Tag.objects.filter(made_by=OuterRef("pk")))
    told = pieces.annotate(came_back=came_back).filter(Q(proof__isnull=False) | Q(came_back=True))
    return list(told.order_by().values_list(
        "pk", "finished_at", "tag__number", "tag__family_record_id", "proof__cuts", "came_back",
        Coalesce("set_up__cutter", "cutter"), Coalesce("set_up__cutter__name", "cutter__name"),
    ))  # fmt: skip


def _with_return(
    key: ProvenKey,
    new: Sequence[float],
    back: BroughtBack,
    targets: dict[str, list[float]],
    family: Family,
    noise: Noise,
) -> ProvenKey:
    """One key out of what it measured when new, if it was, and when it came back, each by how well it is known."""
    to_mm = shallow_mm(family)
    worn = Spread(*(convert(x, Unit.INCH, Unit.MILLIMETRE) for x in (back.worn.mean, back.worn.sd)))
    now = [(fmean(values) - targets[track][space - 1]) * to_mm for (track, space), values in back.values.items()]
    found, is_in = as_made(mean_error(new, noise.sd) if new else None, mean_error(now, noise.sd), worn)
    key = replace(key, error=found.value, cuts=found.cuts, extra_sd=0.0 if new else worn.sd)
    return replace(key, name=f"{key.name}, brought back {back.measured_at:%d %b}") if is_in else key


def _traced_keys(machine: Machine, noise: Noise, tolerances: set[float]) -> list[ProvenKey]:
    """Duplicates beside their patterns: both are measured, so each difference carries two measurements' doubt."""
    found = []
    for traced in Duplicate.objects.filter(machine=machine, withdrawn=False).select_related("family_record", "cutter"):
        family = traced.family_record.family
        pairs = zip(traced.pattern, traced.copy, strict=True)
        errors = [(c - p) * shallow_mm(family) for p, c in pairs if p is not None and c is not None]
        if errors:
            extra = noise.sd / sqrt(len(errors) * traced.repeats)  # the pattern's own measuring
            key = ProvenKey(traced.at, "a duplicate", family.gauge, fmean(errors), len(errors), *_wheel(traced.cutter))
            found.append(replace(key, extra_sd=extra))
        if mm := _tolerance_mm(family):
            tolerances.add(mm)
    return found + _traced_pieces(machine, noise, tolerances)


def _traced_pieces(machine: Machine, noise: Noise, tolerances: set[float]) -> list[ProvenKey]:
    """Keys of tags that were traced and measured, each beside its pattern where that was measured too.

    One traced while the machine was moved on purpose says nothing of where it stands.
    """
    traced = Piece.objects.filter(
        machine=machine, made_how=MadeHow.TRACED, onto=None, state=PieceState.FINISHED, finished_at__isnull=False,
        tag__family_record__isnull=False, proof_values__withdrawn=False,
    )  # fmt: skip
    shifts = list(machine.shifts.all())
    found = []
    for piece in traced.select_related("tag__family_record", "cutter").distinct():
        assert piece.finished_at is not None  # asked for
        if any(_was_on(shift, piece) for shift in shifts):
            continue
        family = piece.tag.family
        copy: defaultdict[tuple[str, int], list[float]] = defaultdict(list)
        for value in piece.proof_values.filter(withdrawn=False):
            copy[value.track, value.space].append(value.value)
        pattern = {track.name: measured_pattern(piece.tag, track.name) for track in family.tracks}
        errors = [
            (fmean(values) - was) * shallow_mm(family)
            for (track, space), values in copy.items()
            if (was := pattern[track][space - 1]) is not None
        ]
        if errors:
            name = f"tag {piece.tag}, traced"
            key = ProvenKey(piece.finished_at, name, family.gauge, fmean(errors), len(errors), *_wheel(piece.cutter))
            found.append(replace(key, extra_sd=noise.sd / sqrt(len(errors))))
            if mm := _tolerance_mm(family):
                tolerances.add(mm)
    return found


def _was_on(shift: Shift, piece: Piece) -> bool:
    """Whether a duplicator stood moved on purpose at any time while it traced a key."""
    assert piece.finished_at is not None
    began = piece.began_at or piece.finished_at
    return shift.at <= piece.finished_at and (shift.put_back_at is None or began <= shift.put_back_at)


def _test_keys(machine: Machine, closed: Sequence[Trim]) -> list[ProvenKey]:
    """The test keys of closed trims and checks that were measured there: keys of known target like any other."""
    found = []
    for trim in closed:
        family = trim.family_record.family
        if not makes(machine, None, family):
            continue  # of a clamp whose own axis makes the depth
        values, to_mm = family.track(trim.track).values, shallow_mm(family)
        errors: defaultdict[int, list[float]] = defaultdict(list)
        for reading in trim.readings.all():
            if reading.value is not None and not reading.withdrawn:
                target = values[trim.steps[reading.space - 1]]
                errors[reading.clamping].append((reading.value - target) * to_mm + zero_mm(trim, family))
        for clamping, of_key in sorted(errors.items()):
            if trim.closed_at is not None:  # measured before the adjustment that closed it
                made_at = trim.closed_at - timedelta(milliseconds=100 - clamping)
                wheel = _wheel(trim.cutter)
                found.append(ProvenKey(made_at, "a test key", trim.gauge, fmean(of_key), len(of_key), *wheel))
    return found


def _wheel(cutter: Cutter | None) -> tuple[int, str]:
    return (cutter.pk, cutter.name) if cutter else (0, "")
