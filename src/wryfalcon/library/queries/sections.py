"""Which families have the same cross-section: the same key under another bow, as far as the blank goes."""

from __future__ import annotations

from keycore.family import Family
from keycore.geometry.outline import unlike
from wryfalcon.documents import parsed
from wryfalcon.kept import kept
from wryfalcon.library.models import FamilyRecord
from wryfalcon.library.queries.families import with_blanks

SAME_MM = 0.06
"""Sections no further apart than this go into one keyway: a guess."""


def same_section(record: FamilyRecord) -> list[FamilyRecord]:
    """The other families whose blanks have this one's section; none where it is not known."""
    if not record.family.section:
        return []
    return with_blanks(other for other in _others(record.slug) if _are_alike(record.document, other.document))


def _others(slug: str) -> list[FamilyRecord]:
    return list(FamilyRecord.objects.in_force().exclude(slug=slug))


@kept(512)
def _are_alike(first: str, other: str) -> bool:
    a, b = parsed(first), parsed(other)
    return bool(a.section and b.section) and unlike(_mm(a), _mm(b)) <= SAME_MM


def _mm(family: Family) -> list[tuple[float, float]]:
    return [(family.lengths.to_machine(x), family.lengths.to_machine(y)) for x, y in family.section]
