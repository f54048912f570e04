"""What an edition of a family that waits would change, and which of the shop's keys and tables it touches."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

from keycore.editions import CutShift, EditionChanges, compare_editions, cut_shifts
from keycore.family import Family
from wryfalcon.bench.models import Settlement, ShopTool, Tag, TagState
from wryfalcon.codes.models import Series, SeriesState
from wryfalcon.codes.queries.editions import keys_touched
from wryfalcon.library.models import EditionState, FamilyRecord
from wryfalcon.library.queries.families import families_in_force

Bitting = Mapping[str, Sequence[str]]


@dataclass(frozen=True)
class TouchedKey:
    """A key of the shop that another edition would cut otherwise, or whose bitting means nothing by it."""

    tag: int | None  # its number; None for a tool of the shop's own
    tool: int | None
    title: str
    edition: str  # that it was made by
    is_open: bool  # hangs on the bench, so that it can still go over
    shifts: tuple[CutShift, ...] | None  # None where its labels or cuts are none of the new edition's
    is_beyond: bool  # whether a cut is further off than the new edition's tolerance

    @property
    def value(self) -> float:
        """The largest difference in depth, later less earlier, family unit."""
        return max((shift.value for shift in self.shifts or ()), key=abs, default=0.0)

    @property
    def space(self) -> float:
        """The largest difference along it."""
        return max((shift.space for shift in self.shifts or ()), key=abs, default=0.0)


@dataclass(frozen=True)
class ReadSeries:
    """A series in force of the family, and whether its bittings mean the same cuts by the edition."""

    series: Series
    is_read: bool


@dataclass(frozen=True)
class EditionSeen:
    """An edition of a family beside the one in force."""

    record: FamilyRecord
    against: FamilyRecord

    @cached_property
    def changes(self) -> EditionChanges:
        """What differs."""
        documents = [json.loads(each.document) for each in (self.against, self.record)]
        return compare_editions(self.against.family, self.record.family, documents[0], documents[1])

    @cached_property
    def touched(self) -> tuple[TouchedKey, ...]:
        """The shop's keys that it touches: what cannot be read by it first, then the furthest off."""
        found = [*_keys(self.record), *_tools(self.record)]
        return tuple(sorted(found, key=_how_bad))

    @cached_property
    def series(self) -> tuple[ReadSeries, ...]:
        """The series of the family that are in force."""
        every = _series_of(self.record.slug)
        return tuple(ReadSeries(each, self.record.reads(each.family_record)) for each in every)


def _series_of(slug: str) -> list[Series]:
    return list(Series.objects.in_force().filter(family_record__slug=slug).select_related("family_record"))


def beside_force(record: FamilyRecord) -> EditionSeen:
    """An edition beside the one of its family that is in force."""
    return EditionSeen(record, FamilyRecord.objects.in_force().get(slug=record.slug))


def waiting_families() -> list[EditionSeen]:
    """Every edition of a family that waits to be put in force."""
    waiting = _waiting()
    now = {each.slug: each for each in families_in_force(tuple({each.slug for each in waiting}))}
    return [EditionSeen(record, now[record.slug]) for record in waiting]


def waiting_series() -> list[Series]:
    """Every edition of a series that is being read or waits to be put in force."""
    return _waiting_series()


def _waiting() -> list[FamilyRecord]:
    return list(FamilyRecord.objects.checked())


def _waiting_series() -> list[Series]:
    states = (SeriesState.READING, SeriesState.CHECKED)
    return list(Series.objects.filter(state__in=states).select_related("family_record", "replaces", "intake"))


def can_come_in(series: Series, with_families: Iterable[FamilyRecord] = ()) -> bool:
    """Whether a series can be put in force as it stands, these families' editions with it."""
    rests_on = series.family_record
    is_clean = series.is_checked and not series.intake.bad and series.count > 0
    return is_clean and (not rests_on.is_checked or rests_on in set(with_families))


def touched_by(series: Series) -> int:
    """How many keys were made here from codes that a series which waits changes."""
    return len(keys_touched(series, series.replaces)) if series.replaces and series.is_checked else 0


def editions_of(slug: str) -> list[FamilyRecord]:
    """Every edition of a family, the one that waits first, then that in force."""
    order = {EditionState.CHECKED.value: 0, EditionState.IN_FORCE.value: 1}
    records = FamilyRecord.objects.filter(slug=slug).order_by("-in_force_at", "-created_at")
    return sorted(records, key=lambda each: order.get(each.state, 2))


def _keys(record: FamilyRecord) -> Iterator[TouchedKey]:
    """The keys of tags whose bitting is settled, by whichever edition of the family."""
    last: dict[int, tuple[Tag, Bitting]] = {}
    for settlement in _settled(record.slug):
        last[settlement.tag_id] = (settlement.tag, settlement.bitting)
    beside = _Beside(record)
    for tag, bitting in last.values():
        if tag.family_record is None:
            continue
        shifts = beside.shifts(tag.family_record, bitting)
        if shifts != ():
            yield TouchedKey(
                tag.number, None, tag.title, tag.family_record.edition, tag.is_open, shifts, beside.is_beyond(shifts)
            )


def _tools(record: FamilyRecord) -> Iterator[TouchedKey]:
    """The depth keys and test keys of the shop that are still there."""
    beside = _Beside(record)
    for tool in _tools_of(record.slug):
        shifts = beside.shifts(tool.family_record, tool.piece.wanted_bitting or {})
        if shifts != ():
            yield TouchedKey(
                None, tool.number, f"{tool.get_kind_display()} {tool.label}", tool.family_record.edition, False, shifts,
                beside.is_beyond(shifts),
            )  # fmt: skip


def _settled(slug: str) -> list[Settlement]:
    settled = Settlement.objects.filter(tag__family_record__slug=slug, is_try=False)
    return list(settled.exclude(tag__state=TagState.DECLINED).select_related("tag__family_record").order_by("id"))


def _tools_of(slug: str) -> list[ShopTool]:
    tools = ShopTool.objects.filter(family_record__slug=slug, destroyed_at=None)
    return list(tools.select_related("family_record", "piece__settlement"))


class _Beside:
    """The keys of other editions beside one, each bitting looked at once."""

    def __init__(self, record: FamilyRecord) -> None:
        self.record = record
        self._known: dict[tuple[int, str], tuple[CutShift, ...] | None] = {}

    def shifts(self, made_by: FamilyRecord, bitting: Bitting) -> tuple[CutShift, ...] | None:
        """What would be cut otherwise; None where the bitting is none of the edition's."""
        key = made_by.pk, json.dumps(bitting)
        if key not in self._known:
            is_read = self.record.reads(made_by)
            self._known[key] = cut_shifts(made_by.family, self.record.family, bitting) if is_read else None
        return self._known[key]

    def is_beyond(self, shifts: Sequence[CutShift] | None) -> bool:
        """Whether a key so shifted is out of tolerance by the edition."""
        return shifts is None or any(_is_off(self.record.family, shift) for shift in shifts)


def _is_off(family: Family, shift: CutShift) -> bool:
    allowed = family.tolerance
    return allowed is not None and (abs(shift.value) > allowed.value or abs(shift.space) > allowed.space)


def _how_bad(key: TouchedKey) -> tuple[bool, bool, float, int]:
    return key.shifts is not None, not key.is_beyond, -max(abs(key.value), abs(key.space)), -(key.tag or 0)
