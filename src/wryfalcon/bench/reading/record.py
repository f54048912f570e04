"""What was read of a tag's key, as plain data for pages and for its record."""

from __future__ import annotations

from typing import Any

from wryfalcon.bench.models import Sighting, Tag


def readings_record(tag: Tag) -> list[dict[str, Any]]:
    """What was read of a tag's key, source by source."""
    seen = Sighting.objects.filter(source__tag=tag, source__removed=False, withdrawn=False)
    found: dict[int, dict[str, Any]] = {}
    for sighting in seen.select_related("source"):
        source = sighting.source
        reading = found.setdefault(
            source.pk,
            {
                "source": source.kind,
                "title": str(source),
                "track": source.track,
                "counted_from": source.counted_from,
                "wear": source.wear,
                "counts": source.is_on,
                "values": [],
            },
        )
        reading["values"].append(_sighting(sighting))
    return list(found.values())


def _sighting(sighting: Sighting) -> dict[str, Any]:
    """What one look showed, without what it does not have."""
    kept = {
        "space": sighting.space,
        "value": sighting.value,
        "master": sighting.master,
        "wafers": sighting.wafers,
        "top": sighting.top,
        "labels": "/".join(sighting.labels),
        "depth": sighting.depth,
        "seen": sighting.seen,
        "beside": sighting.beside,
        "looks": sighting.compared,
        "mark": sighting.mark,
        "typed": sighting.typed,
    }
    return {name: value for name, value in kept.items() if value not in (None, "", [])}
