"""A key that came back: what it lost since it was proven, and what it still says of how it was made."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import sqrt

from keycore.reading.evidence import Spread

CHANGED = 4.0  # sd: two measurements of one key that differ so are not of the same key any more


@dataclass(frozen=True, slots=True)
class MeanError:
    """The mean error of a key's cuts, positive is shallow, the sd of that mean, and how many cuts it is of."""

    value: float
    sd: float
    cuts: int


def mean_error(errors: Sequence[float], sd: float) -> MeanError:
    """The mean of ``errors`` (n,) of one ``sd`` each, in one unit. Raises ZeroDivisionError for none.

    >>> mean_error([0.01, 0.03], 0.02).value
    0.02
    """
    return MeanError(sum(errors) / len(errors), sd / sqrt(len(errors)), len(errors))


def lost_beyond_wear(new: MeanError, returned: MeanError, worn: Spread) -> float | None:
    """How much metal a key lost since it was proven; None where use explains it.

    Arguments: its mean error when new and when it came back, of the same cuts, and what use wears off in between,
    all in one unit; negative is a key that measures higher. It has changed where the loss is further from wear than
    4 sd of both measurements together. Raises nothing.

    >>> lost_beyond_wear(MeanError(0.0, 0.002, 5), MeanError(-0.05, 0.002, 5), Spread(0.01, 0.002))
    0.05
    >>> lost_beyond_wear(MeanError(0.0, 0.002, 5), MeanError(-0.011, 0.002, 5), Spread(0.01, 0.002)) is None
    True
    """
    lost = new.value - returned.value
    return lost if abs(lost - worn.mean) > CHANGED * sqrt(new.sd**2 + returned.sd**2) else None


def as_made(new: MeanError | None, returned: MeanError, worn: Spread) -> tuple[MeanError, bool]:
    """What a key's measurements say of how it was made: when new, when it came back, each by how well it is known.

    Inverse-variance weighted mean, as any text on combining measurements has it (Bevington and Robinson, ch. 4, from
    memory); ``returned`` has the wear added back, whose doubt widens it. Arguments: its mean error when ``new``, None
    where it was not measured; when ``returned``; what use wears off in between, one unit. Returns the mean error, and
    whether the returned measurement is in it: one that differs by over 4 sd is of a key that was bent, filed or
    another, and says nothing. Raises nothing.

    >>> round(as_made(None, MeanError(-0.011, 0.002, 5), Spread(0.01, 0.002))[0].value, 6)
    -0.001
    """
    then = MeanError(returned.value + worn.mean, sqrt(returned.sd**2 + worn.sd**2), returned.cuts)
    if new is None:
        return then, True
    trust_new, trust_then = 1 / new.sd**2, 1 / then.sd**2
    if abs(new.value - then.value) > CHANGED * sqrt(new.sd**2 + then.sd**2):
        return new, False
    joined = (new.value * trust_new + then.value * trust_then) / (trust_new + trust_then)
    return MeanError(joined, 1 / sqrt(trust_new + trust_then), max(new.cuts, then.cuts)), True
