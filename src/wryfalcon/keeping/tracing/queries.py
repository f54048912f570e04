"""Duplicates beside their patterns: what the machine did, and what the key is."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from functools import lru_cache, partial
from math import sqrt

from keycore.kinds import kinds
from keycore.machines.copies import Copied, compare_copy
from keycore.proving.verdict import MOST_READINGS, repeats_needed
from keycore.units import Unit
from wryfalcon.bench.models import Sighting, SourceKind, Tag
from wryfalcon.documents import parsed
from wryfalcon.lengths import say_depth, unit_shown
from wryfalcon.library.queries.families import families_of
from wryfalcon.machines.hands.queries import caliper_sd_mm
from wryfalcon.machines.models import TRACES_SURFACE, Duplicate, Machine

SHOWN = 8


@dataclass(frozen=True)
class ComparedCopy:
    """A duplicate and what it says."""

    duplicate: Duplicate
    copied: Copied

    @property
    def give_or_take(self) -> float:
        """How well the mean is known, 19 times in 20, family unit."""
        return 2 * self.copied.mean.sd

    @property
    def times(self) -> int:
        """How often each cut is measured for a difference that can be judged."""
        tolerance = self.duplicate.family_record.family.tolerance
        assert tolerance is not None  # none was kept without
        once = self.copied.sd_from_pattern * sqrt(self.duplicate.repeats)
        return max(self.duplicate.repeats + 1, repeats_needed(once, tolerance.value) or MOST_READINGS)


def duplicates_on(machine: Machine) -> list[ComparedCopy]:
    """The last duplicates of a machine, newest first."""
    kept = _duplicates(machine)
    sd_mm = caliper_sd_mm()
    return [ComparedCopy(duplicate, compared(duplicate, sd_mm)) for duplicate in kept]


def _duplicates(machine: Machine) -> list[Duplicate]:
    return list(machine.duplicates.filter(withdrawn=False).select_related("family_record", "tag", "by")[:SHOWN])


def compared(duplicate: Duplicate, sd_mm: float) -> Copied:
    """What a duplicate says, one measurement being good to ``sd_mm``. Raises InputError where it cannot."""
    record = duplicate.family_record
    sd = record.family.depth.from_machine(sd_mm) / sqrt(duplicate.repeats)
    return _compared(
        record.document, duplicate.track, tuple(duplicate.pattern), tuple(duplicate.copy), sd, unit_shown()
    )


@lru_cache(maxsize=64)
def _compared(
    document: str, track: str, pattern: tuple[float | None, ...], copy: tuple[float | None, ...], sd: float,
    unit: Unit,
) -> Copied:  # fmt: skip
    """The same measurements say the same however often they are looked at."""
    family = parsed(document)
    return compare_copy(family, family.track(track), pattern, copy, sd, say=partial(say_depth, family, unit))


def tracks_to_trace() -> list[tuple[str, str]]:
    """What can be measured with a caliper: each family's tracks, for a choice."""
    found = []
    traced = tuple(kind.id for kind in kinds() if kind.surface in TRACES_SURFACE)
    for record in families_of(traced):
        tracks = record.family.tracks if record.family.tolerance else ()
        several = len(tracks) > 1
        found += [(f"{record.pk}:{t.name}", f"{record}, {t.name}" if several else str(record)) for t in tracks]
    return found


def measured_pattern(tag: Tag, track: str) -> list[float | None]:
    """What was measured of a tag's key, the mean of each cut, family unit; None for what was not."""
    values: defaultdict[int, list[float]] = defaultdict(list)
    seen = Sighting.objects.filter(
        source__tag=tag, source__track=track, source__removed=False, source__kind=SourceKind.CALIPERS,
        withdrawn=False, value__isnull=False,
    )  # fmt: skip
    for space, value in seen.values_list("space", "value"):
        values[space].append(float(value or 0.0))
    spaces = range(1, len(tag.family.track(track).spaces) + 1)
    return [sum(values[s]) / len(values[s]) if s in values else None for s in spaces]
