"""What each choice of cuts means for this key in its locks, before a blank is spoiled."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from keycore.errors import InputError
from keycore.proving.lock import NEW_LOCK, Feel, LockShift, Making, lock_shift, play_of
from keycore.proving.prospect import Prospect, deviations_of, prospect
from keycore.reading.evidence import Spread
from keycore.units import Unit, convert
from wryfalcon.bench.actions.settle import Choice, values_of
from wryfalcon.bench.models import Felt, Intent, Lock, Tag
from wryfalcon.bench.queries.reading import TrackReading

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
    prospects: Mapping[str, Prospect]


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


def shift_of(tag: Tag, readings: Sequence[TrackReading], locks: Sequence[Lock]) -> LockShift:
    """What the old key's own cuts and how it turns say about the wear of its locks."""
    felt, first = worst_turn(locks), readings[0]
    if felt is None or first.steps is None or first.measured is None:
        return NEW_LOCK
    now = [
        first.track.values[step] if value is None else value
        for step, value in zip(first.steps, first.as_is(), strict=True)
    ]
    unit = tag.family.unit
    prior = Spread(*(convert(x, Unit.MILLIMETRE, unit) for x in (LOCK_WEAR_MM.mean, LOCK_WEAR_MM.sd)))
    known = Making(first.measured.sd[0], 0.0)
    away = deviations_of(tag.family, first.track, first.steps, now)
    return lock_shift(away, known, play_of(tag.family), FEELS[felt], prior)


def options_of(tag: Tag, readings: Sequence[TrackReading], locks: Sequence[Lock], deeper_by: float) -> list[Option]:
    """Restore, copy and compensate, each with the chance that the key turns freely."""
    if any(reading.steps is None for reading in readings):
        return []
    try:
        shift = shift_of(tag, readings, locks)
    except InputError:
        shift = NEW_LOCK
    return [_option(tag, readings, intent, deeper_by, shift) for intent in Intent]


def choice_of(readings: Sequence[TrackReading], intent: str, deeper_by: float) -> Choice:
    """The plain choice of an intent, nothing overruled beyond what the reading holds."""
    return Choice(
        bitting={reading.track.name: reading.labels for reading in readings},
        intent=intent,
        as_measured={reading.track.name: reading.as_is() for reading in readings},
        deeper_by=deeper_by,
    )


def _option(tag: Tag, readings: Sequence[TrackReading], intent: Intent, deeper_by: float, shift: LockShift) -> Option:
    making = making_of(tag)
    values = values_of(tag.family, choice_of(readings, intent, deeper_by))
    try:
        by_lock = [(_prospects(tag, readings, values, making, lock)) for lock in (shift, NEW_LOCK)]
    except InputError:
        return Option(intent, SAYS[intent], None, None, {})
    chances = [_all(prospects) for prospects in by_lock]
    known = shift is not NEW_LOCK
    return Option(intent, SAYS[intent], chances[0] if known else None, chances[1], by_lock[0])


SAYS = {
    Intent.RESTORE: "Factory depths: the usual advice. May feel tight where the lock wore with the key.",
    Intent.COPY: "As the key is now, wear and all. Every further copy drifts a little more.",
    Intent.COMPENSATE: "Factory depths, all a little deeper for this worn lock. The machine stays true.",
}


def _prospects(
    tag: Tag, readings: Sequence[TrackReading], values: Mapping[str, Sequence[float]], making: Making, lock: LockShift
) -> dict[str, Prospect]:
    return {
        reading.track.name: prospect(
            tag.family, reading.track, reading.steps or (), values[reading.track.name], making, lock
        )
        for reading in readings
    }


def _all(prospects: Mapping[str, Prospect]) -> float:
    chance = 1.0
    for found in prospects.values():
        chance *= found.chance
    return chance
