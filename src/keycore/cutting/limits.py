"""What a cutter's shape allows of neighbours, and depth values as heights on one edge."""

from __future__ import annotations

from collections.abc import Sequence

from keycore.family import Cut, Family, Track

NOTHING = 1e-9  # lengths below this are nothing, in either unit


def edge_values(family: Family, values: Sequence[float]) -> tuple[float, ...]:
    """Depth values as heights on one edge: halved where the table is measured across.

    Arguments: ``values`` (n,) family unit. Returns (n,). Raises nothing.
    """
    return tuple(value * family.share_per_edge for value in values)


def macs_from_geometry(family: Family, track: Track, cut: Cut | None = None) -> int | None:
    """The largest step between neighbours that leaves every root's whole flat.

    The largest m such that any two depths at most m steps apart satisfy |v_a - v_b| T <= pitch - f
    at the smallest spacing. Arguments: a family, its track, and a cutter other than the family's
    own if one is fitted. Returns 0 to d - 1, or None without a cut, with fewer than two spaces or where spaces
    are angles.
    Raises nothing. Check: pitch 0.15625, flat 0.031, angle 100 and steps of 0.015 give 7, the
    figure commonly published for a very common residential pattern (from memory).
    """
    cut, pitch = cut or track.cut, track.pitch
    if cut is None or pitch is None:
        return None
    if family.kind.has_angles:
        return None  # their spaces are no lengths along a blade
    values = edge_values(family, track.values)
    room = pitch - cut.flat + NOTHING
    for m in range(1, len(values)):
        if max(abs(b - a) for a, b in zip(values, values[m:], strict=False)) * cut.slope > room:
            return m - 1
    return len(values) - 1
