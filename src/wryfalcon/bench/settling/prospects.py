"""What each choice of cuts means for this key in its locks, before a blank is spoiled."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import prod

from keycore.errors import InputError
from keycore.family import Family
from keycore.proving.lock import NEW_LOCK, Feel, LockShift, Making
from keycore.proving.prospect import ReadTrack, chance_of_key, shift_by_feel
from keycore.reading.evidence import Spread
from wryfalcon.bench.models import Felt, Intent, Lock, Tag
from wryfalcon.bench.reading.queries import TrackReading
from wryfalcon.bench.settling.actions import Choice, values_of
from wryfalcon.documents import parsed
from wryfalcon.kept import kept

FEELS: Mapping[str, Feel] = {Felt.FREE: Feel.FREE, Felt.RUBS: Feel.RUBS, Felt.SNAGS: Feel.SNAGS, Felt.STUCK: Feel.STUCK}
LOCK_WEAR_MM = Spread(-0.03, 0.05)
"""A lock worn with its key turns best a little low: common practice, no source."""
UNKNOWN_MAKING = Making(0.006, 0.008)
"""A machine not chosen yet: scatter of a cut and of a clamping, mm; common practice, no source."""
WORTH_SAYING = 0.99
COMPENSATE_SHARE = 0.5
"""Compensating takes half of the wear found unless the smith says otherwise; no source."""


@dataclass(frozen=True)
class IntentOption:
    """One of restore, copy and compensate for this key."""

    intent: Intent
    chance: float | None  # that it turns freely in its locks as they are thought to be, doubt about the bitting in it
    chance_new: float | None  # in a lock that has not worn, likewise
    if_right: float | None = None  # that it turns freely here, or in a new lock, where the bitting is right
    bitting: float | None = None  # the chance of the bitting; None where the smith judged it

    @property
    def turns(self) -> float | None:
        """The chance that is shown: here where something is known of the locks, else in a new one."""
        return self.chance if self.chance is not None else self.chance_new

    @property
    def is_in_doubt(self) -> bool:
        """Whether the doubt about the bitting makes a difference that is worth saying."""
        return self.bitting is not None and self.bitting < WORTH_SAYING


def making_of(tag: Tag) -> Making:
    """How far a key of this tag may come out, family unit: its machine's figures where chosen."""
    set_up = tag.set_up
    mm = Making(set_up.machine.sd_each, set_up.machine.sd_seat) if set_up else UNKNOWN_MAKING
    return Making(*(tag.family.depth.from_machine(sd) for sd in (mm.sd_each, mm.sd_common)))


def worst_turn(locks: Sequence[Lock]) -> Felt | None:
    """How the old key turns, in the lock that likes it least; None when it was never tried."""
    order = [Felt.STUCK, Felt.SNAGS, Felt.RUBS, Felt.FREE]
    tried = [Felt(lock.turns) for lock in locks if lock.turns]
    return min(tried, key=order.index) if tried else None


@dataclass(frozen=True)
class MadeBy:
    """How a key will be made: how far it may come out, and the path that cuts it."""

    making: Making
    style: str  # "" is the kind's usual one


def options_of(
    tag: Tag, readings: Sequence[TrackReading], locks: Sequence[Lock], deeper_by: float
) -> list[IntentOption]:
    """Restore, copy (where there is a key to copy) and compensate, each with the chance that it turns freely."""
    now = tuple(
        ReadTrack(
            reading.track.name,
            reading.steps,
            tuple(reading.as_is()),
            reading.measured.sd[0] if reading.measured else None,
            reading.posterior.bittings if reading.posterior and reading.chance is not None else ((reading.steps, 1.0),),
        )
        for reading in readings
        if reading.steps is not None
    )
    if len(now) < len(readings) or tag.family_record is None:
        return []
    path = tag.set_up.style if tag.set_up else ""
    return _options(tag.family_record.document, now, worst_turn(locks), deeper_by, MadeBy(making_of(tag), path))


def choice_of(readings: Sequence[TrackReading], intent: str, deeper_by: float) -> Choice:
    """The plain choice of an intent, nothing overruled beyond what the reading holds."""
    return Choice(
        bitting={reading.track.name: reading.labels for reading in readings},
        intent=intent,
        as_measured={reading.track.name: reading.as_is() for reading in readings},
        deeper_by=deeper_by,
    )


@kept(256)
def _options(
    document: str, now: tuple[ReadTrack, ...], felt: Felt | None, deeper_by: float, by: MadeBy
) -> list[IntentOption]:
    """The same key in the same lock turns the same every time a page is looked at."""
    family = parsed(document)
    try:
        prior = Spread(*(family.depth.from_machine(x) for x in (LOCK_WEAR_MM.mean, LOCK_WEAR_MM.sd)))
        shift = shift_by_feel(family, now[0], FEELS[felt] if felt else None, prior)
    except InputError:
        shift = NEW_LOCK
    intents = [intent for intent in Intent if intent != Intent.COPY or all(track.sd is not None for track in now)]
    return [_option(family, now, intent, deeper_by, by=by, shift=shift) for intent in intents]


def _option(
    family: Family, now: Sequence[ReadTrack], intent: Intent, deeper_by: float, *, by: MadeBy, shift: LockShift
) -> IntentOption:
    labels = {track.name: [family.track(track.name).labels[step] for step in track.steps] for track in now}
    as_measured = {track.name: track.as_is for track in now}
    values = values_of(family, Choice(labels, intent=intent, as_measured=as_measured, deeper_by=deeper_by))
    try:
        new = chance_of_key(family, now, values, by.making, style=by.style)
        here = new if shift is NEW_LOCK else chance_of_key(family, now, values, by.making, shift, style=by.style)
    except InputError:
        return IntentOption(intent, None, None)
    bitting = None if all(track.is_judged for track in now) else prod(track.bittings[0][1] for track in now)
    return IntentOption(intent, None if shift is NEW_LOCK else here.chance, new.chance, here.if_right, bitting)
