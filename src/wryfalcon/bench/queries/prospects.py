"""What each choice of cuts means for this key in its locks, before a blank is spoiled."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

from keycore.errors import InputError
from keycore.family import Family
from keycore.proving.lock import NEW_LOCK, Feel, LockShift, Making, chance_of_turning, lock_shift, play_of
from keycore.proving.prospect import deviations_of
from keycore.reading.evidence import Spread
from keycore.units import Unit, convert
from wryfalcon.bench.actions.settle import Choice, values_of
from wryfalcon.bench.models import Felt, Intent, Lock, Tag
from wryfalcon.bench.queries.reading import TrackReading
from wryfalcon.documents import parsed

FEELS = {Felt.FREE: Feel.FREE, Felt.RUBS: Feel.RUBS, Felt.SNAGS: Feel.SNAGS, Felt.STUCK: Feel.STUCK}
LOCK_WEAR_MM = Spread(-0.03, 0.05)
"""A lock worn with its key turns best a little low: common practice, no source."""
UNKNOWN_MAKING = Making(0.006, 0.008)
"""A machine not chosen yet: scatter of a cut and of a clamping, mm; common practice, no source."""
COMPENSATE_SHARE = 0.5
"""Compensating takes half of the wear found unless the smith says otherwise; no source."""


@dataclass(frozen=True)
class Option:
    """One of restore, copy and compensate for this key."""

    intent: Intent
    says: str
    chance: float | None  # that it turns freely in its locks as they are thought to be
    chance_new: float | None  # in a lock that has not worn


def making_of(tag: Tag) -> Making:
    """How far a key of this tag may come out, family unit: its machine's figures where chosen."""
    set_up = tag.set_up
    mm = Making(set_up.machine.sd_each, set_up.machine.sd_seat) if set_up else UNKNOWN_MAKING
    return Making(*(convert(sd, Unit.MILLIMETRE, tag.family.unit) for sd in (mm.sd_each, mm.sd_common)))


def worst_turn(locks: Sequence[Lock]) -> Felt | None:
    """How the old key turns, in the lock that likes it least; None when it was never tried."""
    order = [Felt.STUCK, Felt.SNAGS, Felt.RUBS, Felt.FREE]
    tried = [Felt(lock.turns) for lock in locks if lock.turns]
    return min(tried, key=order.index) if tried else None


@dataclass(frozen=True)
class TrackNow:
    """What is known of one track of the old key, as plain values."""

    name: str
    steps: tuple[int, ...]
    as_is: tuple[float | None, ...]
    sd: float | None  # of one measured cut; None where the old key was not measured


def options_of(tag: Tag, readings: Sequence[TrackReading], locks: Sequence[Lock], deeper_by: float) -> list[Option]:
    """Restore, copy (where there is a key to copy) and compensate, each with the chance that it turns freely."""
    now = tuple(
        TrackNow(
            reading.track.name,
            reading.steps,
            tuple(reading.as_is()),
            reading.measured.sd[0] if reading.measured else None,
        )
        for reading in readings
        if reading.steps is not None
    )
    if len(now) < len(readings) or tag.family_record is None:
        return []
    return _options(tag.family_record.document, now, worst_turn(locks), deeper_by, making_of(tag))


def choice_of(readings: Sequence[TrackReading], intent: str, deeper_by: float) -> Choice:
    """The plain choice of an intent, nothing overruled beyond what the reading holds."""
    return Choice(
        bitting={reading.track.name: reading.labels for reading in readings},
        intent=intent,
        as_measured={reading.track.name: reading.as_is() for reading in readings},
        deeper_by=deeper_by,
    )


@lru_cache(maxsize=256)
def _options(
    document: str, now: tuple[TrackNow, ...], felt: Felt | None, deeper_by: float, making: Making
) -> list[Option]:
    """The same key in the same lock turns the same every time a page is looked at."""
    family = parsed(document)
    try:
        shift = _shift(family, now[0], felt)
    except InputError:
        shift = NEW_LOCK
    intents = [intent for intent in Intent if intent != Intent.COPY or all(track.sd is not None for track in now)]
    return [_option(family, now, intent, deeper_by, making=making, shift=shift) for intent in intents]


def _shift(family: Family, now: TrackNow, felt: Felt | None) -> LockShift:
    """What the old key's own cuts and how it turns say about the wear of its lock."""
    if felt is None or now.sd is None:
        return NEW_LOCK
    track = family.track(now.name)
    cuts = [track.values[s] if value is None else value for s, value in zip(now.steps, now.as_is, strict=True)]
    prior = Spread(*(convert(x, Unit.MILLIMETRE, family.unit) for x in (LOCK_WEAR_MM.mean, LOCK_WEAR_MM.sd)))
    away = deviations_of(family, track, now.steps, cuts)
    return lock_shift(away, Making(now.sd, 0.0), play_of(family), FEELS[felt], prior)


def _option(
    family: Family, now: Sequence[TrackNow], intent: Intent, deeper_by: float, *, making: Making, shift: LockShift
) -> Option:
    labels = {track.name: [family.track(track.name).labels[step] for step in track.steps] for track in now}
    as_measured = {track.name: track.as_is for track in now}
    values = values_of(family, Choice(labels, intent=intent, as_measured=as_measured, deeper_by=deeper_by))
    try:
        here, true = (_chance(family, now, values, making, lock) for lock in (shift, NEW_LOCK))
    except InputError:
        return Option(intent, SAYS[intent], None, None)
    return Option(intent, SAYS[intent], here if shift is not NEW_LOCK else None, true)


SAYS = {
    Intent.RESTORE: "Factory depths: the usual advice. May feel tight where the lock wore with the key.",
    Intent.COPY: "As the key is now, wear and all. Every further copy drifts a little more.",
    Intent.COMPENSATE: "Factory depths, all a little deeper for this worn lock. The machine stays true.",
}


def _chance(
    family: Family, now: Sequence[TrackNow], values: Mapping[str, Sequence[float]], making: Making, lock: LockShift
) -> float:
    """The chance that the key turns freely: the tumblers of every track together, in one and the same lock."""
    away = [
        deviation
        for track in now
        for deviation in deviations_of(family, family.track(track.name), track.steps, values[track.name])
    ]
    return chance_of_turning(away, making, play_of(family), lock)
