"""The keys to try where some cuts are not known: what is still possible, on the fewest blanks."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from keycore.codes.progression import candidates_of, fewest_blanks
from keycore.errors import InputError
from wryfalcon.bench.queries.reading import TrackReading
from wryfalcon.documents import parsed

STILL_POSSIBLE = 0.01  # a depth less likely than this is not tried
MOST_SHOWN = 400


@dataclass(frozen=True)
class Try:
    """One key to try: its labels, and the cuts that are made on the blank as it then is."""

    labels: tuple[str, ...]
    cuts: tuple[tuple[int, str], ...]  # space as the source counts, and the label it is cut down to


@dataclass(frozen=True)
class Tries:
    """The keys to try, blank by blank; a problem in words where they cannot be listed."""

    blanks: tuple[tuple[Try, ...], ...] = ()
    problem: str = ""

    @property
    def count(self) -> int:
        """How many keys there are to try."""
        return sum(len(blank) for blank in self.blanks)


def tries_of(reading: TrackReading) -> Tries:
    """Every bitting that what was seen leaves at 1 in 100 or more a cut, on the fewest blanks, likeliest first."""
    if reading.posterior is None or reading.steps is None:
        return Tries(problem="Nothing is read yet.")
    known = []
    for space, row in enumerate(reading.posterior.marginals, start=1):
        judged = reading.overruled.get(space)
        if judged is not None and not judged.filled:
            known.append(frozenset({reading.track.step(judged.label)}))
        elif space in reading.known:
            known.append(frozenset(step for step, chance in enumerate(row) if chance >= STILL_POSSIBLE))
        else:
            known.append(frozenset())
    blanks, problem = _listed(reading.document, reading.track.name, tuple(known))
    log_chance = np.log(np.maximum(reading.posterior.marginals, 1e-12))

    def likeliest_of(blank: tuple[tuple[int, ...], ...]) -> float:
        """The likeliest key of a blank, cut by cut."""
        return max(float(log_chance[range(len(steps)), steps].sum()) for steps in blank)

    blanks = tuple(sorted(blanks, key=likeliest_of, reverse=True))
    return Tries(tuple(tuple(_cut_by_cut(reading, blank)) for blank in blanks), problem)


@lru_cache(maxsize=64)
def _listed(
    document: str, name: str, known: tuple[frozenset[int], ...]
) -> tuple[tuple[tuple[tuple[int, ...], ...], ...], str]:
    family = parsed(document)
    try:
        return fewest_blanks(candidates_of(family.track(name), known, rules=family.rules)).chains, ""
    except InputError as error:
        return (), f"{error.reason[0].upper()}{error.reason[1:]}: find out more before a blank is cut."


def _cut_by_cut(reading: TrackReading, blank: tuple[tuple[int, ...], ...]) -> list[Try]:
    """Each key of a blank with only what changes on it."""
    found, before = [], (-1,) * len(reading.track.spaces)
    for steps in blank:
        changed = [place for place, (a, b) in enumerate(zip(before, steps, strict=True)) if a != b]
        cuts = sorted((reading.shown_space(place + 1), reading.track.labels[steps[place]]) for place in changed)
        found.append(Try(tuple(reading.labelled(steps)), tuple(cuts)))
        before = steps
    return found
