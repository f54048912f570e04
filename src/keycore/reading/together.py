"""All sources of a reading side by side: those that share an offset as one, those without an offset as one table."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from keycore.budget import Budget
from keycore.errors import InputError
from keycore.family import Track
from keycore.reading.evidence import Compared, Measured, Rounded
from keycore.reading.grid import Aim, Weighed, weigh_offset, wider, without_offset
from keycore.reading.likelihood import Array, Ties, compared_ties, plain_table

if TYPE_CHECKING:
    from keycore.reading.decode import Reading


@dataclass(frozen=True)
class Together:
    """Sources made ready to be weighed: given the bitting they know nothing of each other.

    ``sources`` at least one, what has no offset put into the first, the one with the fewest nodes; ``ties`` what
    comparisons say; ``group_of`` which of the sources an evidence went into, None for one without an offset;
    ``log_most`` (s,) what each can give at most, by itself; ``aims`` (s,) how far each was looked at.
    """

    sources: tuple[Weighed, ...]
    ties: Ties
    group_of: tuple[int | None, ...]
    log_most: tuple[float, ...]
    aims: tuple[tuple[int, Aim], ...] = ()

    def log_unseen(self) -> list[float]:
        """Of each source, a bound of what its offsets that were not looked at could give to all bittings together."""
        return [source.log_unseen + self._others(s) for s, source in enumerate(self.sources)]

    def widened(self, log_short: Sequence[float]) -> dict[int, Aim]:
        """Aims that leave so much less out. Raises nothing."""
        found = {}
        for (key, aim), short, source in zip(self.aims, log_short, self.sources, strict=True):
            if short > 0 and source.log_outside >= source.log_unseen - 1.0:
                aim = wider(aim, short)
            if short > 0 and source.log_faint >= source.log_unseen - 1.0:
                aim = replace(aim, log_margin=aim.log_margin + short + 10.0)
            found[key] = aim
        return found

    def _others(self, s: int) -> float:
        return sum(most for other, most in enumerate(self.log_most) if other != s)


Grids = dict[object, Weighed]
"""Offsets already looked at: a source turned round leaves the others as they were."""


def put_together(reading: Reading, aims: Mapping[int, Aim], budget: Budget, grids: Grids) -> Together:
    """Make a reading's evidence ready.

    Arguments: the Reading; ``aims``, an Aim for each group of sources by its first evidence, where it is not the usual
    one; a Budget; ``grids``, added to. Returns a Together. Raises BeyondReach naming the evidence whose grid costs too
    much.
    """
    family, track = reading.family, reading.track
    table = held_table(track)
    ties: Ties = {}
    groups: dict[object, list[int]] = {}
    for place, source in enumerate(reading.evidence):
        if isinstance(source, Measured | Rounded):
            shared = source.shared if isinstance(source, Measured) else None
            groups.setdefault(("alone", place) if shared is None else ("shared", shared), []).append(place)
        elif isinstance(source, Compared):
            for pair, log_table in compared_ties(source, family, track, reading.stray).items():
                ties[pair] = ties.get(pair, 0.0) + log_table
        else:
            table = table + plain_table(source, track)
    weighed: list[tuple[int, list[int], Weighed]] = []
    for members in groups.values():
        instruments = tuple(source for m in members if isinstance(source := reading.evidence[m], Measured | Rounded))
        aim = aims.get(members[0])
        key = (instruments, aim, table.tobytes())
        if key not in grids:
            try:
                grids[key] = weigh_offset(
                    instruments, family, track, reading.stray, plain=table, aim=aim, budget=budget
                )
            except InputError as error:
                raise error.under(f"evidence[{members[0]}]") from None
        weighed.append((members[0], members, grids[key]))
    weighed.sort(key=lambda each: len(each[2].log_prior))
    group_of: list[int | None] = [None] * len(reading.evidence)
    for s, (_, members, _) in enumerate(weighed):
        for member in members:
            group_of[member] = s
    if not weighed:
        return Together((without_offset(table),), ties, tuple(group_of), (0.0,), ((-1, Aim()),))
    sources = [source for _, _, source in weighed]
    most = tuple(source.log_most for source in sources)
    if table.any():
        folded = sources[0].log_emission + table[:, :, None]
        sources[0] = replace(sources[0], log_emission=folded, kept={})
    used = tuple((key, aims.get(key, Aim())) for key, _, _ in weighed)
    return Together(tuple(sources), ties, tuple(group_of), most, used)


def held_table(track: Track) -> Array:
    """What the family holds fixed: log probabilities (n, d), nothing but the depth that never varies. Raises nothing.

    >>> from keycore.family import Depth
    >>> held_table(Track("A", (0.2, 0.3), (Depth("1", 0.3), Depth("2", 0.28)), fixed=((2, 0),))).tolist()
    [[0.0, 0.0], [0.0, -inf]]
    """
    table = np.zeros((len(track.spaces), len(track.depths)))
    for space, step in track.fixed:
        table[space - 1] = -np.inf
        table[space - 1, step] = 0.0
    return table
