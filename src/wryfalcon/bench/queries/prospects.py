"""What each choice of cuts means for this key in its locks, before a blank is spoiled."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import product
from math import prod

from keycore.errors import InputError
from keycore.family import Family
from keycore.proving.lock import NEW_LOCK, Feel, LockShift, Making, chance_of_turning, lock_shift, play_of
from keycore.proving.prospect import deviations_of, places_along, usually_along
from keycore.reading.evidence import Spread
from wryfalcon.bench.actions.settle import Choice, values_of
from wryfalcon.bench.models import Felt, Intent, Lock, Tag
from wryfalcon.bench.queries.reading import TrackReading
from wryfalcon.documents import parsed
from wryfalcon.kept import kept

FEELS = {Felt.FREE: Feel.FREE, Felt.RUBS: Feel.RUBS, Felt.SNAGS: Feel.SNAGS, Felt.STUCK: Feel.STUCK}
LOCK_WEAR_MM = Spread(-0.03, 0.05)
"""A lock worn with its key turns best a little low: common practice, no source."""
UNKNOWN_MAKING = Making(0.006, 0.008)
"""A machine not chosen yet: scatter of a cut and of a clamping, mm; common practice, no source."""
WORTH_SAYING = 0.99
LEAST = 1e-4
"""Bittings of several tracks less likely together than this are taken as not turning, as are those not listed."""
COMPENSATE_SHARE = 0.5
"""Compensating takes half of the wear found unless the smith says otherwise; no source."""


@dataclass(frozen=True)
class Option:
    """One of restore, copy and compensate for this key."""

    intent: Intent
    says: str
    chance: (
        float | None
    )  # that it turns freely in its locks as they are thought to be, the doubt about the bitting in it
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
class Way:
    """How a key will be made: how far it may come out, and the path that cuts it."""

    making: Making
    style: str  # "" is the kind's usual one


@dataclass(frozen=True)
class TrackNow:
    """What is known of one track of the old key, as plain values."""

    name: str
    steps: tuple[int, ...]
    as_is: tuple[float | None, ...]
    sd: float | None  # of one measured cut; None where the old key was not measured
    bittings: tuple[tuple[tuple[int, ...], float], ...]  # the likeliest, with their chances; one where it was judged


def options_of(tag: Tag, readings: Sequence[TrackReading], locks: Sequence[Lock], deeper_by: float) -> list[Option]:
    """Restore, copy (where there is a key to copy) and compensate, each with the chance that it turns freely."""
    now = tuple(
        TrackNow(
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
    return _options(tag.family_record.document, now, worst_turn(locks), deeper_by, Way(making_of(tag), path))


def choice_of(readings: Sequence[TrackReading], intent: str, deeper_by: float) -> Choice:
    """The plain choice of an intent, nothing overruled beyond what the reading holds."""
    return Choice(
        bitting={reading.track.name: reading.labels for reading in readings},
        intent=intent,
        as_measured={reading.track.name: reading.as_is() for reading in readings},
        deeper_by=deeper_by,
    )


@kept(256)
def _options(document: str, now: tuple[TrackNow, ...], felt: Felt | None, deeper_by: float, way: Way) -> list[Option]:
    """The same key in the same lock turns the same every time a page is looked at."""
    family = parsed(document)
    try:
        shift = _shift(family, now[0], felt)
    except InputError:
        shift = NEW_LOCK
    intents = [intent for intent in Intent if intent != Intent.COPY or all(track.sd is not None for track in now)]
    return [_option(family, now, intent, deeper_by, way=way, shift=shift) for intent in intents]


def _shift(family: Family, now: TrackNow, felt: Felt | None) -> LockShift:
    """What the old key's own cuts and how it turns say about the wear of its lock."""
    if felt is None or now.sd is None:
        return NEW_LOCK
    track = family.track(now.name)
    cuts = [track.values[s] if value is None else value for s, value in zip(now.steps, now.as_is, strict=True)]
    prior = Spread(*(family.depth.from_machine(x) for x in (LOCK_WEAR_MM.mean, LOCK_WEAR_MM.sd)))
    away = deviations_of(family, track, now.steps, cuts)
    return lock_shift(away, Making(now.sd, 0.0), play_of(family), FEELS[felt], prior)


def _option(
    family: Family, now: Sequence[TrackNow], intent: Intent, deeper_by: float, *, way: Way, shift: LockShift
) -> Option:
    labels = {track.name: [family.track(track.name).labels[step] for step in track.steps] for track in now}
    as_measured = {track.name: track.as_is for track in now}
    values = values_of(family, Choice(labels, intent=intent, as_measured=as_measured, deeper_by=deeper_by))
    try:
        new = _chance(family, now, values, way, NEW_LOCK)
        whole, if_right = new if shift is NEW_LOCK else _chance(family, now, values, way, shift)
    except InputError:
        return Option(intent, SAYS[intent], None, None)
    judged = all(track.bittings == ((track.steps, 1.0),) for track in now)
    bitting = None if judged else prod(track.bittings[0][1] for track in now)
    here = whole if shift is not NEW_LOCK else None
    return Option(intent, SAYS[intent], here, new[0], if_right, bitting)


SAYS = {
    Intent.RESTORE: "Factory depths: the usual advice. May feel tight where the lock wore with the key.",
    Intent.COPY: "As the key is now, wear and all. Every further copy drifts a little more.",
    Intent.COMPENSATE: "Factory depths, all a little deeper for this worn lock. The machine stays true.",
}


def _chance(
    family: Family, now: Sequence[TrackNow], values: Mapping[str, Sequence[float]], way: Way, lock: LockShift
) -> tuple[float, float]:
    """The chance that the key turns freely, and the same were the settled bitting certain.

    Over what the lock may really want: each bitting's chance times that a key of these values turns in
    a lock of that bitting; the tumblers of every track together, in one and the same lock, and all cuts
    as far along the blade as they may sit.
    """
    whole, first = 0.0, 0.0
    for along, weight in places_along(usually_along(family)):
        turns, if_right = _chance_there(family, now, values, way, lock, along)
        whole, first = whole + weight * turns, first + weight * if_right
    return whole, first


def _chance_there(
    family: Family,
    now: Sequence[TrackNow],
    values: Mapping[str, Sequence[float]],
    way: Way,
    lock: LockShift,
    along: float,
) -> tuple[float, float]:
    """The same with all cuts so far along the blade from where they should be."""
    away = [
        [
            (deviations_of(family, family.track(track.name), steps, values[track.name], along, way.style), chance)
            for steps, chance in track.bittings
        ]
        for track in now
    ]
    whole, first = 0.0, 0.0
    for place, together in enumerate(product(*away)):
        likely = prod(chance for _, chance in together)
        if place and likely < LEAST:
            continue
        each = [deviation for deviations, _ in together for deviation in deviations]
        turns = chance_of_turning(each, way.making, play_of(family), lock)
        whole += likely * turns
        first = turns if place == 0 else first
    return whole, first
