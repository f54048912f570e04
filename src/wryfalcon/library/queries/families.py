"""Families as other rooms ask for them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable

from django.db.models import F

from wryfalcon.library.models import Blank, FamilyRecord


def families_of(kinds: tuple[str, ...]) -> list[FamilyRecord]:
    """The families in force of these kinds."""
    return list(FamilyRecord.objects.in_force().filter(kind__in=kinds))


def families_in_force(slugs: tuple[str, ...]) -> list[FamilyRecord]:
    """The editions in force of these families."""
    return list(FamilyRecord.objects.in_force().filter(slug__in=slugs))


def families_by_pk(pks: tuple[int, ...]) -> dict[int, FamilyRecord]:
    """Editions of families by what other rows name them by."""
    return {record.pk: record for record in _families(pks)}


def _families(pks: tuple[int, ...]) -> list[FamilyRecord]:
    return list(FamilyRecord.objects.filter(pk__in=pks))


def with_blanks(records: Iterable[FamilyRecord]) -> list[FamilyRecord]:
    """These editions with their blanks, asked for all at once."""
    found, held = list(records), defaultdict[int, list[Blank]](list)
    for blank in _hung(tuple(record.pk for record in found)):
        held[getattr(blank, "hung_for")].append(blank)  # noqa: B009  the query says so
    for record in found:
        record.on_hooks = held[record.pk]
    return found


def _hung(families: tuple[int, ...]) -> list[Blank]:
    return list(Blank.objects.filter(families__in=families).annotate(hung_for=F("families")))
