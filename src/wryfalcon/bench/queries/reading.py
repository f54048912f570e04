"""What was read of a key and what it means: readings, posterior, the words for it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache

from keycore.errors import BeyondReach, InputError
from keycore.family import Family, Track
from keycore.reading.decode import Posterior, Reading, decode
from keycore.reading.evidence import Measured
from keycore.reading.instruments import measured_by_caliper
from keycore.reading.wear import WearGrade
from wryfalcon.bench.models import CaliperReading, CaliperValue, Overruling, Tag
from wryfalcon.documents import parsed

RULES_LEFT_OUT = "The family's other rules leave too many bittings to weigh one by one; only MACS was held to."


@dataclass(frozen=True)
class CutRow:
    """One cut of a reading in a table: what was read, the nearest depth, what it is settled on."""

    number: int
    value: float | None
    nearest: str
    label: str
    chance: float
    overruled: Overruling | None


@dataclass(frozen=True)
class TrackReading:
    """One track as it stands: the values typed, the posterior once there are enough, overrulings."""

    family: Family
    track: Track
    record: CaliperReading | None
    values: Mapping[int, list[CaliperValue]]  # by space, family order
    overruled: Mapping[int, Overruling]
    measured: Measured | None = None
    posterior: Posterior | None = None
    problem: str = ""

    @property
    def counted_from(self) -> str:
        """The end this reading is counted from."""
        return self.record.counted_from if self.record else self.family.numbered_from.value

    @property
    def is_turned(self) -> bool:
        """Whether the reading is counted from the other end than the family."""
        return self.counted_from != self.family.numbered_from

    @property
    def wear(self) -> str:
        """How worn the key is said to look."""
        return self.record.wear if self.record else WearGrade.UNSURE.value

    def shown_space(self, space: int) -> int:
        """A space of the family's order as it is counted in this reading, and the other way round."""
        return len(self.track.spaces) + 1 - space if self.is_turned else space

    @property
    def steps(self) -> tuple[int, ...] | None:
        """What the key is taken to be: the likeliest whole bitting, overruled cuts put in."""
        if self.posterior is None:
            return None
        steps = list(self.posterior.best)
        for space, overruling in self.overruled.items():
            steps[space - 1] = self.track.step(overruling.label)
        return tuple(steps)

    @property
    def labels(self) -> list[str]:
        """The labels of that bitting."""
        return [self.track.labels[step] for step in self.steps or ()]

    @property
    def chance(self) -> float | None:
        """The chance of that whole bitting; None once a cut is overruled."""
        if self.posterior is None or self.overruled:
            return None
        return self.posterior.bittings[0][1]

    @property
    def wear_found(self) -> float:
        """How much metal is gone on average, family unit, positive is worn; 0 when nothing is known."""
        offset = self.posterior.offset if self.posterior else None
        if offset is None:
            return 0.0
        falls = self.track.values[0] > self.track.values[-1]
        return -offset.mean if falls else offset.mean

    @property
    def unread(self) -> list[int]:
        """The cuts that have no value, as this reading is counted."""
        spaces = range(1, len(self.track.spaces) + 1)
        return sorted(self.shown_space(space) for space in spaces if not self.values.get(space))

    @property
    def is_a_guess(self) -> bool:
        """Whether the bitting is more likely wrong than right as far as the reading can say."""
        return self.chance is not None and self.chance < 0.5

    @property
    def again_at(self) -> int | None:
        """The cut to measure again, as this reading is counted; None when no single cut settles it."""
        posterior = self.posterior
        if posterior is None or posterior.measure_again is None or posterior.doubts_whole_key:
            return None
        return self.shown_space(posterior.measure_again)

    @property
    def likeliest(self) -> list[tuple[str, float]]:
        """The likeliest whole bittings as text, with their chances."""
        bittings = self.posterior.bittings if self.posterior else ()
        return [(" ".join(self.track.labels[step] for step in steps), chance) for steps, chance in bittings]

    @property
    def cut_by_cut(self) -> list[CutRow]:
        """Every cut in the family's order."""
        steps, posterior = self.steps, self.posterior
        if steps is None or posterior is None:
            return []
        nearest = posterior.nearest or (None,) * len(steps)
        return [
            CutRow(
                number=place + 1,
                value=self.as_is()[place],
                nearest="–" if nearest[place] is None else self.track.labels[nearest[place] or 0],
                label=self.track.labels[step],
                chance=float(posterior.marginals[place][step]),
                overruled=self.overruled.get(place + 1),
            )
            for place, step in enumerate(steps)
        ]

    def as_is(self) -> list[float | None]:
        """The depth values the old key has now, where it was measured."""
        return list(self.measured.values) if self.measured else [None] * len(self.track.spaces)


def readings_of(tag: Tag) -> list[TrackReading]:
    """Every track of a tag's family, as it stands."""
    assert tag.family_record is not None
    document = tag.family_record.document
    kept = list(CaliperValue.objects.filter(reading__tag=tag, withdrawn=False).select_related("reading"))
    records = {value.reading.track: value.reading for value in kept}
    if len(records) < len(tag.family.tracks):
        records |= {record.track: record for record in tag.caliper_readings.all()}
    values: defaultdict[str, dict[int, list[CaliperValue]]] = defaultdict(dict)
    for value in kept:
        values[value.reading.track].setdefault(value.space, []).append(value)
    overruled: defaultdict[str, dict[int, Overruling]] = defaultdict(dict)
    for overruling in tag.overrulings.filter(withdrawn=False):
        overruled[overruling.track][overruling.space] = overruling
    return [
        weigh(document, track, records.get(track.name), values[track.name], overruled[track.name])
        for track in tag.family.tracks
    ]


def weigh(
    document: str,
    track: Track,
    record: CaliperReading | None,
    values: Mapping[int, list[CaliperValue]],
    overruled: Mapping[int, Overruling],
) -> TrackReading:
    """Weigh what was typed for one track; too little, or what nothing explains, is said in words."""
    family = parsed(document)
    if not any(values.values()):
        return TrackReading(family, track, record, values, overruled)
    readings = tuple(tuple(v.value for v in values.get(space, [])) for space in range(1, len(track.spaces) + 1))
    grade = WearGrade(record.wear) if record else WearGrade.UNSURE
    measured, posterior, problem = _posterior(document, track.name, readings, grade)
    return TrackReading(family, track, record, values, overruled, measured, posterior, problem)


@lru_cache(maxsize=512)
def _posterior(
    document: str, name: str, readings: tuple[tuple[float, ...], ...], grade: WearGrade
) -> tuple[Measured, Posterior | None, str]:
    """The same readings mean the same thing every time a page is looked at."""
    family = parsed(document)
    track = family.track(name)
    measured = measured_by_caliper(family, track, readings, grade)
    has_rules = family.rules.any and all(readings)  # rules that are no chain wait until every cut is read
    for obey in ({"macs", "rules"}, {"macs"}) if has_rules else ({"macs"},):
        try:
            reading = Reading(family, track, (measured,), frozenset(obey))
            note = RULES_LEFT_OUT if has_rules and "rules" not in obey else ""
            return measured, decode(reading), note
        except BeyondReach as error:
            problem = error.reason
        except InputError as error:
            return measured, None, error.reason
    return measured, None, problem
