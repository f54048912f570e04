"""Old key and new side by side, against limits learned from this family's keys that worked."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass

from django.db.models import F

from keycore.proving.limits import Learned, learned_limits
from wryfalcon.bench.models import Dimension, Felt, Piece, PieceState, SideBySide, Tag


@dataclass(frozen=True)
class Beside:
    """One dimension of both keys, mm, and what is known of keys that worked."""

    what: Dimension
    old: float | None
    new: float | None
    learned: Learned | None

    @property
    def difference(self) -> float | None:
        """New less old."""
        return None if self.old is None or self.new is None else self.new - self.old

    @property
    def is_odd(self) -> bool:
        """Whether the two differ more than those of any key that worked."""
        return self.difference is not None and self.learned is not None and not self.learned.holds(self.difference)


def beside_of(tag: Tag, piece: Piece) -> list[Beside]:
    """Every dimension of this piece, measured or not."""
    kept = {row.what: row for row in _dimensions(piece)}
    known = _known(tag, piece)
    return [
        Beside(what, row.old if row else None, row.new if row else None, learned_limits(known[what]))
        for what in Dimension
        for row in [kept.get(what)]
    ]


def _known(tag: Tag, piece: Piece) -> defaultdict[str, list[float]]:
    """New less old of each dimension, of keys of this family that turned freely in a lock and were kept as good."""
    known: defaultdict[str, list[float]] = defaultdict(list)
    if tag.family_record is None:
        return known
    for what, wider in _measured_beside(tag.family_record.slug, tag.family_record.unit, piece):
        known[what].append(wider)
    return known


def _dimensions(piece: Piece) -> list[SideBySide]:
    return list(piece.dimensions.all())


def _measured_beside(family: str, unit: str, but: Piece) -> list[tuple[str, float]]:
    worked = Piece.objects.filter(
        tag__family_record__slug=family,
        tag__family_record__unit=unit,
        state=PieceState.FINISHED,
        proof__passed=True,
        trials__turns=Felt.FREE,
    )
    rows = SideBySide.objects.filter(piece__in=worked, old__isnull=False, new__isnull=False).exclude(piece=but)
    return list(rows.order_by("what").values_list("what", F("new") - F("old")))
