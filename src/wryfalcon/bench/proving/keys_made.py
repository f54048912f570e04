"""The keys of a tag on a line each: how made, how far, what the verdict rests on, how it went in its locks."""

from __future__ import annotations

from dataclasses import dataclass

from django.db.models import Prefetch
from django.utils import timezone

from wryfalcon.bench.models import Piece, Tag, Trial
from wryfalcon.bench.proving.presenters import trial_words

SHOWN = (
    "tag", "key_number", "try_number", "onto", "values", "touched", "state", "why_ended", "given_at", "deburred_at",
    "made_how", "machine__name", "proof__piece", "proof__proven_by", "proof__verdict", "proof__passed", "proof__reason",
)  # fmt: skip


@dataclass(frozen=True)
class KeyMade:
    """One key, in words."""

    piece: Piece
    called: str
    made: str
    state: str
    proven: str  # "" before a verdict is kept
    verdict: str  # of its measures; "" without
    trials: tuple[str, ...]


def keys_made(tag: Tag) -> list[KeyMade]:
    """Every key of a tag, first to last."""
    return [_key(piece) for piece in _pieces(tag)]


def _pieces(tag: Tag) -> list[Piece]:
    pieces = Piece.objects.filter(tag=tag).select_related("machine", "proof").only(*SHOWN).order_by("id")
    return list(pieces.prefetch_related(Prefetch("trials", Trial.objects.select_related("lock"))))


def _key(piece: Piece) -> KeyMade:
    given = f", given {timezone.localtime(piece.given_at):%d %b}" if piece.given_at else ""
    why = f": {piece.why_ended}" if piece.why_ended else ""
    proof = getattr(piece, "proof", None)
    return KeyMade(
        piece=piece,
        called=piece.called.capitalize(),
        made=f"{piece.made_on}{', deburred' if piece.deburred_at else ''}{_touched(piece)}",
        state=f"{piece.get_state_display()}{given}{why}",
        proven=_proven(piece),
        verdict=proof.verdict if proof is not None else "",
        trials=tuple(trial_words(trial) for trial in piece.trials.all()),
    )


def _touched(piece: Piece) -> str:
    """Which cuts a touch-up took deeper, and why."""
    said = [f"cut {cut['space']}: {cut['reason'] or cut['lock']}" for cut in piece.touched]
    return f"; {', '.join(said)}" if said else ""


def _proven(piece: Piece) -> str:
    proof = getattr(piece, "proof", None)
    if proof is None:
        return ""
    parts = [proof.get_proven_by_display(), proof.verdict, "" if proof.passed else "failed", proof.reason]
    return ", ".join(part for part in parts if part)
