"""A cut that reads shallow for dirt, though nobody said so."""

from __future__ import annotations

from collections.abc import Collection

from keycore.family import Family, Track
from keycore.reading.decode import Posterior
from keycore.reading.evidence import Measured

SHALLOW = 1.8  # sd above what its fellows say: most likely dirt; common practice, no source


def reads_shallow(
    family: Family, track: Track, found: Posterior, measured: Measured, marked: Collection[int]
) -> int | None:
    """The space that most likely reads shallow for dirt; None where none does.

    One that lies far above what its fellows say of the depth it has, or of the deeper of the two it may have.
    Arguments: the ``found`` posterior, whose first source is what was ``measured``; ``marked`` the spaces, from 1, of
    which the smith said what is the matter with them: those are not spoken of. Returns a space from 1. Raises nothing.
    """
    wear, deepest = found.wear[0], list(found.best)
    if wear is None:
        return None
    second = found.bittings[1][0] if len(found.bittings) > 1 else found.best
    differ = [place for place, (a, b) in enumerate(zip(found.best, second, strict=True)) if a != b]
    if len(differ) == 1:
        deepest[differ[0]] = max(found.best[differ[0]], second[differ[0]])
    down = -1.0 if track.falls_when_deeper else 1.0
    u, values = family.towards_tip(track), track.values
    off = {
        place: -down * (value - values[step] - wear[0].mean - wear[1].mean * u[place]) / measured.sd[place]
        for place, (value, step) in enumerate(zip(measured.values, deepest, strict=True))
        if value is not None and place + 1 not in marked
    }
    worst = max(off, key=lambda place: off[place], default=None)
    return worst + 1 if worst is not None and off[worst] > SHALLOW else None
