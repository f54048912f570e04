"""A bitting that is simply known: from a card, a customer, a record; a source like any other, settled at once."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from keycore.codes.card import read_card, usual_card
from keycore.errors import InputError
from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.bench.models import Intent, Source, SourceKind, Tag
from wryfalcon.bench.reading.actions import state_labels
from wryfalcon.bench.reading.queries import TrackReading, readings_of
from wryfalcon.bench.reading.source_actions import add_source
from wryfalcon.bench.settling.actions import settle
from wryfalcon.bench.settling.prospects import choice_of
from wryfalcon.bench.tags.actions import check_read
from wryfalcon.library.models import CardRule
from wryfalcon.refusal import NotDone

SURE_ENOUGH = 0.99


@action
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


@action
def state_card(actor: User, tag: Tag, code: str, printed: str, who: str) -> bool:
    """What a card spells, laid out to every row of the key; answers whether the tag is settled by it.

    The rule it is printed by is kept for the next card of the family. Raises NotDone for a code that cannot be so, and
    as ``state_known`` does.
    """
    check_read(tag)
    try:
        rows = read_card(tag.family, code, printed.strip())
    except InputError as error:
        raise NotDone(f"{error.reason[0].upper()}{error.reason[1:]}.", "card") from None
    settled = False
    for track in tag.family.tracks:
        labels = rows[track.name]
        source = _card_source(actor, tag, track.name, who)
        stated = {space: [label] for space, label in enumerate(labels, start=1)}
        settled = state_known(actor, tag, source, stated, who)
    assert tag.family_record is not None
    rule = printed.strip() or usual_card(tag.family)
    CardRule.objects.update_or_create(slug=tag.family_record.slug, defaults={"printed": rule})
    return settled


def _card_source(actor: User, tag: Tag, track: str, who: str) -> Source:
    """What is known of a track by the same word, begun where there is nothing of it yet."""
    known = tag.sources.filter(track=track, kind=SourceKind.KNOWN, removed=False)
    found = known.filter(name=who.strip()[:40]).first() or known.filter(sightings=None).first()
    return found or add_source(actor, tag, track, SourceKind.KNOWN, who)


def _is_plain(reading: TrackReading) -> bool:
    """Whether a track is known by what was said alone, every cut of it."""
    by_word = all(each.record.kind == SourceKind.KNOWN for each in reading.weighed)
    return by_word and not reading.unread and not reading.overruled and (reading.chance or 0.0) >= SURE_ENOUGH
