"""What the fitting guide leaves of all its rows, with the families and blanks that this shop has for each."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.db.models import Count

from keycore.reading.guide import BlankNumber, Known, Question, find_rows, next_question, plain_number
from wryfalcon.library.models import Blank, FamilyRecord, GuideEntry, NotInGuide

SHOWN = 40


@dataclass(frozen=True)
class HeldBlank:
    """A blank as its supplier calls it, and the shop's own where it hangs here."""

    of: BlankNumber
    here: Blank | None


@dataclass(frozen=True)
class FoundRow:
    """A row, the family of it that the library has, and its blanks, those on the hooks first."""

    entry: GuideEntry
    family: FamilyRecord | None
    blanks: tuple[HeldBlank, ...]

    @property
    def blank(self) -> Blank | None:
        """The first blank that hangs here."""
        return next((held.here for held in self.blanks if held.here is not None), None)


@dataclass(frozen=True)
class Search:
    """What is left, and what to ask next."""

    every: int  # rows in the guides
    left: int
    rows: tuple[FoundRow, ...]  # the first of them
    question: Question | None


def search(known: Known) -> Search:
    """The rows that what is known leaves, best first."""
    entries = list(GuideEntry.objects.select_related("guide"))
    rows = [entry.row for entry in entries]
    of_row = {id(row): entry for row, entry in zip(rows, entries, strict=True)}
    left = find_rows(rows, known)
    found = _with_blanks([of_row[id(row)] for row in left[:SHOWN]])
    return Search(len(entries), len(left), found, next_question(left) if len(left) > 1 else None)


def found_row(pk: int) -> FoundRow | None:
    """One row by its number, None where there is none."""
    entry = GuideEntry.objects.filter(pk=pk).first()
    return _with_blanks([entry])[0] if entry is not None else None


def _with_blanks(entries: Sequence[GuideEntry]) -> tuple[FoundRow, ...]:
    named = FamilyRecord.objects.in_force().filter(slug__in={entry.family for entry in entries})
    families = {record.slug: record for record in named}
    here = {plain_number(blank.code): blank for blank in Blank.objects.all()}
    found = []
    for entry in entries:
        held = [HeldBlank(number, here.get(number.plain)) for number in entry.row.blanks]
        held.sort(key=lambda each: each.here is None)
        found.append(FoundRow(entry, families.get(entry.family), tuple(held)))
    return tuple(found)


def missing(most: int = 10) -> list[tuple[str, int]]:
    """What was asked for and had no row, the most often first."""
    asked = NotInGuide.objects.values("words").annotate(times=Count("id")).order_by("-times", "words")
    return [(each["words"], each["times"]) for each in asked[:most]]
