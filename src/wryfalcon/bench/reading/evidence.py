"""What was seen of a source, made into evidence for the core."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

from keycore.family import Family, Track
from keycore.reading.evidence import Beside, Compared, Evidence, Flush, Measured, Pair, Stated, TumblerLooks
from keycore.reading.instruments import (
    CALIPER_SD,
    COMPARED_SD,
    PROBE_SD,
    RESOLVES,
    depth_under_pin,
    measured_by_caliper,
    measured_from_pins,
    rounded_by_machine,
)
from keycore.reading.staged import Stage, as_evidence
from keycore.reading.staged import TumblerSeen as StageSeen
from keycore.reading.wear import CutMark, WearGrade, counts_for, expected_wear, local_of
from keycore.units import Unit, convert
from wryfalcon.bench.models import CutMark as Mark
from wryfalcon.bench.models import Sighting, Source, SourceKind, TumblerSeen
from wryfalcon.lengths import end_words

CODE_TRUST = 0.999
"""The chance that one cut of a code's bitting is what the table's maker cut: common practice, no source."""
GRID_TRUST = 0.95
"""The chance that one space of a reading tool's grid is right: common practice, no source."""
PARTS_TRUST = 0.99
"""The chance that one stamped part was read right: common practice, no source."""
TRIED_TRUST = 0.9999
"""A key that turned the lock: a cut that is one off and within the lock's play turns too; no source."""
KNOWN_TRUST = 0.999
"""The chance that one cut of a bitting somebody knows is right: common practice, no source."""
TRY_OUT_TRUST = 0.97
"""A key of a try-out set that turned: cut between depths, it turns locks of either, and of one more now and then."""
TRUST = {
    SourceKind.TRY_OUT: TRY_OUT_TRUST,
    SourceKind.TRIED: TRIED_TRUST,
    SourceKind.PARTS: PARTS_TRUST,
    SourceKind.TURNED: PARTS_TRUST,
    SourceKind.GRID: GRID_TRUST,
    SourceKind.CODE: CODE_TRUST,
    SourceKind.KNOWN: KNOWN_TRUST,
}
STAGE_SEEN = {
    TumblerSeen.FLUSH: StageSeen.FLUSH,
    TumblerSeen.PROUD: StageSeen.MARKS,
    TumblerSeen.UNSURE: StageSeen.UNSURE,
}


@dataclass(frozen=True)
class SourceReading:
    """One source as it stands: its record, if it has been begun, and what was seen."""

    family: Family
    track: Track
    record: Source
    sightings: Sequence[Sighting]  # in the order they were seen, none withdrawn
    shared: int | None = None  # the same number: passes of one caliper over one key by one hand

    @property
    def counted_from(self) -> str:
        """The end this source is counted from."""
        return self.record.counted_from

    @property
    def counts_from_bow(self) -> bool:
        """Whether its first cut is the one nearest the bow, or the face of the lock."""
        return self.counted_from == "bow"

    @property
    def other_end(self) -> str:
        """The end it is not counted from."""
        return "tip" if self.counts_from_bow else "bow"

    @property
    def end_words(self) -> str:
        """What it counts from, in words."""
        return end_words(self.family, self.counted_from)

    @property
    def is_turned(self) -> bool:
        """Whether it is counted from the other end than the family."""
        return self.counted_from != self.family.numbered_from

    def shown_space(self, space: int) -> int:
        """A space of the family's order as it is counted in this source, and the other way round."""
        return len(self.track.spaces) + 1 - space if self.is_turned else space

    @property
    def spaces(self) -> range:
        """All spaces, family order."""
        return range(1, len(self.track.spaces) + 1)

    @property
    def in_lock(self) -> list[int]:
        """The cuts that the lock it is read in has, as it counts; all where none is named."""
        of_lock = self.family.positions.get(self.record.of_lock) if self.record.of_lock else None
        has = self.spaces if of_lock is None else of_lock.get(self.track.name, ())
        return [number for number in self.spaces if self.shown_space(number) in has]

    @cached_property
    def values(self) -> Mapping[int, list[Sighting]]:
        """The lengths typed for each space, repeats and all."""
        found: dict[int, list[Sighting]] = {}
        for sighting in self.sightings:
            if sighting.value is not None:
                found.setdefault(sighting.space, []).append(sighting)
        return found

    @cached_property
    def labels(self) -> Mapping[int, list[str]]:
        """The depths stated for each space; the last look stands."""
        stated = {sighting.space: list(sighting.labels) for sighting in self.sightings}
        return {space: labels for space, labels in stated.items() if labels}

    @cached_property
    def rounds(self) -> Mapping[str, Mapping[int, str]]:
        """For each depth key, how each tumbler sat."""
        found: dict[str, dict[int, str]] = {}
        for sighting in self.sightings:
            if sighting.depth:
                found.setdefault(sighting.depth, {})[sighting.space] = sighting.seen
        return found

    @cached_property
    def stages(self) -> tuple[Stage, ...]:
        """A blank cut down: every look, in order."""
        return tuple(
            Stage(sighting.space, self.track.step(sighting.depth), STAGE_SEEN[TumblerSeen(sighting.seen)])
            for sighting in self.sightings
            if sighting.depth
        )

    @property
    def spaces_seen(self) -> set[int]:
        """The spaces this source says something of."""
        seen = {
            s.space
            for s in self.sightings
            if s.value is not None or s.labels or s.seen in (TumblerSeen.FLUSH, TumblerSeen.PROUD)
        }
        return seen.union(*((pair.space, pair.beside or pair.space) for pair in self.pairs))

    @cached_property
    def pairs(self) -> tuple[Sighting, ...]:
        """The cuts that were compared by eye; of the same two the last look stands."""
        last = {frozenset((s.space, s.beside)): s for s in self.sightings if s.compared and s.beside}
        return tuple(last.values())

    @cached_property
    def marks(self) -> Mapping[int, Mark]:
        """What is the matter with single cuts, by space."""
        last = {s.space: Mark(s.mark) for s in self.sightings if s.mark}
        return {space: mark for space, mark in last.items() if mark != Mark.SOUND}

    def counts_for(self, space: int) -> float | None:
        """How much a marked cut’s value still counts beside an unmarked one; None where it is not marked."""
        mark, evidence = self.marks.get(space), self.evidence
        if mark is None or not isinstance(evidence, Measured) or evidence.values[space - 1] is None:
            return None
        sd = evidence.sd[space - 1]
        return counts_for(sd, local_of(self.family, CutMark(mark)), local_of(self.family, None))

    @property
    def has_master_pins(self) -> bool:
        """Whether a stack has a master pin, so that two keys turn the lock."""
        return any(sighting.master is not None for sighting in self.sightings)

    @cached_property
    def evidence(self) -> Evidence | None:
        """What it says to the core, family order; None where nothing was seen."""
        return self.as_evidence(other_key=self.record.other_key) if self.spaces_seen else None

    def as_evidence(self, *, other_key: bool) -> Evidence:
        """The evidence, of the key that lifts the bottom pins or of the other one."""
        kind = SourceKind(self.record.kind)
        match kind:
            case SourceKind.CALIPERS | SourceKind.PROBE:
                studied = self.record.caliper_sd
                hand = convert(studied, Unit.MILLIMETRE, Unit.INCH) if studied else CALIPER_SD
                sd = hand if kind == SourceKind.CALIPERS else PROBE_SD
                return measured_by_caliper(
                    self.family,
                    self.track,
                    self._read(),
                    self._grade,
                    sd,
                    marks={space: CutMark(mark) for space, mark in self.marks.items()},
                    shared=self.shared,
                )
            case SourceKind.MACHINE:
                labels = [self.labels.get(space, [None])[0] for space in self.spaces]
                return rounded_by_machine(self.family, self.track, labels, self._grade)
            case SourceKind.PINS:
                return measured_from_pins(self.family, self.track, self._pins(other_key), self.record.plug or 0.0)
            case SourceKind.DEPTH_KEYS | SourceKind.SWINGS:
                return TumblerLooks(tuple(self._round(depth, seen) for depth, seen in self.rounds.items()))
            case SourceKind.COMPARED:
                return self._compared()
            case SourceKind.STAGES:
                return as_evidence(self.track, self.stages)
        stated = tuple(frozenset(map(self.track.step, self.labels.get(space, []))) for space in self.spaces)
        return Stated(stated, TRUST[kind])

    def _compared(self) -> Compared:
        """What the eye says of pairs; the tip may have worn more than the bow."""
        pairs = tuple(Pair(s.space - 1, (s.beside or 1) - 1, Beside(s.compared)) for s in self.pairs)
        unit = self.family.unit
        _, tip = expected_wear(self.family, self.track, self._grade)
        return Compared(len(self.track.spaces), pairs, RESOLVES[unit], COMPARED_SD[unit], tip)

    @property
    def _grade(self) -> WearGrade:
        return WearGrade(self.record.wear)

    def _read(self) -> tuple[tuple[float, ...], ...]:
        return tuple(tuple(s.value or 0.0 for s in self.values.get(space, [])) for space in self.spaces)

    def _pins(self, other_key: bool) -> list[list[float]]:
        """Pin lengths by space; the other key lifts bottom and master pin together where there is one."""
        return [
            [(s.value or 0.0) + ((s.master or 0.0) if other_key else 0.0) for s in self.values.get(space, [])]
            for space in self.spaces
        ]

    def _round(self, depth: str, seen: Mapping[int, str]) -> Flush:
        how = {TumblerSeen.FLUSH: True, TumblerSeen.PROUD: False}
        return Flush(
            self.track.step(depth),
            tuple(how.get(TumblerSeen(seen.get(space, TumblerSeen.UNSURE))) for space in self.spaces),
        )

    def as_measured(self) -> list[float | None]:
        """The depth values the old key has now, where this source measured them."""
        evidence = self.evidence
        of_key = SourceKind(self.record.kind) in {SourceKind.CALIPERS, SourceKind.PROBE}
        return list(evidence.values) if of_key and isinstance(evidence, Measured) else [None] * len(self.track.spaces)

    def shown_depth(self, sighting: Sighting) -> float | None:
        """A typed length as a key's depth: a pin's is the plug's figure less the pin."""
        if sighting.value is None or self.record.kind != SourceKind.PINS:
            return sighting.value
        return depth_under_pin(sighting.value, self.record.plug or 0.0)
