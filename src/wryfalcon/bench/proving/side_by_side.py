"""Old key and new side by side: their dimensions, against what keys that worked had, and what is looked at by eye."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import isfinite

from django.db.models import F

from keycore.proving.limits import Learned, learned_limits
from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.bench.models import Dimension, Felt, Piece, PieceState, SideBySide, Tag
from wryfalcon.bench.proving.actions import check_finished
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.refusal import NotDone

FINISH = {"corners": "corners broken", "bevel": "bevel as the old one's", "burrs": "no burrs"}
"""What is looked at by eye on any key."""
LONGEST_MM = 300.0
Pair = tuple[float | None, float | None]


def finish_of(tag: Tag) -> Mapping[str, str]:
    """What is looked at by eye on the keys of a tag, in words by what is kept of it."""
    return FINISH if tag.family_record is None else {**FINISH, **tag.family.kind.finishing}


@action
def keep_side_by_side(
    actor: User, tag: Tag, piece: Piece, dimensions: Mapping[str, Pair], finish: Sequence[str]
) -> None:
    """Keep old and new of each dimension, mm, in the place of what was kept before; None for what was not measured.

    Raises NotDone for a size that no key has, or a look that is none.
    """
    check_finished(tag, piece)
    if set(dimensions) - set(Dimension.values) or set(finish) - set(finish_of(tag)):
        raise NotDone("There is no such thing to look at.")
    for what, sizes in dimensions.items():
        for size in sizes:
            if size is not None and not (isfinite(size) and 0 < size <= LONGEST_MM):
                raise NotDone(f"{Dimension(what).label}: no key measures that.", what)
    piece.dimensions.all().delete()
    SideBySide.objects.bulk_create(
        SideBySide(piece=piece, what=what, old=old, new=new, by=actor)
        for what, (old, new) in dimensions.items()
        if old is not None or new is not None
    )
    piece.finish = [look for look in finish_of(tag) if look in finish]
    piece.save(update_fields=["finish"])
    write_down(Event.PROVED, actor, tag, piece=piece.called, job=piece.job, looked_at=[*dimensions, *piece.finish])


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
