"""Beginning a source, describing it, turning it round, switching it off and on, taking it away."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from keycore.errors import InputError
from keycore.family import End, Family, Track
from keycore.kind import Surface
from keycore.units import Unit
from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.bench.models import Source, SourceKind, Tag, WearGrade
from wryfalcon.bench.tags.actions import check_read
from wryfalcon.lengths import NotALength, parse_length
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.machines.hands.queries import studied_sd_mm
from wryfalcon.refusal import NotDone


@dataclass(frozen=True)
class SourceSettings:
    """How a source is read, as it came from the form; what is None stays as it is."""

    counted_from: str | None = None
    wear: str | None = None
    name: str | None = None
    plug: str | None = None
    other_key: bool | None = None
    odd_first: bool | None = None
    of_lock: str | None = None
    aid: str | None = None  # what the cuts are measured over, "" for nothing
    aid_size: str | None = None


@action
def add_source(actor: User, tag: Tag, track: str, kind: str, name: str = "") -> Source:
    """Begin a source. Raises NotDone for a kind or track that there is not."""
    check_read(tag)
    if kind not in dict(SourceKind.offered(tag.family)) or track not in [t.name for t in tag.family.tracks]:
        raise NotDone("Choose what is read, and of which edge.")
    source = Source.objects.create(
        tag=tag,
        track=track,
        kind=kind,
        name=name.strip()[:40],
        counted_from=_usual_end(tag, kind),
        caliper_sd=studied_sd_mm(),
        of_lock=_usual_lock(tag, kind),
        odd_first=kind == SourceKind.GRID and tag.family.kind.surface == Surface.GROOVE,
    )
    write_down(Event.SOURCE_ADDED, actor, tag, track=track, source=source.pk)
    return source


@action
def calipers_of(tag: Tag, track: str) -> Source:
    """The first calipers of a track, begun if there are none. Raises NotDone for a track that there is not."""
    if track not in [each.name for each in tag.family.tracks]:
        raise NotDone("Choose what is read, and of which edge.")
    found = tag.sources.filter(track=track, kind=SourceKind.CALIPERS, removed=False).first()
    return found or Source.objects.create(
        tag=tag, track=track, counted_from=tag.family.numbered_from, caliper_sd=studied_sd_mm()
    )


def _usual_end(tag: Tag, kind: str) -> str:
    """A lock is looked at from its face, so what is seen of it is counted from the bow's end."""
    in_the_lock = kind in {SourceKind.DEPTH_KEYS, SourceKind.PARTS, SourceKind.PINS, SourceKind.GRID}
    return End.BOW if in_the_lock else tag.family.numbered_from


@action
def describe_source(actor: User, tag: Tag, source: Source, manner: SourceSettings, unit: Unit = Unit.INCH) -> None:
    """Say which end it was counted from, how worn the key looks, and what else its kind asks.

    What was already seen was counted from the old end, so changing it turns the sightings round.
    """
    check_read(tag)
    if manner.counted_from not in (None, "bow", "tip") or manner.wear not in (None, *WearGrade.values):
        raise NotDone("Choose the end the cuts are counted from, and how worn the key looks.")
    why = tag.family.kind.why_not_turned(tag.family.track(source.track))
    if why and manner.counted_from not in (None, source.counted_from, tag.family.numbered_from):
        raise NotDone(f"It cannot be turned round: {why}.")
    if manner.counted_from and manner.counted_from != source.counted_from:
        _turn(tag, source)
        source.counted_from = manner.counted_from
    source.wear = manner.wear or source.wear
    source.name = source.name if manner.name is None else manner.name.strip()[:40]
    if manner.plug is not None:
        source.plug = _plug(tag, manner.plug, unit)
    source.other_key = source.other_key if manner.other_key is None else manner.other_key
    if manner.aid is not None:
        _set_aid(tag, source, manner, unit)
    source.odd_first = source.odd_first if manner.odd_first is None else manner.odd_first
    if manner.of_lock is not None:
        _set_lock(tag, source, manner.of_lock)
    source.save()
    write_down(
        Event.SOURCE_CHANGED, actor, tag, track=source.track, source=source.pk,
        counted_from=source.counted_from, wear=source.wear,
    )  # fmt: skip


def _usual_lock(tag: Tag, kind: str) -> str:
    """The lock that it is read in, where the tag names one alone of those the family knows."""
    if not SourceKind(kind).is_of_one_lock:
        return ""
    named = [lock.name for lock in tag.locks.all() if lock.name in tag.family.positions]
    return named[0] if len(named) == 1 else ""


def _set_lock(tag: Tag, source: Source, lock: str) -> None:
    """Which lock it is read in. NotDone for one the family does not know, or that lacks a cut that was read already."""
    if lock and lock not in tag.family.positions:
        raise NotDone("The family knows no such lock.", "of_lock")
    has = tag.family.positions.get(lock, {}).get(source.track, ()) if lock else None
    seen = {sighting.space for sighting in source.sightings.filter(withdrawn=False) if sighting.labels}
    if has is not None and (lacking := sorted(seen - set(has))):
        raise NotDone(f"Cut {lacking[0]} was read in it, which that lock does not have: take it back first.", "of_lock")
    source.of_lock = lock


def _set_aid(tag: Tag, source: Source, manner: SourceSettings, unit: Unit) -> None:
    """What the cuts are measured over, its size if it is known yet. NotDone once values were typed as it was."""
    tracks = [tag.family.track(source.track)]
    wanted = aid_typed(tag.family, tracks, manner.aid or "", manner.aid_size or "", unit)
    if wanted == (source.aid, source.aid_size):
        return
    if source.sightings.filter(withdrawn=False).exists():
        raise NotDone("Its values were measured as it says: begin another source to measure otherwise.", "aid")
    source.aid, source.aid_size = wanted


def aid_typed(
    family: Family, tracks: Sequence[Track], chosen: str, size_typed: str, unit: Unit
) -> tuple[str, float | None]:
    """What cuts of these tracks are measured over, and its size if it is known yet. NotDone for no size of such."""
    aid = next((each for each in family.kind.aids if each.id == chosen), None)
    if aid is None or not size_typed.strip():
        return (aid.id if aid is not None else "", None)
    try:
        size = parse_length(size_typed, unit, family.unit).value
        for track in tracks:
            aid.line(family, track, size)
    except NotALength as error:
        raise NotDone(str(error), "aid_size") from None
    except InputError as error:
        raise NotDone(f"{error.reason[0].upper()}{error.reason[1:]}.", "aid") from None
    if size <= 0:
        raise NotDone(f"{aid.asks} is more than nothing.", "aid_size")
    return aid.id, size


def _turn(tag: Tag, source: Source) -> None:
    spaces = len(tag.family.track(source.track).spaces)
    for sighting in source.sightings.all():
        sighting.space = spaces + 1 - sighting.space
        if sighting.beside is not None:
            sighting.beside = spaces + 1 - sighting.beside
        sighting.save()


def _plug(tag: Tag, text: str, unit: Unit) -> float | None:
    if not text.strip():
        return None
    try:
        plug = parse_length(text, unit, tag.family.unit).value
    except NotALength as error:
        raise NotDone(str(error), "plug") from None
    if plug <= max(tag.family.tracks[0].values):
        raise NotDone("The plug's figure is root height and pin length together, so more than any depth.", "plug")
    return plug


@action
def turn_source(actor: User, tag: Tag, source: Source) -> None:
    """It was counted from the other end."""
    other = "tip" if source.counted_from == "bow" else "bow"
    describe_source(actor, tag, source, SourceSettings(counted_from=other))


@action
def switch_source(actor: User, tag: Tag, source: Source) -> None:
    """Leave a source out of the reading, or let it count again; what it saw stays."""
    check_read(tag)
    source.is_on = not source.is_on
    source.save()
    write_down(Event.SOURCE_CHANGED, actor, tag, track=source.track, source=source.pk, counts=source.is_on)


@action
def remove_source(actor: User, tag: Tag, source: Source) -> None:
    """Take a source away; it stays in the record."""
    check_read(tag)
    source.removed = True
    source.save()
    write_down(Event.SOURCE_CHANGED, actor, tag, track=source.track, source=source.pk, removed=True)
