"""Why a key came out wrong: its proof, its trials and its machine's course, and a file for whoever must help."""

from __future__ import annotations

from dataclasses import dataclass
from math import sqrt
from statistics import fmean

from keycore.proving.causes import one_side_alone
from keycore.proving.measured import MeasuredKey
from keycore.proving.returned import lost_beyond_wear, mean_error
from keycore.proving.suspects import Check, KeyFelt, Suspect, clues_of, next_check, weigh_suspects
from keycore.proving.verdict import ProofCut
from keycore.reading.evidence import Spread
from keycore.units import Unit, convert
from wryfalcon.bench.brought_back import BroughtBack, brought_back
from wryfalcon.bench.models import Lock, Piece, Tag, Trial, WayUp
from wryfalcon.bench.proving.queries import proof_brought_back, proof_of
from wryfalcon.bench.settling.prospects import FEELS
from wryfalcon.keeping.course.proven import left_mm, shallow_mm
from wryfalcon.keeping.course.queries import MachineCourse, course_of, offset_before
from wryfalcon.machines.fittings.queries import makes

SHOWN = 5


@dataclass(frozen=True)
class Then:
    """One cut when the key was new and when it came back, family unit."""

    track: str
    space: int
    wanted: float
    new: float | None
    back: float | None


@dataclass(frozen=True)
class Why:
    """What may have made a key wrong."""

    proof: MeasuredKey  # as it came back, unless it has changed since
    suspects: tuple[Suspect, ...]
    check: Check | None
    course: MachineCourse
    before: Spread | None  # the machine's offset before this key, mm
    back: BroughtBack | None
    then: tuple[Then, ...]  # both measurements side by side; none for a key that never came back
    changed: float | None  # mm it lost since it was proven, where use does not explain it


def why_wrong(tag: Tag, piece: Piece) -> Why | None:
    """Weigh the suspects; None for a key that is not measured."""
    new, back = proof_of(tag, piece), _came_back(piece)
    returned = proof_brought_back(tag, piece, back) if back else None
    changed = _changed(tag, new, returned, back) if new and returned and back else None
    proof = returned if returned and changed is None else new
    family = tag.family
    errors = [left_mm(family, cut.track, cut.error) for cut in proof.cuts if cut.error is not None] if proof else []
    if proof is None or new is None or not errors or tag.family.tolerance is None:
        return None
    if piece.machine is None or piece.set_up is None:
        return None  # no machine of ours made it
    course = course_of(piece.machine, tag.family.gauge)
    before = None
    if piece.finished_at is not None and makes(piece.machine, None, tag.family):
        before = offset_before(course, piece.finished_at, piece.set_up.cutter_id)
    mm = shallow_mm(tag.family)
    seat = piece.machine.sd_seat
    suspects = weigh_suspects(
        proof.causes,
        fmean(errors),
        proof.sd / sqrt(len(errors)) * abs(mm) + seat,
        before,
        tag.family.tolerance.value * abs(mm),
        clues_of(_felt(piece)),
        one_side=_one_side(tag, proof),
    )
    return Why(
        proof=proof,
        suspects=tuple(suspects[:SHOWN]),
        check=next_check(suspects),
        course=course,
        before=before,
        back=back,
        then=_side_by_side(new, returned) if returned else (),
        changed=changed,
    )


def _came_back(piece: Piece) -> BroughtBack | None:
    """The key as it came back; one that was touched up no longer shows how the machine first cut it."""
    if piece.finished_at is None or piece.onto_id is not None:
        return None
    return brought_back({piece.pk: piece.finished_at}).get(piece.pk)


def _side_by_side(new: MeasuredKey, back: MeasuredKey) -> tuple[Then, ...]:
    return tuple(
        Then(cut.track, cut.space, cut.wanted, cut.measured, later.measured)
        for cut, later in zip(new.cuts, back.cuts, strict=True)
    )


def _changed(tag: Tag, new: MeasuredKey, returned: MeasuredKey, back: BroughtBack) -> float | None:
    """How much a key lost since it was proven, mm; None where use explains it or it was not measured twice."""
    both = [
        (cut.error, later.error)
        for cut, later in zip(new.cuts, returned.cuts, strict=True)
        if cut.error is not None and later.error is not None
    ]
    if not both:
        return None
    mm = shallow_mm(tag.family)
    then, now = (
        mean_error([each * mm for each in errors], sd * abs(mm))
        for errors, sd in zip(zip(*both, strict=True), (new.sd, returned.sd), strict=True)
    )
    return lost_beyond_wear(then, now, Spread(*(convert(x, Unit.INCH, Unit.MILLIMETRE) for x in (back.worn.mean, 0.0))))


def _one_side(tag: Tag, proof: MeasuredKey) -> float | None:
    """How much speaks for one side being off alone; None for a key of one side."""
    assert tag.family.tolerance is not None
    measured = [cut for cut in proof.cuts if cut.measured is not None]
    if len({cut.track for cut in measured}) != 2 or _is_one_face(tag, {cut.track for cut in measured}):
        return None
    cuts = [
        ProofCut(cut.space, cut.from_gauge, cut.wanted, cut.measured) for cut in measured if cut.measured is not None
    ]
    return one_side_alone(cuts, [cut.track for cut in measured], proof.sd, tag.family.tolerance)


def _is_one_face(tag: Tag, tracks: set[str]) -> bool:
    """Whether tracks lie on one face, which is cut in one clamping: nothing is turned over between them."""
    return tag.family.kind.is_of_faces and len({tag.family.track(name).face for name in tracks}) == 1


def _felt(piece: Piece) -> list[KeyFelt]:
    """How the key felt when it was tried, and what was said of it in the customer's locks when it came back."""
    told: list[tuple[str, Trial | Lock]] = [(trial.way_up, trial) for trial in piece.trials.all()]
    told += [(WayUp.UP, lock) for lock in Lock.objects.filter(tag__made_by=piece)]
    return [KeyFelt(up, *(FEELS.get(felt) for felt in (it.enters, it.turns, it.leaves))) for up, it in told]
