"""The order of a reading tool for two tracks: each track's odd cuts down, its even ones up; then it is turned back."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.urls import reverse

from wryfalcon.bench.models import SourceKind, Tag
from wryfalcon.bench.reading.evidence import SourceReading
from wryfalcon.bench.reading.looks import reads_both_ways
from wryfalcon.bench.reading.queries import TrackReading

TURN_BACK = "Turn it back before you pull it out."


@dataclass(frozen=True)
class ToolStep:
    """One step of the tool: what is read, whether it is, and where it is read."""

    says: str
    is_done: bool
    is_next: bool
    href: str = ""


def is_walked(source: SourceReading) -> bool:
    """Whether a source is read with such a tool, in its order."""
    return source.record.kind == SourceKind.GRID and source.record.odd_first and reads_both_ways(source.family)


def tool_walk(tag: Tag, readings: Sequence[TrackReading], source: SourceReading) -> list[ToolStep]:
    """Every step in order, of a source that is read so."""
    found: list[tuple[str, bool, str]] = []
    for reading in readings:
        its = _its_grid(reading, source)
        href = reverse("bench:read", args=[tag.number])
        href += f"?source={its.record.pk}" if its is not None else f"?track={reading.track.name}&add=1"
        numbers = (its or SourceReading(reading.family, reading.track, source.record, ())).in_lock
        for way, is_odd in (("down", 1), ("up", 0)):
            cuts = [number for number in numbers if number % 2 == is_odd]
            read = its is not None and all(its.labels.get(its.shown_space(number)) for number in cuts)
            if cuts:
                named = ", ".join(map(str, cuts))
                found.append((f"{reading.family.kind.track_word} {reading.track.name}, {way}: {named}", read, href))
    found.append((TURN_BACK, False, ""))
    undone = next(place for place, (_, done, _) in enumerate(found) if not done)
    return [ToolStep(says, done, place == undone, href) for place, (says, done, href) in enumerate(found)]


def _its_grid(reading: TrackReading, source: SourceReading) -> SourceReading | None:
    """The grid of a track that was read with the same tool in the same lock."""
    if reading.track.name == source.track.name:
        return source
    return next(
        (each for each in reading.sources
         if each.record.kind == SourceKind.GRID and each.record.of_lock == source.record.of_lock),
        None,
    )  # fmt: skip
