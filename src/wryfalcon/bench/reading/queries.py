"""What was read of a key and what it means: sources, posterior, the words for it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

from keycore.errors import BeyondReach, InputError
from keycore.family import Family, Track
from keycore.reading.decode import RULES_LEFT_OUT, TOO_MUCH_TOGETHER, Posterior, Reading, Unsettled, look_over
from keycore.reading.dirt import reads_shallow
from keycore.reading.evidence import Evidence, Measured, Spread
from keycore.reading.filling import locks_worked
from keycore.reading.influence import Influence, influences
from keycore.reading.instruments import SHOP_STRAY
from keycore.reading.next_look import With
from keycore.reading.wear import WearGrade
from wryfalcon.bench.models import Overruling, Sighting, Source, SourceKind, Tag
from wryfalcon.bench.models import WearGrade as WearLook
from wryfalcon.bench.reading.evidence import SourceReading
from wryfalcon.documents import parsed
from wryfalcon.kept import kept
from wryfalcon.lengths import end_words


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
    """One track as it stands: its sources and overrulings; they are weighed together when that is first asked for."""

    family: Family
    document: str
    track: Track
    sources: Sequence[SourceReading]  # begun and not removed, switched off ones too
    overruled: Mapping[int, Overruling]

    @cached_property
    def _together(self) -> tuple[Posterior | Unsettled | None, str]:
        evidence = tuple(source.evidence for source in self.weighed if source.evidence is not None)
        return weigh(self.document, self.track.name, evidence, self.every_cut_seen) if evidence else (None, "")

    @property
    def posterior(self) -> Posterior | None:
        """What the sources say together; None where nothing is read, or nothing explains it."""
        return _settled(self._together[0])

    @property
    def unsettled(self) -> Unsettled | None:
        """The sum of all is out of reach: only what each by itself says of the others."""
        found = self._together[0]
        return found if isinstance(found, Unsettled) else None

    @property
    def problem(self) -> str:
        """Why they are not weighed, or not wholly, in words; "" where they are."""
        return self._together[1]

    @cached_property
    def weighed(self) -> tuple[SourceReading, ...]:
        """The sources that count, those of a key first: what the posterior's places mean."""
        return _that_count(self.sources)

    @property
    def first(self) -> SourceReading | None:
        """The source that the bitting is read back against."""
        return self.weighed[0] if self.weighed else self.sources[0] if self.sources else None

    @property
    def measured(self) -> Measured | None:
        """The first measurement of the old key itself."""
        return next(
            (s.evidence for s in self.weighed if isinstance(s.evidence, Measured) and s.record.kind != SourceKind.PINS),
            None,
        )

    @property
    def record(self) -> Source | None:
        """The record of the first source."""
        return self.first.record if self.first else None

    @property
    def counted_from(self) -> str:
        """The end the first source is counted from."""
        return self.first.counted_from if self.first else self.family.numbered_from.value

    @property
    def end_words(self) -> str:
        """What it is counted from, in words."""
        return end_words(self.family, self.counted_from)

    @property
    def is_turned(self) -> bool:
        """Whether the first source is counted from the other end than the family."""
        return self.counted_from != self.family.numbered_from

    @property
    def wear(self) -> str:
        """How worn the key is said to look."""
        return self.record.wear if self.record else WearGrade.UNSURE.value

    @property
    def wear_words(self) -> str:
        """The same in words."""
        return WearLook(self.wear).label

    def shown_space(self, space: int) -> int:
        """A space of the family's order as the first source counts it, and the other way round."""
        return len(self.track.spaces) + 1 - space if self.is_turned else space

    @cached_property
    def steps(self) -> tuple[int, ...] | None:
        """What the key is taken to be: the likeliest whole bitting, overruled cuts put in."""
        if self.posterior is None:
            return None
        steps = list(self.posterior.best)
        for space, overruling in self.overruled.items():
            steps[space - 1] = self.track.step(overruling.label)
        return tuple(steps)

    @cached_property
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
    def offset(self) -> Spread | None:
        """What the first measurement of the old key was found to be off by, None without one."""
        if self.posterior is None or self.measured is None:
            return None
        return self.posterior.offset

    @property
    def wear_found(self) -> float:
        """How much metal is gone on average, family unit, positive is worn; 0 when nothing is known."""
        offset = self.offset
        if offset is None:
            return 0.0
        return -offset.mean if self.track.falls_when_deeper else offset.mean

    @cached_property
    def known(self) -> set[int]:
        """The spaces that a source which counts, or the smith's own eye, says something of; family order."""
        judged = {space for space, overruling in self.overruled.items() if not overruling.filled}
        return judged.union(*(source.spaces_seen for source in self.weighed))

    @cached_property
    def filled(self) -> list[int]:
        """The spaces filled in without anything being seen of them, as the first source counts."""
        return sorted(self.shown_space(space) for space, o in self.overruled.items() if o.filled)

    @cached_property
    def unread(self) -> list[int]:
        """The cuts of which nothing is known and that are not filled, as the first source counts."""
        open_spaces = set(range(1, len(self.track.spaces) + 1)) - self.known - set(self.overruled)
        return sorted(self.shown_space(space) for space in open_spaces)

    @cached_property
    def locks(self) -> dict[str, bool]:
        """For each lock the family names, whether every cut that it has is known."""
        return locks_worked(self.family, self.track.name, sorted(self.known))

    @cached_property
    def conflicts(self) -> list[tuple[SourceReading, SourceReading, list[int]]]:
        """The pairs of sources that cannot both be right, and the cuts where they part."""
        found: defaultdict[tuple[int, int], list[int]] = defaultdict(list)
        said = self.posterior or self.unsettled
        turned = said.turn_round if said else None
        for conflict in said.conflicts if said else ():
            if turned in conflict.sources:  # that it was counted the wrong way round says it already
                continue
            found[conflict.sources].append(self.shown_space(conflict.space))
        return [(self.weighed[a], self.weighed[b], sorted(spaces)) for (a, b), spaces in found.items()]

    @cached_property
    def influences(self) -> Sequence[Influence | None]:
        """What would be said without each source that counts."""
        if self.posterior is None or len(self.weighed) < 2:
            return [None] * len(self.weighed)
        evidence = tuple(source.evidence for source in self.weighed if source.evidence is not None)
        return _influences(self.document, self.track.name, evidence, self.posterior.best)

    @cached_property
    def turned_round(self) -> list[tuple[SourceReading, Posterior]]:
        """The source that agrees far better when turned, and what would then be said.

        Of two sources that agree once one is turned, nothing says which was counted wrongly: both.
        """
        said = self.posterior or self.unsettled
        place = said.turn_round if said else None
        if place is None:
            return []
        places = range(2) if len(self.weighed) == 2 else [place]
        return [(self.weighed[p], turned) for p in places if (turned := self._with_turned(p)) is not None]

    def _with_turned(self, place: int) -> Posterior | None:
        evidence = [source.evidence for source in self.weighed if source.evidence is not None]
        evidence[place] = evidence[place].turned()
        return _settled(weigh(self.document, self.track.name, tuple(evidence), self.every_cut_seen)[0])

    @cached_property
    def every_cut_seen(self) -> bool:
        """Whether the sources together say something of every cut."""
        return len(set().union(*(source.spaces_seen for source in self.weighed))) == len(self.track.spaces)

    @cached_property
    def other_key(self) -> Posterior | None:
        """The other key that a lock with master pins would take; None where there are none."""
        pinned = [source for source in self.weighed if source.has_master_pins]
        if not pinned:
            return None
        evidence = tuple(source.as_evidence(other_key=not source.record.other_key) for source in pinned)
        return _settled(weigh(self.document, self.track.name, evidence, False)[0])

    @property
    def is_a_guess(self) -> bool:
        """Whether the bitting is more likely wrong than right as far as the reading can say."""
        return self.chance is not None and self.chance < 0.5

    @property
    def again_at(self) -> int | None:
        """The cut to measure again, as this reading is counted; None when no single cut settles it.

        Nor where another look than the caliper's would settle it better, or none is worth its trouble.
        """
        posterior = self.posterior
        if posterior is None or posterior.measure_again is None or posterior.doubts_whole_key:
            return None
        if self.measured is None:
            return self.shown_space(posterior.measure_again)
        if self.reads_shallow is not None:
            return self.reads_shallow
        advice = posterior.look_next
        if advice is None or advice.using != With.CALIPERS or advice.space is None:
            return None
        return self.shown_space(advice.space)

    @cached_property
    def reads_shallow(self) -> int | None:
        """The cut, as the first source counts, that most likely reads shallow for dirt, though nobody said so."""
        source = self.first
        if self.posterior is None or source is None or not isinstance(source.evidence, Measured):
            return None
        space = reads_shallow(self.family, self.track, self.posterior, source.evidence, set(source.marks))
        return None if space is None else self.shown_space(space)

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

    def labelled(self, steps: Sequence[int]) -> list[str]:
        """Steps as the family's labels."""
        return [self.track.labels[step] for step in steps]


def readings_of(tag: Tag) -> list[TrackReading]:
    """Every track of a tag's family, as it stands."""
    assert tag.family_record is not None
    document, family = tag.family_record.document, tag.family
    kept: defaultdict[int, list[Sighting]] = defaultdict(list)
    for sighting in _sightings(tag):
        kept[sighting.source_id].append(sighting)
    sources: defaultdict[str, list[SourceReading]] = defaultdict(list)
    passes: dict[object, int] = {}
    for source in _sources(tag):
        track, looks = family.track(source.track), kept[source.pk]
        shared = passes.setdefault(_one_hand(source, looks), source.pk)
        sources[source.track].append(SourceReading(family, track, source, looks, shared))
    overruled: defaultdict[str, dict[int, Overruling]] = defaultdict(dict)
    for overruling in _overrulings(tag):
        overruled[overruling.track][overruling.space] = overruling
    return [
        TrackReading(family, document, track, sources[track.name], overruled[track.name]) for track in family.tracks
    ]


def _sightings(tag: Tag) -> list[Sighting]:
    return list(Sighting.objects.filter(source__tag=tag, source__removed=False, withdrawn=False))


def _sources(tag: Tag) -> list[Source]:
    return list(tag.sources.filter(removed=False))


def _overrulings(tag: Tag) -> list[Overruling]:
    return list(tag.overrulings.filter(withdrawn=False))


def _one_hand(source: Source, looks: Sequence[Sighting]) -> object:
    """What passes of one caliper over one key by one hand have in common: they share what it is off by."""
    if source.kind != SourceKind.CALIPERS or not looks:
        return source.pk
    return source.track, source.name.strip().lower(), source.wear, looks[0].by_id


def track_of(readings: Sequence[TrackReading], name: str | None) -> TrackReading:
    """The reading of a track, the first one where none has that name."""
    return next((reading for reading in readings if reading.track.name == name), readings[0])


def factory_values(readings: Sequence[TrackReading]) -> dict[str, list[float]]:
    """The factory depths of what each track is taken to be, where it has been read."""
    return {
        reading.track.name: [reading.track.values[step] for step in reading.steps]
        for reading in readings
        if reading.steps is not None
    }


def _settled(found: Posterior | Unsettled | None) -> Posterior | None:
    return found if isinstance(found, Posterior) else None


def _that_count(sources: Sequence[SourceReading]) -> tuple[SourceReading, ...]:
    counting = [source for source in sources if source.record.is_on and source.evidence is not None]
    return tuple(sorted(counting, key=lambda source: not SourceKind(source.record.kind).is_of_a_key))


@kept(512)
def weigh(
    document: str, name: str, evidence: tuple[Evidence, ...], every_cut: bool
) -> tuple[Posterior | Unsettled | None, str]:
    """The same sightings mean the same thing every time a page is looked at.

    Rules that are no chain wait until every cut is seen: before that too many bittings are open.
    """
    family = parsed(document)
    track = family.track(name)
    problem, has_rules = "", family.rules.any and every_cut
    unsettled: Unsettled | None = None
    for obey in ({"macs", "rules"}, {"macs"}) if has_rules else ({"macs"},):
        try:
            note = RULES_LEFT_OUT if has_rules and "rules" not in obey else ""
            found = look_over(Reading(family, track, evidence, frozenset(obey), SHOP_STRAY))
            if isinstance(found, Posterior):
                return found, note
            unsettled, problem = found, TOO_MUCH_TOGETHER
        except BeyondReach as error:
            problem = error.reason
        except InputError as error:
            return None, error.reason
    return unsettled, problem


@kept(256)
def _influences(
    document: str, name: str, evidence: tuple[Evidence, ...], best: tuple[int, ...]
) -> tuple[Influence | None, ...]:
    family = parsed(document)
    return influences(Reading(family, family.track(name), evidence, stray=SHOP_STRAY), best)


def another_bitting(tag: Tag) -> str:
    """What was read says of a settled key where that is another bitting than was settled; "" where it agrees."""
    settled = tag.settlement.bitting if tag.settlement is not None else {}
    says = [
        " ".join(reading.labels)
        for reading in readings_of(tag)
        if reading.steps is not None and reading.sources and list(reading.labels) != settled.get(reading.track.name)
    ]
    return " · ".join(says)
