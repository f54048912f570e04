"""Families as other rooms ask for them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable

from django.db.models import F, QuerySet

from wryfalcon.library.models import Blank, FamilyRecord
from wryfalcon.prepared import prepared


@prepared
def families_of(kinds: tuple[str, ...]) -> QuerySet[FamilyRecord]:
    """The families in force of these kinds."""
    return FamilyRecord.objects.in_force().filter(kind__in=kinds)


@prepared
def families_in_force(slugs: tuple[str, ...]) -> QuerySet[FamilyRecord]:
    """The editions in force of these families."""
    return FamilyRecord.objects.in_force().filter(slug__in=slugs)


def families_by_pk(pks: tuple[int, ...]) -> dict[int, FamilyRecord]:
    """Editions of families by what other rows name them by."""
    return {record.pk: record for record in _families(pks)}


@prepared
def _families(pks: tuple[int, ...]) -> QuerySet[FamilyRecord]:
    return FamilyRecord.objects.filter(pk__in=pks)


def with_blanks(records: Iterable[FamilyRecord]) -> list[FamilyRecord]:
    """These editions with their blanks, asked for all at once."""
    found, held = list(records), defaultdict[int, list[Blank]](list)
    for blank in _hung(tuple(record.pk for record in found)):
        held[getattr(blank, "hung_for")].append(blank)  # noqa: B009  the query says so
    for record in found:
        record.on_hooks = held[record.pk]
    return found


@prepared
def _hung(families: tuple[int, ...]) -> QuerySet[Blank]:
    return Blank.objects.filter(families__in=families).annotate(hung_for=F("families"))
