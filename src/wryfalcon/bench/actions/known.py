"""A bitting that is simply known: from a card, a customer, a record; a source like any other, settled at once."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from django.db import transaction

from wryfalcon.accounts.models import User
from wryfalcon.bench.actions.read import state_labels
from wryfalcon.bench.actions.settle import settle
from wryfalcon.bench.models import Intent, Source, SourceKind, Tag
from wryfalcon.bench.queries.prospects import choice_of
from wryfalcon.bench.queries.reading import TrackReading, readings_of
from wryfalcon.refusal import NotDone

SURE_ENOUGH = 0.99


@transaction.atomic
def state_known(actor: User, tag: Tag, source: Source, stated: Mapping[int, Sequence[str]], who: str) -> bool:
    """What somebody says that a key is; answers whether it is settled by it.

    It is settled, restored to its factory depths, where nothing else was seen and every cut is known; a source that
    was there before may contradict it, and then it is weighed as any other. Raises NotDone without who said so, and
    for a space or label that the family does not have.
    """
    if not who.strip():
        raise NotDone("Say who said so: a card, the customer, a record.", "labels")
    source.name = who.strip()[:40]
    source.save()
    state_labels(actor, tag, source, stated)
    readings = readings_of(tag)
    if tag.settlements.exists() or not all(_is_plain(reading) for reading in readings):
        return False
    settle(actor, tag, choice_of(readings, Intent.RESTORE, 0.0))
    return True


def _is_plain(reading: TrackReading) -> bool:
    """Whether a track is known by what was said alone, every cut of it."""
    by_word = all(each.record.kind == SourceKind.KNOWN for each in reading.weighed)
    return by_word and not reading.unread and not reading.overruled and (reading.chance or 0.0) >= SURE_ENOUGH
