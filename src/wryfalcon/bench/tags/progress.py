"""How far tags are, asked for all of a list at once."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import NamedTuple

from django.db.models import Count, Q

from wryfalcon.bench.models import Answer, OnBench, Piece, PieceState, Settlement, SetUp, Sighting, Tag
from wryfalcon.bench.piece_states import ENDED, OPEN


@dataclass(frozen=True)
class Progress:
    """How far a tag is."""

    is_read: bool
    answers: int  # to what must be known of a lock in a picture
    is_settled: bool
    is_read_back: bool
    is_set_up: bool  # a card for the settlement in force, every check on it done
    piece_state: str  # of the piece that is waited for, "" without one
    made_how: str  # that piece
    passed: bool | None  # the verdict kept on that piece
    proven: int  # keys, each once


class _Card(NamedTuple):
    pk: int
    settlement: int
    checked_at: datetime | None


class _Piece(NamedTuple):
    pk: int
    state: str
    made_how: str
    key_number: int
    set_up: int | None
    onto: int | None
    is_try: bool
    passed: bool | None

    @property
    def is_open(self) -> bool:
        return self.state in OPEN


def progress_of(tags: Sequence[Tag]) -> dict[int, Progress]:
    """How far each tag is, by its primary key."""
    keys = [tag.pk for tag in tags]
    seen = Sighting.objects.filter(source__tag__in=keys, source__removed=False, withdrawn=False).order_by()
    read = set(seen.values_list("source__tag", flat=True).distinct())
    settled = _settled(keys)
    cards, answers, pieces = _cards(keys), _answers(tags), _pieces(keys)
    found = {}
    for pk in keys:
        settlement, read_back_at = settled.get(pk, (None, None))
        card = cards.get(pk)
        piece = _waited_for(pieces[pk], card)
        found[pk] = Progress(
            is_read=pk in read,
            answers=answers[pk],
            is_settled=settlement is not None,
            is_read_back=read_back_at is not None,
            is_set_up=card is not None and card.settlement == settlement and card.checked_at is not None,
            piece_state=piece.state if piece else "",
            made_how=piece.made_how if piece else "",
            passed=piece.passed if piece else None,
            proven=_proven(pieces[pk]),
        )
    return found


def _settled(keys: Sequence[int]) -> dict[int, tuple[int, datetime | None]]:
    """The settlement in force of each, and when it was read back."""
    found = Settlement.objects.filter(tag__in=keys, is_try=False).order_by("pk")
    return {tag: (pk, at) for tag, pk, at in found.values_list("tag", "pk", "read_back_at")}


def _cards(keys: Sequence[int]) -> dict[int, _Card]:
    """The last card of each."""
    found = SetUp.objects.filter(tag__in=keys).order_by("pk").values_list("tag", "pk", "settlement", "checked_at")
    return {tag: _Card(pk, settlement, at) for tag, pk, settlement, at in found}


def _answers(tags: Sequence[Tag]) -> Counter[int]:
    """Answers heard, of those that only a picture was sent of."""
    pictured = [tag.pk for tag in tags if tag.on_bench == OnBench.PICTURE]
    if not pictured:
        return Counter()
    found = Answer.objects.filter(tag__in=pictured).order_by().values_list("tag").annotate(Count("pk"))
    return Counter(dict(found))


def _pieces(keys: Sequence[int]) -> defaultdict[int, list[_Piece]]:
    """The pieces of each, in order of their making."""
    found = defaultdict[int, list[_Piece]](list)
    is_try = Q(settlement=None, values__isnull=False)
    pieces = Piece.objects.filter(tag__in=keys).order_by("pk").annotate(is_try=is_try)
    for tag, *rest in pieces.values_list(
        "tag", "pk", "state", "made_how", "key_number", "set_up", "onto", "is_try", "proof__passed"
    ):
        found[tag].append(_Piece(*rest))
    return found


def _waited_for(pieces: Sequence[_Piece], card: _Card | None) -> _Piece | None:
    """The piece that is under way, else the last one made.

    One under way is waited for whatever card it has; a made one for the card in force only, since a new card means
    that its keys are still to be cut. A key tried for a trial sheet is waited for while it is made, and is none to be
    proven until it is what was settled.
    """
    found = [piece for piece in pieces if _may_be_waited_for(piece, card)]
    return max(found, key=lambda piece: (piece.is_open, piece.pk), default=None)


def _may_be_waited_for(piece: _Piece, card: _Card | None) -> bool:
    is_of_card = piece.set_up is None or (card is not None and piece.set_up == card.pk)
    if piece.is_open:
        return is_of_card or piece.state != PieceState.PLANNED
    return piece.state not in ENDED and is_of_card and not piece.is_try


def _proven(pieces: Sequence[_Piece]) -> int:
    """How many keys are made and passed, each once; one that is touched up since is not, until that is proven."""
    touched = {piece.onto for piece in pieces if piece.state not in ENDED}
    passed = {
        piece.key_number
        for piece in pieces
        if piece.state == PieceState.FINISHED and piece.passed and piece.pk not in touched
    }
    return len(passed)
