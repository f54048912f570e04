"""What is cut from what the key is: restored, copied or compensated."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from keycore.errors import InputError
from keycore.family import Family, Track


def deeper(track: Track, amount: float) -> float:
    """An amount of metal as a change of depth value: negative where values fall as cuts deepen.

    Arguments: ``amount`` deeper, family unit. Raises nothing.
    """
    falls = len(track.values) < 2 or track.values[1] < track.values[0]
    return -amount if falls else amount


def values_to_cut(
    family: Family,
    track: Track,
    steps: Sequence[int],
    *,
    as_measured: Sequence[float | None] | None = None,
    deeper_by: float = 0.0,
    deeper_steps: Mapping[int, int] | None = None,
) -> tuple[float, ...]:
    """The depth values to cut.

    Restore: the table's own. Copy: ``as_measured`` (n,), the table's where nothing was measured.
    Compensate: everything ``deeper_by`` so much. ``deeper_steps`` takes single spaces (counted
    from 1) so many steps of the table deeper. Lengths in the family's unit. Returns (n,), never
    above the blank. Raises InputError for a step beyond the table.
    """
    values = []
    for place, step in enumerate(steps):
        extra = (deeper_steps or {}).get(place + 1, 0)
        if not 0 <= step + extra < len(track.depths):
            raise InputError("deeper_cuts", f"cut {place + 1} has no depth {extra} steps deeper")
        measured = as_measured[place] if as_measured else None
        base = track.values[step] if measured is None else measured
        further = track.values[step + extra] - track.values[step]
        value = base + further + deeper(track, deeper_by)
        values.append(_within(value, family.kind.uncut(family, track), falls=track.falls_when_deeper))
    return tuple(values)


def _within(value: float, uncut: float | None, *, falls: bool) -> float:
    """A value no shallower than the blank itself."""
    if uncut is None:
        return value
    return min(value, uncut) if falls else max(value, uncut)
