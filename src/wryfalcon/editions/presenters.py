"""Editions in words and figures, for their pages."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from keycore.coordinate import Coordinate
from keycore.editions import FigureChange
from keycore.family import Family
from wryfalcon.editions.queries import EditionSeen, TouchedKey
from wryfalcon.lengths import say_difference, say_value
from wryfalcon.library.models import FamilyRecord

LACKING = "–"


@dataclass(frozen=True)
class ChangeRow:
    """One change: what, as it was, as it is, and by how much where that is a figure."""

    what: str
    was: str
    now: str
    by: str = ""

    @property
    def was_there(self) -> bool:
        """Whether the edition before had it at all."""
        return self.was != LACKING


@dataclass(frozen=True)
class TouchedRow:
    """A key that an edition touches, in words."""

    key: TouchedKey
    number: str  # of its tag or tool
    made_by: str
    says: str
    where: str


@dataclass(frozen=True)
class SeriesRow:
    """A series in force and what becomes of it."""

    name: str
    key: int
    codes: int
    says: str


@dataclass(frozen=True)
class EditionShown:
    """An edition beside the one in force."""

    record: FamilyRecord
    against: FamilyRecord
    figures: tuple[ChangeRow, ...]
    fields: tuple[ChangeRow, ...]  # whatever else its document says otherwise
    touched: tuple[TouchedRow, ...]
    more: int  # keys touched beyond those shown
    summary: str
    series: tuple[SeriesRow, ...]


def edition_shown(seen: EditionSeen, most: int) -> EditionShown:
    """An edition with its changes, and the first so many of the keys it touches."""
    family, changes = seen.record.family, seen.changes
    figures = (
        *_figures("Depth", family, family.depth, changes.depths),
        *_figures("Space", family, family.space, changes.spaces),
    )
    fields = tuple(
        ChangeRow(" · ".join(each.where).capitalize(), each.was or LACKING, each.now or LACKING)
        for each in changes.fields
    )
    touched = tuple(_touched(family, key) for key in seen.touched[:most])
    series = tuple(
        SeriesRow(
            str(each.series),
            each.series.pk,
            each.series.count,
            "read by it as it stands" if each.is_read else "keeps its own edition: other labels or cuts",
        )
        for each in seen.series
    )
    more = len(seen.touched) - len(touched)
    return EditionShown(seen.record, seen.against, figures, fields, touched, more, _summary(seen), series)


def _figures(heading: str, family: Family, coordinate: Coordinate, changes: Sequence[FigureChange]) -> list[ChangeRow]:
    rows = []
    for each in changes:
        track = f", track {each.track}" if len(family.tracks) > 1 else ""
        was, now = (LACKING if x is None else say_value(coordinate, x, fine=True) for x in (each.was, each.now))
        by = (
            ""
            if each.was is None or each.now is None
            else say_difference(coordinate, coordinate.off_by(each.now, each.was))
        )
        rows.append(ChangeRow(f"{heading} {each.name}{track}", was, now, by))
    return rows


def _touched(family: Family, key: TouchedKey) -> TouchedRow:
    number = f"{key.tag:04d}" if key.tag is not None else f"tool {key.tool}"
    if key.shifts is None:
        says = "its labels or cuts are none of this edition's"
    else:
        parts = []
        if key.value:
            parts.append(f"depth by up to {say_difference(family.depth, key.value)}")
        if key.space:
            parts.append(f"place by up to {say_difference(family.space, key.space)}")
        cuts = len(key.shifts)
        says = f"{cuts} cut{'' if cuts == 1 else 's'}: {', '.join(parts)}"
    where = "a tool of the shop's" if key.tag is None else "on the bench" if key.is_open else "given out"
    return TouchedRow(key, number, key.edition or "not named", says, where)


def _summary(seen: EditionSeen) -> str:
    """How many keys are touched, in a sentence."""
    every = len(seen.touched)
    if not every:
        return "No key made here is touched by it."
    beyond, bench = sum(key.is_beyond for key in seen.touched), sum(key.is_open for key in seen.touched)
    off = "all of them" if beyond == every else str(beyond) if beyond else "none"
    says = f"{every} keys" if every > 1 else "One key"
    says += " of this shop would be cut otherwise by it"
    says += f", {off} by more than its tolerance." if every > 1 else " by more than its tolerance." if beyond else "."
    on_bench = "All are given out" if not bench else f"{bench} still on the bench can go over"
    keep = "They keep the edition they were made by." if every > 1 else "It keeps the edition it was made by."
    return f"{says} {keep} {on_bench}."
