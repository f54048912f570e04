"""Which edition of a family a series was made by, and which keys of it are made by now."""

from __future__ import annotations

from collections.abc import Iterable

from wryfalcon.codes.models import Series
from wryfalcon.library.models import EditionState, FamilyRecord
from wryfalcon.library.queries.families import families_in_force


def newest_edition(slug: str) -> FamilyRecord | None:
    """What a table offered for a family is checked by: the edition that waits, otherwise that in force."""
    editions = FamilyRecord.objects.filter(slug=slug).exclude(state=EditionState.REPLACED)
    return editions.order_by("state").first()  # "checked" before "in-force"


def series_read_by(record: FamilyRecord, track: str) -> list[Series]:
    """The series in force whose bittings mean the same cuts by this edition of their family, whichever made them."""
    return [each for each in _series_of(record.slug, track) if record.reads(each.family_record)]


def _series_of(family: str, track: str) -> list[Series]:
    series = Series.objects.in_force().filter(family_record__slug=family, track=track)
    return list(series.select_related("family_record"))


def editions_to_make_by(series: Iterable[Series]) -> dict[int, FamilyRecord]:
    """For each series the edition that a key of its codes is made by: that in force where it reads them.

    Otherwise their own: labels or cuts differ, and the codes wait for the next edition of their series.
    """
    every = list(series)
    slugs = tuple({each.family_record.slug for each in every})
    now = {record.slug: record for record in families_in_force(slugs)}
    made_by = {}
    for each in every:
        own = each.family_record
        latest = own if own.is_in_force else now.get(own.slug, own)
        made_by[each.pk] = latest if latest.reads(own) else own
    return made_by


def edition_to_make_by(series: Series) -> FamilyRecord:
    """The same of one series."""
    return editions_to_make_by([series])[series.pk]
