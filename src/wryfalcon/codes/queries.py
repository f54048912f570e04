"""Finding codes: by the code itself, and by what a reading leaves possible."""

from __future__ import annotations

from dataclasses import dataclass

from django.db.models import QuerySet

from keycore.codes.series import looked_up
from keycore.errors import InputError
from keycore.family import Family, Track
from keycore.reading.decode import Reading, weigh_plainly
from keycore.reading.evidence import Evidence
from wryfalcon.codes.models import Code
from wryfalcon.library.models import FamilyRecord

MOST_WEIGHED = 20_000
BEST = 5


@dataclass(frozen=True)
class FittingCode:
    """A code that what was read may be, and its chance among the series' own."""

    code: Code
    chance: float


def codes_called(text: str) -> QuerySet[Code]:
    """Every series' code of that name, blanks and dashes forgiven."""
    return Code.objects.filter(looked_up=looked_up(text)).select_related("series__family_record")


def codes_that_fit(record: FamilyRecord, track: Track, evidence: tuple[Evidence, ...]) -> list[FittingCode]:
    """The likeliest codes of the family's series, given what was read: nothing outside them is considered.

    Empty without a series, for more than 20,000 codes, or when no code explains what was read.
    """
    codes = Code.objects.filter(series__family_record=record, series__track=track.name, broken="")
    rows = list(codes.values_list("pk", "bitting")[: MOST_WEIGHED + 1])
    if not rows or len(rows) > MOST_WEIGHED:
        return []
    by_steps: dict[tuple[int, ...], int] = {}
    for pk, bitting in rows:
        by_steps.setdefault(track.steps(bitting.split()), pk)
    best = _likeliest(record.family, track, evidence, tuple(by_steps))
    found = Code.objects.select_related("series").in_bulk([by_steps[steps] for steps, _ in best])
    return [FittingCode(found[by_steps[steps]], chance) for steps, chance in best if chance >= 0.005]


def _likeliest(
    family: Family, track: Track, evidence: tuple[Evidence, ...], among: tuple[tuple[int, ...], ...]
) -> list[tuple[tuple[int, ...], float]]:
    try:
        return weigh_plainly(Reading(family, track, evidence, frozenset(), among=among)).likeliest(BEST)
    except InputError:
        return []
