"""A file for whoever must help with a key that came out wrong."""

from __future__ import annotations

from typing import Any

from django.db.models import Q

from wryfalcon.bench.models import Piece, Tag
from wryfalcon.codes.models import Code
from wryfalcon.keeping.course.presenters import offset_words
from wryfalcon.keeping.why.queries import Why


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
            "told_mm": piece.cuts, "course": offset_words(why.course),
        },
        "felt": [
            {"way_up": t.way_up, "worked": t.worked, "enters": t.enters, "turns": t.turns, "leaves": t.leaves}
            for t in piece.trials.all()
        ],
        "suspects": [{"cause": s.cause, "chance": round(s.chance, 3), "evidence": s.evidence} for s in why.suspects],
    }  # fmt: skip


def _codes(tag: Tag) -> list[str]:
    """The codes that the key is from, read or taken to fill it."""
    read = Q(sources__tag=tag, sources__removed=False)
    taken = Q(overrulings__tag=tag, overrulings__withdrawn=False)
    found = Code.objects.filter(read | taken).select_related("series").distinct()
    return [f"{code}, {code.series}" for code in found]
