"""Keys that came back, as they were measured then: what they still say of how they were made."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from django.db.models import F

from keycore.reading.evidence import Spread
from keycore.reading.wear import worn_after
from wryfalcon.bench.models import Sighting, SourceKind

MEASURED = (SourceKind.CALIPERS, SourceKind.PROBE)


@dataclass
class BroughtBack:
    """One key that came back: the tag it came back under, when it was measured, its cuts, family unit."""

    tag: int
    made_at: datetime
    measured_at: datetime
    values: defaultdict[tuple[str, int], list[float]] = field(default_factory=lambda: defaultdict(list))

    @property
    def worn(self) -> Spread:
        """Metal it will have lost on one edge in between, inches."""
        return worn_after((self.measured_at - self.made_at).total_seconds() / 86_400)


def brought_back(made_at: Mapping[int, datetime]) -> dict[int, BroughtBack]:
    """What was measured of these pieces' keys when they came back, by piece; given is when each was made."""
    rows = _measured(tuple(made_at))
    found: dict[int, BroughtBack] = {}
    for piece, tag, at, track, space, value in rows:
        assert value is not None  # asked for
        back = found.setdefault(piece, BroughtBack(tag, made_at[piece], at))
        back.tag, back.measured_at = tag, at
        back.values[track, space].append(value)
    return found


def _measured(pieces: tuple[int, ...]) -> list[tuple[Any, ...]]:
    """The piece that came back, its tag, when, the track and space, and the value that was read of it."""
    seen = Sighting.objects.filter(
        source__tag__made_by__in=pieces, source__kind__in=MEASURED, source__removed=False, withdrawn=False,
        value__isnull=False, source__tag__family_record__slug=F("source__tag__made_by__tag__family_record__slug"),
        source__tag__family_record__unit=F("source__tag__made_by__tag__family_record__unit"),
    )  # fmt: skip
    return list(
        seen.order_by("at").values_list(
            "source__tag__made_by", "source__tag__number", "at", "source__track", "space", "value"
        )
    )
