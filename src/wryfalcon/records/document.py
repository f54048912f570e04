"""A tag as a document, ``wry-falcon.record/1``."""

from __future__ import annotations

import json
from typing import Any

from wryfalcon.bench.models import Piece, Tag
from wryfalcon.bench.reading.record import readings_record
from wryfalcon.bench.tags.history import history_of

FORMAT = "wry-falcon.record/1"


def record_of(tag: Tag) -> dict[str, Any]:
    """Everything read, decided, cut and proven; ``key`` is None until the bitting is settled."""
    assert tag.family_record is not None
    return {
        "format": FORMAT,
        "tag": str(tag),
        "title": tag.title,
        "customer": tag.customer.name,
        "authority": tag.authority,
        "quantity": tag.quantity,
        "family": json.loads(tag.family_record.document),
        "key": _key(tag),
        "locks": [
            {"name": lock.name, "enters": lock.enters, "turns": lock.turns, "leaves": lock.leaves}
            for lock in tag.locks.all()
        ],
        "readings": readings_record(tag),
        "overrulings": list(tag.overrulings.filter(withdrawn=False).values("track", "space", "label", "reason")),
        "set_up": _set_up(tag),
        "keys": [_made(piece) for piece in _pieces(tag)],
        "history": [
            {
                "at": told.entry.at.isoformat(),
                "by": str(told.entry.actor or ""),
                "event": told.entry.event,
                "with": told.words,
            }
            for told in history_of(tag)
        ],
    }


def _key(tag: Tag) -> dict[str, Any] | None:
    settled = tag.settlement
    if settled is None:
        return None
    return {
        "bitting": settled.bitting,
        "values": settled.values,
        "intent": settled.intent,
        "deeper_by": settled.deeper_by,
        "deeper_cuts": settled.deeper_cuts,
        "chance": settled.chance,
        "reason": settled.reason,
    }


def _set_up(tag: Tag) -> dict[str, Any] | None:
    card = tag.set_up
    if card is None:
        return None
    return {
        "machine": card.machine.name,
        "cutter": card.cutter.name,
        "jaw_side": card.jaw_side.name if card.jaw_side else None,
        "style": card.style,
        "checked": card.ticks,
        "commands": card.commands,
    }


def _pieces(tag: Tag) -> list[Piece]:
    pieces = Piece.objects.filter(tag=tag).select_related("machine", "proof", "onto", "settlement")
    return list(pieces.prefetch_related("proof_values", "trials__lock", "dimensions", "stage_looks").order_by("id"))


def _made(piece: Piece) -> dict[str, Any]:
    proof = getattr(piece, "proof", None)
    return {
        "key": piece.key_number,
        "job": piece.job,
        "called": piece.called,
        "machine": piece.machine.name if piece.machine else None,
        "made_how": piece.made_how,
        "state": piece.state,
        "why_ended": piece.why_ended,
        "touches_up": piece.onto.job if piece.onto else None,
        "touched": piece.touched,
        "wanted": piece.wanted_values,
        "deburred_at": piece.deburred_at.isoformat() if piece.deburred_at else None,
        "given_at": piece.given_at.isoformat() if piece.given_at else None,
        "finish": piece.finish,
        "stages": [
            {"track": s.track, "space": s.space, "height": s.height, "showed": s.showed, "mark_at": s.mark_at}
            for s in piece.stage_looks.all()
            if not s.withdrawn
        ],
        "beside_the_old_key": [{"what": d.what, "old_mm": d.old, "new_mm": d.new} for d in piece.dimensions.all()],
        "finished_at": piece.finished_at.isoformat() if piece.finished_at else None,
        "measured": [
            {"track": v.track, "space": v.space, "value": v.value, "position": v.position, "source": v.source}
            for v in piece.proof_values.all()
            if not v.withdrawn
        ],
        "proof": proof
        and {
            "proven_by": proof.proven_by,
            "verdict": proof.verdict,
            "passed": proof.passed,
            "reason": proof.reason,
            "cuts": proof.cuts,
        },
        "trials": [
            {
                "lock": t.lock.name,
                "way_up": t.way_up,
                "worked": t.worked,
                "enters": t.enters,
                "turns": t.turns,
                "leaves": t.leaves,
                "grade": t.grade,
                "at": {"track": t.at_track, "space": t.at_cut} if t.at_cut is not None else "tip" if t.at_tip else None,
            }
            for t in piece.trials.all()
        ],
    }
