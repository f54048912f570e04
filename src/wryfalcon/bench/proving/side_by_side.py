"""A new key beside the old one: its dimensions, and what is looked at by eye."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from math import isfinite

from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.bench.models import Dimension, Piece, SideBySide, Tag
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
