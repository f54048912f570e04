"""A pattern read briefly before it is copied: what to measure of it, and what that says."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from keycore.errors import InputError
from keycore.family import Family
from keycore.proving.brief import (
    BriefAdvice,
    BriefLook,
    BrieflyMeasured,
    LockOfPattern,
    MadeEither,
    WearKnown,
    along_of,
    best_look,
    blade_says,
    chances_of,
    wear_after,
    wear_before,
)
from keycore.proving.lock import Feel, Making
from keycore.reading.evidence import Spread
from keycore.reading.wear import WearGrade
from wryfalcon.bench.models import MadeHow, OnBench, Tag
from wryfalcon.bench.reading.queries import TrackReading, readings_of
from wryfalcon.bench.settling.prospects import FEELS, LOCK_WEAR_MM, UNKNOWN_MAKING, worst_turn
from wryfalcon.documents import parsed
from wryfalcon.kept import kept
from wryfalcon.machines.hands.queries import caliper_sd_mm
from wryfalcon.machines.models import Machine

TRACED = Making(0.012, 0.018)
"""A duplicator whose own figures are not known: scatter of a cut and of a clamping, mm; common practice, no source."""
FEWEST = 3


@dataclass(frozen=True)
class Brief:
    """What to measure of a pattern, what was measured, and what it says; None where it cannot be said."""

    look: BriefLook
    grade: str
    generation: int | None
    values: tuple[float | None, ...]  # of the cuts asked for, as far as they were measured
    blade_mm: float | None
    advice: BriefAdvice | None  # None until something is measured
    unmeasured: BriefAdvice  # by the look of it alone
    gone: Spread | None  # of all its cuts, on average, family unit


@dataclass(frozen=True)
class BriefAsked:
    """All that a brief look depends on."""

    document: str
    grade: WearGrade
    generation: int  # of the pattern, 0 cut by its depths or not known
    traced: Making  # family unit
    felt: Feel | None
    sd: float  # of measuring a cut, family unit on one edge


def can_be_brief(tag: Tag) -> bool:
    """Whether a pattern of this tag can be read briefly: its family says when a key turns, and is read by depths."""
    if tag.family_record_id is None:
        return False
    family = tag.family
    has_play = family.play is not None or family.tolerance is not None
    return len(family.tracks[0].spaces) >= FEWEST and has_play and family.depth.is_length and family.space.is_length


def brief_of(tag: Tag, machine: Machine | None) -> Brief | None:
    """What a brief look at this tag's pattern asks and says; None for a family that it cannot be asked of."""
    if not can_be_brief(tag) or tag.family_record is None:
        return None
    family, readings = tag.family, readings_of(tag)
    reading = readings[0]
    felt = worst_turn(list(tag.locks.all()))
    making = Making(machine.sd_each, machine.sd_seat) if machine is not None else TRACED
    asked = BriefAsked(
        tag.family_record.document,
        _grade(tag, reading),
        generation_of(tag) or 0,
        Making(*(family.depth.from_machine(sd) for sd in (making.sd_each, making.sd_common))),
        FEELS.get(felt) if felt else Feel.FREE,  # a key that looks good and is used turns, as far as anybody said
        family.depth.from_machine(caliper_sd_mm()) * family.share_per_edge,
    )
    try:
        look = _look(asked)
        unmeasured = _advice(asked, None, None)
    except InputError:
        return None
    seen = _seen(family, readings, asked.sd)
    known = _wear_known(family, readings, _before(family, asked), seen)
    if tag.blade_lost_mm is not None and tag.blade_lost_at is not None:
        gone, blade_sd = blade_says(family, family.depth.from_machine(tag.blade_lost_mm), asked.sd)
        known = wear_after(known or _before(family, asked), [], [], asked.sd, (tag.blade_lost_at, gone, blade_sd))
    return Brief(
        look=look,
        grade=asked.grade,
        generation=generation_of(tag),
        values=tuple(reading.as_is()[cut - 1] for cut in look.cuts),
        blade_mm=tag.blade_lost_mm,
        advice=_advice(asked, known, seen) if known is not None else None,
        unmeasured=unmeasured,
        gone=_average(family, known) if known is not None else None,
    )


def generation_of(tag: Tag) -> int | None:
    """How many copies lie between the key in hand and one cut by its depths; None where nobody knows.

    As it was said; else of a key that we made ourselves, as it was made.
    """
    if tag.generation is not None or tag.made_by is None:
        return tag.generation
    if tag.made_by.made_how != MadeHow.TRACED:
        return None if tag.made_by.made_how == MadeHow.BOUGHT else 0
    pattern = tag.brought_back_from.generation if tag.brought_back_from is not None else None
    return None if pattern is None else pattern + 1


def _grade(tag: Tag, reading: TrackReading) -> WearGrade:
    """How worn the pattern looks: as was said, else what a key brought as a good one looks like."""
    if reading.record is None and tag.on_bench == OnBench.GOOD_KEY:
        return WearGrade.NEW
    return WearGrade(reading.wear)


@kept(128)
def _look(asked: BriefAsked) -> BriefLook:
    """The same pattern is looked at the same way every time a page is looked at."""
    family = parsed(asked.document)
    before, made, lock = _before(family, asked), _made(family, asked), _lock(family, asked)
    return best_look(family, family.tracks, before, made, asked.sd, lock)


@kept(128)
def _advice(asked: BriefAsked, known: WearKnown | None, seen: BrieflyMeasured | None) -> BriefAdvice:
    family = parsed(asked.document)
    wear = known or _before(family, asked)
    made, lock = _made(family, asked), _lock(family, asked)
    return chances_of(family, family.tracks, wear, made, lock, asked.sd, seen=seen)


def _before(family: Family, asked: BriefAsked) -> WearKnown:
    return wear_before(family, asked.grade, asked.traced, asked.generation)


def _made(family: Family, asked: BriefAsked) -> MadeEither:
    coded = Making(*(family.depth.from_machine(sd) for sd in (UNKNOWN_MAKING.sd_each, UNKNOWN_MAKING.sd_common)))
    return MadeEither(asked.traced, coded)


def _lock(family: Family, asked: BriefAsked) -> LockOfPattern:
    prior = Spread(*(family.depth.from_machine(x) for x in (LOCK_WEAR_MM.mean, LOCK_WEAR_MM.sd)))
    return LockOfPattern(prior, asked.felt)


def _wear_known(
    family: Family, readings: Sequence[TrackReading], before: WearKnown, seen: BrieflyMeasured | None
) -> WearKnown | None:
    """What the cuts that were measured say of the wear; None where none was.

    Of one track whatever depths they are; of several, each beside the depth it is taken to be.
    """
    if seen is None:
        return None
    if len(readings) > 1:
        along = along_of(*family.tracks)
        return wear_after(before, [along[cut] for cut in seen.cuts], seen.gone, seen.sd, None)
    offset, posterior = readings[0].offset, readings[0].posterior
    if offset is None or posterior is None:
        return None
    edge = family.share_per_edge * (-1.0 if readings[0].track.falls_when_deeper else 1.0)
    tip = posterior.tip or Spread(0.0, 0.0)
    cov = (((offset.sd * edge) ** 2, 0.0), (0.0, (tip.sd * edge) ** 2))
    return WearKnown(offset.mean * edge, tip.mean * edge, cov, before.uneven)


def _seen(family: Family, readings: Sequence[TrackReading], sd: float) -> BrieflyMeasured | None:
    """The cuts that were measured, each beside the depth it is taken to be; None where none was."""
    cuts: list[int] = []
    gone: list[float] = []
    first = 0
    for reading in readings:
        down = family.share_per_edge * (1.0 if reading.track.falls_when_deeper else -1.0)
        for place, value in enumerate(reading.as_is()):
            if value is not None and reading.steps is not None:
                cuts.append(first + place)
                gone.append((reading.track.values[reading.steps[place]] - value) * down)
        first += len(reading.track.spaces)
    return BrieflyMeasured(tuple(cuts), tuple(gone), sd) if cuts else None


def _average(family: Family, known: WearKnown) -> Spread:
    along = along_of(*family.tracks)
    middle = sum(along) / len(along)
    return Spread(known.at(middle), known.sd_at(middle))
