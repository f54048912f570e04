"""Caliper values as they are typed: a second on the same cut is a repeat, and nothing is ever lost."""

from __future__ import annotations

from dataclasses import dataclass

from django.db import transaction

from keycore.family import Track
from keycore.units import Unit
from wryfalcon.accounts.models import User
from wryfalcon.bench.actions.take_in import check_open
from wryfalcon.bench.models import CaliperReading, CaliperValue, Tag, WearGrade
from wryfalcon.bench.refusal import NotDone
from wryfalcon.lengths import Entry, NotALength, parse_length
from wryfalcon.records.actions import write_down
from wryfalcon.records.models import Event


@dataclass(frozen=True)
class Typed:
    """A value as it came from the keyboard, for a space in the family's own order."""

    track: str
    space: int
    text: str
    unit: Unit  # the unit the person works in


@transaction.atomic
def add_value(actor: User, tag: Tag, typed: Typed) -> Entry:
    """Write one value down. Raises NotDone with what to type instead."""
    check_open(tag)
    track = tag.family.track(typed.track)
    if not 1 <= typed.space <= len(track.spaces):
        raise NotDone(f"There is no cut {typed.space}, only 1 to {len(track.spaces)}.", "space")
    entry = understood(tag, track, typed)
    reading = reading_of(tag, typed.track)
    CaliperValue.objects.create(
        reading=reading, space=typed.space, value=entry.value, typed=typed.text.strip()[:24], by=actor
    )
    write_down(Event.MEASURED, actor, tag, track=typed.track, space=typed.space, typed=typed.text.strip()[:24])
    return entry


def understood(tag: Tag, track: Track, typed: Typed) -> Entry:
    """A typed length in the family's unit; NotDone where it is none, or cannot be a cut of this key."""
    family = tag.family
    try:
        entry = parse_length(typed.text, typed.unit, family.unit)
    except NotALength as error:
        raise NotDone(str(error), "typed") from None
    highest = max(*track.values, family.blank.height if family.blank else 0.0)
    lowest = min(track.values)
    if not lowest / 2 <= entry.value <= highest * 1.1:
        read = f"{entry.value:.3f} {family.unit}"
        raise NotDone(
            f"“{typed.text.strip()[:20]}” was read as {read}, which no cut of this key can be. "
            f"Its depths run from {track.values[0]:g} to {track.values[-1]:g} {family.unit}.",
            "typed",
        )
    return entry


def reading_of(tag: Tag, track: str) -> CaliperReading:
    """The caliper reading of a track, begun if there is none."""
    reading, _ = CaliperReading.objects.get_or_create(
        tag=tag, track=track, defaults={"counted_from": tag.family.numbered_from}
    )
    return reading


@transaction.atomic
def withdraw(actor: User, tag: Tag, track: str, value: int | None = None) -> CaliperValue:
    """Take a value back, the last one typed if none is named; it stays in the record, withdrawn."""
    check_open(tag)
    values = CaliperValue.objects.filter(reading__tag=tag, reading__track=track, withdrawn=False)
    found = values.filter(pk=value).first() if value else values.last()
    if found is None:
        raise NotDone("There is nothing to take back.")
    found.withdrawn = True
    found.save()
    write_down(Event.READING_WITHDRAWN, actor, tag, track=track, space=found.space, typed=found.typed)
    return found


@transaction.atomic
def describe_reading(actor: User, tag: Tag, track: str, counted_from: str, wear: str) -> None:
    """Say which end the cuts are counted from and how worn the key looks.

    Values already typed were counted from the old end, so changing it turns them round.
    """
    check_open(tag)
    reading = reading_of(tag, track)
    if counted_from not in ("bow", "tip") or wear not in WearGrade:
        raise NotDone("Choose the end the cuts are counted from, and how worn the key looks.")
    if counted_from != reading.counted_from:
        spaces = len(tag.family.track(track).spaces)
        for value in reading.values.all():
            value.space = spaces + 1 - value.space
            value.save()
    reading.counted_from, reading.wear = counted_from, wear
    reading.save()
    write_down(Event.CHANGED, actor, tag, track=track, counted_from=counted_from, wear=wear)
