"""Why a key came out wrong: its proof, its trials and its machine's course, and a file for whoever must help."""

from __future__ import annotations

from dataclasses import dataclass
from math import sqrt
from typing import Any

from django.db.models import Q

from keycore.proving.suspects import Check, Suspect, next_check, weigh_suspects
from keycore.reading.evidence import Spread
from wryfalcon.bench.models import Felt, Tag, Trial, WayUp
from wryfalcon.bench.queries.proving import ShownProof, proof_of
from wryfalcon.codes.models import Code
from wryfalcon.machines.models import Run
from wryfalcon.machines.queries.drift import MachineDrift, drift_of, edge_mm

SHOWN = 5


@dataclass(frozen=True)
class Why:
    """What may have made a key wrong."""

    proof: ShownProof
    suspects: tuple[Suspect, ...]
    check: Check | None
    course: MachineDrift
    before: Spread | None  # the machine's offset before this key, mm


def why_wrong(tag: Tag, run: Run) -> Why | None:
    """Weigh the suspects; None for a key that is not measured."""
    proof = proof_of(tag, run)
    errors = [cut.error for cut in proof.cuts if cut.error is not None] if proof else []
    if proof is None or not errors or tag.family.tolerance is None:
        return None
    course = drift_of(run.machine, tag.family.gauge)
    before = _offset_before(course, run)
    mm = edge_mm(tag.family)
    suspects = weigh_suspects(
        proof.causes,
        sum(errors) / len(errors) * mm,
        proof.sd / sqrt(len(errors)) * mm + run.machine.sd_seat,
        before,
        tag.family.tolerance.value * mm,
        _clues(list(run.trials.all())),
    )
    return Why(proof, tuple(suspects[:SHOWN]), next_check(suspects), course, before)


def _offset_before(course: MachineDrift, run: Run) -> Spread | None:
    """What was known of the machine's offset just before a key."""
    if course.drift is None or run.finished_at is None:
        return None
    earlier = [e for e, key in zip(course.drift.course, course.keys, strict=True) if key.at < run.finished_at]
    return earlier[-1].offset if earlier else None


def _clues(trials: list[Trial]) -> list[str]:
    """How the key felt, as clues; each once."""
    clues = set()
    turns: dict[str, set[str]] = {way: set() for way in WayUp.values}
    for trial in trials:
        clues |= {"rubs"} if trial.turns == Felt.RUBS else set()
        clues |= {"snags"} if trial.turns in (Felt.SNAGS, Felt.STUCK) else set()
        clues |= {"tight"} if trial.enters in (Felt.RUBS, Felt.STUCK) else set()
        clues |= {"held"} if trial.leaves in (Felt.RUBS, Felt.SNAGS, Felt.STUCK) else set()
        turns[trial.way_up].add(trial.turns)
    works = [Felt.FREE in turns[way] for way in WayUp.values if turns[way]]
    return sorted(clues | ({"one-way"} if len(works) == 2 and works[0] != works[1] else set()))


def _codes(tag: Tag) -> list[str]:
    """The codes that the key is from, read or taken to fill it."""
    read = Q(sources__tag=tag, sources__removed=False)
    taken = Q(overrulings__tag=tag, overrulings__withdrawn=False)
    found = Code.objects.filter(read | taken).select_related("series").distinct()
    return [f"{code}, {code.series}" for code in found]


def help_file(tag: Tag, run: Run, why: Why) -> dict[str, Any]:
    """Everything whoever must help will ask for: no customer, no lock; lengths as their units say."""
    settlement = run.set_up.settlement
    offsets = run.machine.offsets.filter(gauge=tag.family.gauge)
    return {
        "tag": str(tag), "cut_at": run.finished_at.isoformat() if run.finished_at else None,
        "family": {"id": tag.family.id, "edition": tag.family.edition, "unit": tag.family.unit.value,
                   "gauge": tag.family.gauge.value},
        "blank": tag.blank.code if tag.blank else None,
        "codes": _codes(tag),
        "bitting": settlement.bitting,
        "cuts": [
            {"track": cut.track, "space": cut.space, "target": cut.wanted, "measured": cut.measured,
             "error": cut.error, "space_error": cut.space_error} for cut in why.proof.cuts
        ],
        "machine": {
            "name": run.machine.name, "kind": run.machine.get_kind_display(), "cutter": str(run.set_up.cutter),
            "jaw_side": str(run.set_up.jaw_side or ""),
            "offsets_mm": [{"for": str(o), "depth": o.value, "along": o.space, "why": o.why} for o in offsets],
            "told_mm": run.cuts, "course": why.course.says,
        },
        "felt": [
            {"way_up": t.way_up, "worked": t.worked, "enters": t.enters, "turns": t.turns, "leaves": t.leaves}
            for t in run.trials.all()
        ],
        "suspects": [{"cause": s.cause, "chance": round(s.chance, 3), "evidence": s.evidence} for s in why.suspects],
    }  # fmt: skip
