"""Why a key came out wrong: its proof, its trials and its machine's course, and a file for whoever must help."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import sqrt
from typing import Any

from django.db.models import Q

from keycore.proving.causes import one_side_alone
from keycore.proving.suspects import Check, Suspect, next_check, weigh_suspects
from keycore.proving.verdict import ProofCut
from keycore.reading.evidence import Spread
from keycore.units import Unit, convert
from wryfalcon.bench.models import Felt, Lock, Piece, Tag, WayUp
from wryfalcon.bench.queries.brought_back import BroughtBack, brought_back
from wryfalcon.bench.queries.proving import ShownProof, proof_brought_back, proof_of
from wryfalcon.codes.models import Code
from wryfalcon.keeping.queries.drift import MachineDrift, drift_of, offset_before
from wryfalcon.keeping.queries.proven import shallow_mm
from wryfalcon.lengths import say_mm

SHOWN = 5
CHANGED = 4.0  # sd: two measurements of one key that differ so are not of the same key any more


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

    proof: ShownProof  # as it came back, unless it has changed since
    suspects: tuple[Suspect, ...]
    check: Check | None
    course: MachineDrift
    before: Spread | None  # the machine's offset before this key, mm
    back: BroughtBack | None
    then: tuple[Then, ...]  # both measurements side by side; none for a key that never came back
    changed: float | None  # mm it lost since it was proven, where use does not explain it
    to_home: str  # what must be done at the machine before anything else

    @property
    def changed_says(self) -> str:
        """How far a key that came back is no longer what was proven, "" for one that is."""
        if self.changed is None:
            return ""
        if self.changed > 0:
            return f"It has lost {say_mm(self.changed)} since it was proven, more than use explains"
        return f"It measures {say_mm(-self.changed)} higher than when it was proven"


def why_wrong(tag: Tag, piece: Piece) -> Why | None:
    """Weigh the suspects; None for a key that is not measured."""
    new, back = proof_of(tag, piece), _came_back(piece)
    returned = proof_brought_back(tag, piece, back) if back else None
    changed = _changed(tag, new, returned, back) if new and returned and back else None
    proof = returned if returned and changed is None else new
    errors = [cut.error for cut in proof.cuts if cut.error is not None] if proof else []
    if proof is None or new is None or not errors or tag.family.tolerance is None:
        return None
    if piece.machine is None or piece.set_up is None:
        return None  # no machine of ours made it
    course = drift_of(piece.machine, tag.family.gauge)
    before = offset_before(course, piece.finished_at, piece.set_up.cutter_id) if piece.finished_at else None
    mm = shallow_mm(tag.family)
    seat = piece.machine.sd_seat
    suspects = weigh_suspects(
        proof.causes,
        _mean(errors) * mm,
        proof.sd / sqrt(len(errors)) * abs(mm) + seat,
        before,
        tag.family.tolerance.value * abs(mm),
        _clues(_felt(piece)),
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
        to_home=course.to_home,
    )


def _came_back(piece: Piece) -> BroughtBack | None:
    """The key as it came back; one that was touched up no longer shows how the machine first cut it."""
    if piece.finished_at is None or piece.onto_id is not None:
        return None
    return brought_back({piece.pk: piece.finished_at}).get(piece.pk)


def _side_by_side(new: ShownProof, back: ShownProof) -> tuple[Then, ...]:
    return tuple(
        Then(cut.track, cut.space, cut.wanted, cut.measured, later.measured)
        for cut, later in zip(new.cuts, back.cuts, strict=True)
    )


def _changed(tag: Tag, new: ShownProof, returned: ShownProof, back: BroughtBack) -> float | None:
    """How much a key lost since it was proven, mm; None where use explains it or it was not measured twice."""
    both = [
        (cut.error, later.error)
        for cut, later in zip(new.cuts, returned.cuts, strict=True)
        if cut.error is not None and later.error is not None
    ]
    if not both:
        return None
    mm = shallow_mm(tag.family)
    lost = _mean([one - other for one, other in both]) * mm
    worn = convert(back.worn.mean, Unit.INCH, Unit.MILLIMETRE)
    doubt = sqrt((new.sd**2 + returned.sd**2) / len(both)) * abs(mm)
    return lost if abs(lost - worn) > CHANGED * doubt else None


def _one_side(tag: Tag, proof: ShownProof) -> float | None:
    """How much speaks for one side being off alone; None for a key of one side."""
    assert tag.family.tolerance is not None
    measured = [cut for cut in proof.cuts if cut.measured is not None]
    if len({cut.track for cut in measured}) != 2:
        return None
    cuts = [
        ProofCut(cut.space, cut.from_gauge, cut.wanted, cut.measured) for cut in measured if cut.measured is not None
    ]
    return one_side_alone(cuts, [cut.track for cut in measured], proof.sd, tag.family.tolerance)


def _mean(numbers: Sequence[float]) -> float:
    return sum(numbers) / len(numbers)


@dataclass(frozen=True)
class KeyFelt:
    """How a key went in, turned and came out once."""

    way_up: str
    enters: str
    turns: str
    leaves: str


def _felt(piece: Piece) -> list[KeyFelt]:
    """How the key felt when it was tried, and what was said of it in the customer's locks when it came back."""
    tried = [KeyFelt(t.way_up, t.enters, t.turns, t.leaves) for t in piece.trials.all()]
    locks = Lock.objects.filter(tag__made_by=piece)
    return [*tried, *(KeyFelt(WayUp.UP, lock.enters, lock.turns, lock.leaves) for lock in locks)]


def _clues(felt: list[KeyFelt]) -> list[str]:
    """How the key felt, as clues; each once."""
    clues = set()
    turns: dict[str, set[str]] = {way: set() for way in WayUp.values}
    for each in felt:
        clues |= {"rubs"} if each.turns == Felt.RUBS else set()
        clues |= {"snags"} if each.turns == Felt.SNAGS else set()
        clues |= {"stuck"} if each.turns == Felt.STUCK else set()
        clues |= {"tight"} if each.enters in (Felt.RUBS, Felt.SNAGS) else set()
        clues |= {"barred"} if each.enters == Felt.STUCK else set()
        clues |= {"held"} if each.leaves in (Felt.RUBS, Felt.SNAGS, Felt.STUCK) else set()
        turns[each.way_up].add(each.turns)
    works = [Felt.FREE in turns[way] for way in WayUp.values if turns[way]]
    return sorted(clues | ({"one-way"} if len(works) == 2 and works[0] != works[1] else set()))


def _codes(tag: Tag) -> list[str]:
    """The codes that the key is from, read or taken to fill it."""
    read = Q(sources__tag=tag, sources__removed=False)
    taken = Q(overrulings__tag=tag, overrulings__withdrawn=False)
    found = Code.objects.filter(read | taken).select_related("series").distinct()
    return [f"{code}, {code.series}" for code in found]


def help_file(tag: Tag, piece: Piece, why: Why) -> dict[str, Any]:
    """Everything whoever must help will ask for: no customer, no lock; lengths as their units say."""
    settlement = piece.settlement
    assert settlement is not None
    assert piece.machine is not None
    assert piece.set_up is not None  # there is no why without them
    offsets = piece.machine.offsets.filter(gauge=tag.family.gauge)
    return {
        "tag": str(tag), "cut_at": piece.finished_at.isoformat() if piece.finished_at else None,
        "family": {"id": tag.family.id, "edition": tag.family.edition, "unit": tag.family.unit.value,
                   "gauge": tag.family.gauge.value},
        "blank": tag.blank.code if tag.blank else None,
        "codes": _codes(tag),
        "bitting": settlement.bitting,
        "cuts": [
            {"track": cut.track, "space": cut.space, "target": cut.wanted, "measured": cut.measured,
             "error": cut.error, "space_error": cut.space_error} for cut in why.proof.cuts
        ],
        "brought_back": None if why.back is None else {
            "tag": f"{why.back.tag:04d}", "measured_at": why.back.measured_at.isoformat(),
            "new": [cut.new for cut in why.then],
        },
        "machine": {
            "name": piece.machine.name, "kind": piece.machine.get_kind_display(), "cutter": str(piece.set_up.cutter),
            "jaw_side": str(piece.set_up.jaw_side or ""),
            "offsets_mm": [{"for": str(o), "depth": o.value, "along": o.space, "why": o.why} for o in offsets],
            "told_mm": piece.cuts, "course": why.course.says,
        },
        "felt": [
            {"way_up": t.way_up, "worked": t.worked, "enters": t.enters, "turns": t.turns, "leaves": t.leaves}
            for t in piece.trials.all()
        ],
        "suspects": [{"cause": s.cause, "chance": round(s.chance, 3), "evidence": s.evidence} for s in why.suspects],
    }  # fmt: skip
