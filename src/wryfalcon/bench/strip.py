"""The reading strip of a track, from what its sources saw."""

from __future__ import annotations

from wryfalcon.bench.reading.queries import TrackReading
from wryfalcon.drawings.strip import SeenSource, Strip, StripState, draw_strip

TO_BE_TAPPED = 42.0
"""From rung to rung where a finger is to hit one, in the drawing's own pixels."""


def strip_of(reading: TrackReading, current: int | None = None, *, is_tapped: bool = False) -> Strip:
    """Every source's marks in the lanes, the posterior, the settled labels; higher where its lanes are tapped."""
    posterior = reading.posterior
    wear = posterior.wear if posterior else (None,) * len(reading.weighed)
    seen = [
        SeenSource(str(source.record), source.evidence, found, {s: mark.label for s, mark in source.marks.items()})
        for source, found in zip(reading.weighed, wear, strict=True)
        if source.evidence is not None
    ]
    state = StripState(
        sources=seen,
        posterior=posterior,
        settled=reading.steps,
        overruled={space: overruling.reason for space, overruling in reading.overruled.items()},
        current=current,
        apart=TO_BE_TAPPED if is_tapped else 0.0,
    )
    return draw_strip(reading.family, reading.track, state)
