"""The log of a tag in words: what its entries name is looked up when somebody who may see it reads it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from wryfalcon.bench.models import Lock, Overruling, ProofValue, Settlement, SheetEntry, Sighting, Source, Tag
from wryfalcon.log.models import AuditEntry

SHOWN_PLAINLY = (
    "what", "piece", "machine", "cutter", "intent", "cuts", "read", "values", "verdict", "passed", "depth_key",
    "counts", "removed", "counted_from", "wear", "order", "half_steps", "series", "outcome", "proven", "wanted",
    "record", "way_up", "showed", "worked", "enters", "turns", "leaves", "changed", "again",
)  # fmt: skip


@dataclass(frozen=True)
class ToldEntry:
    """One entry, and what it speaks of in words."""

    entry: AuditEntry
    words: str


def history_of(tag: Tag) -> list[ToldEntry]:
    """Everything that happened on a tag, oldest first."""
    entries = _entries(tag)
    named = _Named.of([entry.data for entry in entries])
    return [ToldEntry(entry, named.words(entry.data)) for entry in entries]


def _entries(tag: Tag) -> list[AuditEntry]:
    return list(tag.audit.select_related("actor").order_by("at", "id"))


@dataclass(frozen=True)
class _Named:
    """The records that some entries name."""

    sources: Mapping[int, Source]
    looks: Mapping[tuple[int, int], Sequence[Sighting]]
    overrulings: Mapping[int, Overruling]
    settlements: Mapping[int, Settlement]
    values: Mapping[int, ProofValue]
    locks: Mapping[int, Lock]
    tries: Mapping[int, SheetEntry]

    @classmethod
    def of(cls, every: Sequence[Mapping[str, Any]]) -> _Named:
        sources = _ids(every, "source")
        looks: defaultdict[tuple[int, int], list[Sighting]] = defaultdict(list)
        if sources:
            for sighting in Sighting.objects.filter(source__in=sources):
                looks[sighting.source_id, sighting.look].append(sighting)
        return cls(
            Source.objects.in_bulk(sources),
            looks,
            Overruling.objects.in_bulk(_ids(every, "overruling")),
            Settlement.objects.in_bulk(_ids(every, "settlement")),
            ProofValue.objects.in_bulk(_ids(every, "value")),
            Lock.objects.in_bulk(_ids(every, "lock")),
            SheetEntry.objects.in_bulk(_ids(every, "entry")),
        )

    def words(self, data: Mapping[str, Any]) -> str:
        """What an entry speaks of, on one line."""
        said = [*self._records(data)]
        said += [f"{name.replace('_', ' ')} {_plain(data[name])}" for name in SHOWN_PLAINLY if _is_said(data.get(name))]
        return ", ".join(said)

    def _records(self, data: Mapping[str, Any]) -> Iterable[str]:
        source = self.sources.get(data.get("source", 0))
        if source is not None:
            yield str(source)
            space = data.get("space")
            for sighting in self.looks.get((source.pk, data.get("look", -1)), ()):
                if space in (None, sighting.space) and _showed(sighting):
                    yield f"cut {sighting.space} {_showed(sighting)}"
        elif data.get("space"):
            yield f"cut {data['space']}"
        if overruling := self.overrulings.get(data.get("overruling", 0)):
            yield f"to {overruling.label}: {overruling.reason}"
        if settlement := self.settlements.get(data.get("settlement", 0)):
            yield "; ".join(" ".join(labels) for labels in settlement.bitting.values())
        if value := self.values.get(data.get("value", 0)):
            yield f"cut {value.space} {value.typed}"
        if lock := self.locks.get(data.get("lock", 0)):
            yield lock.name
        if (tried := self.tries.get(data.get("entry", 0))) and tried.space:
            yield f"cut {tried.space} {tried.get_outcome_display()} a {tried.label}"


def _ids(every: Sequence[Mapping[str, Any]], name: str) -> set[int]:
    return {data[name] for data in every if isinstance(data.get(name), int)}


def _showed(sighting: Sighting) -> str:
    if sighting.depth:
        return f"{sighting.seen} at {sighting.depth}"
    if sighting.compared:
        return f"{sighting.get_compared_display()} cut {sighting.beside}"
    if sighting.mark:
        return f"looks {sighting.get_mark_display()}"
    return sighting.typed or "/".join(sighting.labels)


def _is_said(value: Any) -> bool:
    return value not in ("", None, [], {})


def _plain(value: Any) -> str:
    if isinstance(value, list):
        return " ".join(str(each).removesuffix("_id").replace("_", " ") for each in value)
    return {True: "yes", False: "no"}[value] if isinstance(value, bool) else str(value)
