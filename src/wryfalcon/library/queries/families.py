"""Families as other rooms ask for them."""

from __future__ import annotations

from django.db.models import QuerySet

from wryfalcon.library.models import FamilyRecord
from wryfalcon.prepared import prepared


@prepared
def families_of(kinds: tuple[str, ...]) -> QuerySet[FamilyRecord]:
    """The families in force of these kinds."""
    return FamilyRecord.objects.in_force().filter(kind__in=kinds)


def families_by_pk(pks: tuple[int, ...]) -> dict[int, FamilyRecord]:
    """Editions of families by what other rows name them by."""
    return {record.pk: record for record in _families(pks)}


@prepared
def _families(pks: tuple[int, ...]) -> QuerySet[FamilyRecord]:
    return FamilyRecord.objects.filter(pk__in=pks)
