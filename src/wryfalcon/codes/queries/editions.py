"""What a new edition changes, and which keys were made from what it changes."""

from __future__ import annotations

from dataclasses import dataclass

from django.db.models import Count, F, OuterRef, Q, QuerySet, Subquery

from wryfalcon.codes.models import Code, Series

GONE = "no longer in it"


@dataclass(frozen=True)
class Changes:
    """How an edition differs from the one before."""

    added: int
    changed: int
    gone: int


@dataclass(frozen=True)
class TouchedKey:
    """A key made from a code that the new edition gives another bitting, or no longer has."""

    tag: str
    title: str
    code: str
    was: str
    now: str

    @property
    def is_gone(self) -> bool:
        """Whether the edition lacks the code."""
        return self.now == GONE


def compare(series: Series, before: Series) -> Changes:
    """Count what the edition adds, changes and lacks."""
    runs = series.columns.filter(space=0).order_by("first")
    first, last = runs.first(), runs.last()
    if first is None or last is None:
        return Changes(0, 0, before.count)
    was = Code.objects.filter(series=before, looked_up=OuterRef("looked_up")).values("bitting")
    now = Code.objects.filter(series=series, pk__range=(first.first, last.first + len(last.steps) - 1))
    found = now.annotate(was=Subquery(was)).aggregate(
        shared=Count("was"), changed=Count("pk", filter=Q(was__isnull=False) & ~Q(was=F("bitting")))
    )
    return Changes(series.count - found["shared"], found["changed"], before.count - found["shared"])


def keys_touched(series: Series, before: Series) -> list[TouchedKey]:
    """The keys whose code the edition changes, newest first."""
    rows = sorted(
        {
            *_read(before),
            *_overruled(before),
        },
        reverse=True,
    )
    now = dict(_now(series, tuple({row[3] for row in rows})))
    return [
        TouchedKey(f"{number:04d}", title, code, bitting, now.get(key, GONE))
        for number, title, code, key, bitting in rows
        if now.get(key) != bitting
    ]


def _now(series: Series, codes: tuple[str, ...]) -> list[tuple[str, str]]:
    return list(Code.objects.filter(series=series, looked_up__in=codes).values_list("looked_up", "bitting"))


def _read(series: Series) -> list[tuple[int, str, str, str, str]]:
    return list(_used(Code.objects.filter(series=series, sources__removed=False), "sources__tag"))


def _overruled(series: Series) -> list[tuple[int, str, str, str, str]]:
    return list(_used(Code.objects.filter(series=series, overrulings__withdrawn=False), "overrulings__tag"))


def _used(found: QuerySet[Code], tag: str) -> QuerySet[Code, tuple[int, str, str, str, str]]:
    """Tag number and title, code, code as looked up and bitting, for tags that a code reached one way."""
    reached = found.exclude(**{tag: None})
    return reached.values_list(f"{tag}__number", f"{tag}__title", "code", "looked_up", "bitting")
