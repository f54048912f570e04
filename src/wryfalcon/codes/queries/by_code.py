"""Finding a code in every series in force, as a smith writes it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from django.db.models import QuerySet
from django.db.models.functions import Length

from keycore.codes.series import code_range, looked_up
from keycore.family import Family, Track
from wryfalcon.codes.models import Code, Series, SeriesState
from wryfalcon.codes.queries.family import editions_to_make_by
from wryfalcon.library.models import FamilyRecord
from wryfalcon.library.queries.families import with_blanks

MOST = 200

ROW = ("pk", "series_id", "code", "bitting", "broken")
Row = tuple[int, int, str, str, str]
"""Key of the code, key of its series, code as printed, bitting, broken rules."""


@dataclass(frozen=True)
class FoundCode:
    """A code of a series, with what is needed to choose between several by what is on the bench."""

    pk: int
    code: str
    looked_up: str  # as the series' rule shortens what was typed
    bitting: str
    broken: str
    series: Series
    record: FamilyRecord  # the edition of the family that a key of it is made by

    @property
    def family(self) -> Family:
        """The key family."""
        return self.record.family

    @property
    def blanks(self) -> str:
        """The blanks that serve the family, and what is left of each."""
        return ", ".join(f"{blank.code}, hook {blank.hook}, {blank.left} left" for blank in self.record.on_hooks)

    @property
    def cuts(self) -> tuple[object, ...]:
        """What is cut, in hundredths of a millimetre: the same under whatever name it is sold."""
        return cuts_of(self.family, self.family.track(self.series.track), self.bitting.split())


@dataclass(frozen=True)
class SameCuts:
    """Codes that are the same cuts, on different blanks perhaps."""

    codes: tuple[FoundCode, ...]

    @property
    def are_several(self) -> bool:
        """Whether more than one series has them."""
        return len(self.codes) > 1


def rows_called(text: str) -> list[Row]:
    """Every series' code of that name, each series' own rule for printed codes applied."""
    wanted = {series: looked_up(text, printed) for series, printed in _printed()}
    found = Code.objects.filter(series__in=wanted, looked_up__in=set(wanted.values())).values_list(*ROW, "looked_up")
    return [each[:-1] for each in found if each[-1] == wanted[each[1]]]


def rows_between(first: str, last: str) -> list[Row]:
    """The codes of a range, in order, at most 200 for each rule of printed codes."""
    by_rule, found = defaultdict[str, list[int]](list), list[Row]()
    for series, printed in _printed():
        by_rule[printed].append(series)
    for printed, its in by_rule.items():
        low, high = looked_up(first, printed), looked_up(last, printed)
        between = Code.objects.filter(series__in=its, looked_up__range=(low, high)).alias(length=Length("looked_up"))
        found += between.filter(length=len(low)).order_by("looked_up").values_list(*ROW)[:MOST]
    return found


def _printed() -> QuerySet[Series, tuple[int, str]]:
    """Every series in force, and its rule for codes as printed."""
    return Series.objects.in_force().order_by().values_list("pk", "printed")


def codes_called(text: str, narrow: str = "") -> list[FoundCode]:
    """What a code, or a range of them, is in every series in force; ``narrow`` by maker, use or series."""
    ends = code_range(text)
    found = with_series((rows_between(*ends) if ends else rows_called(text))[:MOST], typed="" if ends else text)
    words = narrow.casefold().split()
    return [each for each in found if all(word in _about(each.series) for word in words)]


def with_series(rows: Sequence[Row], typed: str = "") -> list[FoundCode]:
    """Rows with their series, family and blanks; nothing is asked for a row of its own."""
    series = {each.pk: each for each in _series(tuple({row[1] for row in rows}))}
    made_by = editions_to_make_by(series.values())
    with_blanks(made_by.values())
    return [
        FoundCode(pk, code, looked_up(typed or code, series[of].printed), bitting, broken, series[of], made_by[of])
        for pk, of, code, bitting, broken in rows
        if of in series
    ]


def _series(pks: tuple[int, ...]) -> list[Series]:
    return list(Series.objects.filter(pk__in=pks, state=SeriesState.IN_FORCE).select_related("family_record"))


def by_cuts(found: Iterable[FoundCode]) -> list[SameCuts]:
    """Codes put together where they are the same cuts."""
    together: dict[tuple[object, ...], list[FoundCode]] = {}
    for each in found:
        together.setdefault(each.cuts, []).append(each)
    return [SameCuts(tuple(codes)) for codes in together.values()]


def cuts_of(family: Family, track: Track, labels: Sequence[str]) -> tuple[object, ...]:
    """Where and how deep a bitting is cut, in hundredths of a millimetre from its gauge."""
    place, depth = family.space.to_machine, family.depth.to_machine
    values = [track.values[track.step(label)] for label in labels]
    where = sorted((round(100 * place(x)), round(100 * depth(v))) for x, v in zip(track.spaces, values, strict=True))
    return family.kind, family.gauge, family.measured, track.tool, tuple(where)


def _about(series: Series) -> str:
    return f"{series.name} {series.slug} {series.maker} {series.use} {series.family_record}".casefold()
