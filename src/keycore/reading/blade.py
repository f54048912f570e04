"""The spaces of a blade and what links them: neighbours by the rules, any two by a comparison.

All that sums or maximises over a blade goes along it in this order, one space after another; a table over some
spaces (rising) has the nodes of the offsets last.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from keycore.reading.likelihood import Array, Ties


@dataclass(frozen=True)
class Blade:
    """Which spaces are linked, and by what: (d, d) factors of pairs a < b, indexed by their steps."""

    spaces: int
    links: Mapping[tuple[int, int], Array]

    @classmethod
    def of(cls, spaces: int, allowed: Array, ties: Ties) -> Blade:
        """Neighbours are linked by what is ``allowed`` (d, d), compared spaces by their ``ties``. Raises nothing."""
        links = {(i, i + 1): allowed for i in range(spaces - 1)}
        for pair, table in ties.items():
            links[pair] = np.exp(table) * links.get(pair, np.ones_like(allowed))
        return cls(spaces, links)

    @cached_property
    def onward(self) -> list[tuple[int, ...]]:
        """After each space, the spaces so far that are linked to one still to come."""
        return [
            tuple(j for j in range(i + 1) if any(a == j and b > i for a, b in self.links)) for i in range(self.spaces)
        ]

    def back_from(self, place: int) -> Iterator[tuple[int, Array]]:
        """What a space is linked to before it, and by what factor [step before, step here]."""
        for (a, b), table in self.links.items():
            if b == place:
                yield a, table

    def numbers_for_one_node(self, depths: int) -> float:
        """Numbers in the largest table, for one node."""
        return max(float(depths) ** (len(before) + (len(before) > 1)) for before in [(0,), *self.onward])

    def work_for_one_node(self, depths: int) -> float:
        """Multiplications of one sum over all spaces, for one node."""
        return sum(float(depths) ** (len(before) + 1) for before in [(), *self.onward[:-1]])

    def before(self, place: int) -> tuple[int, ...]:
        """The spaces before one that are linked to it or to one after it."""
        return self.onward[place - 1] if place else ()

    def is_simple(self, place: int) -> bool:
        """Whether a space is linked back to the one before it alone, and nothing else reaches past it."""
        return self.before(place) == (place - 1,) and self.onward[place] in ((), (place,))

    def carry(self, place: int, message: Array, cut: Array) -> Array:
        """All up to and with a space: over (what was linked onward before it..., the space), nodes last.

        Where nothing reaches past it only the space itself is left.
        """
        before = self.before(place)
        if self.is_simple(place):
            return np.asarray((self.links[place - 1, place].T @ message) * cut[place])
        own = cut[place].reshape((1,) * len(before) + cut[place].shape)
        wide = message.reshape(*message.shape[:-1], 1, message.shape[-1])
        return np.asarray(wide * self._linked(place, cut.shape[1]) * own)

    def sum_out(self, place: int, table: Array) -> Array:
        """The same over what is linked onward of the space alone."""
        if self.is_simple(place):
            return table if self.onward[place] else np.asarray(table.sum(axis=0))
        axes = (*self.before(place), place)
        gone = tuple(i for i, one in enumerate(axes) if one not in self.onward[place])
        return np.asarray(table.sum(axis=gone)) if gone else table

    def own_share(self, place: int, table: Array, after: Array) -> Array:
        """What a space has of ``carry`` times what comes after it: (d, g)."""
        if self.is_simple(place):
            return np.asarray(table * after)
        axes = (*self.before(place), place)
        belief = table * _spread(after, self.onward[place], axes)
        return np.asarray(belief.sum(axis=tuple(range(len(axes) - 1))))

    def bring_back(self, place: int, after: Array, cut: Array, *, best: bool = False) -> Array:
        """What comes after the space before: the sum, or the ``best``, over this space, nodes last."""
        if self.is_simple(place) and not best:
            return np.asarray(self.links[place - 1, place] @ (cut[place] * after))
        before = self.before(place)
        own = cut[place].reshape((1,) * len(before) + cut[place].shape)
        table = self._linked(place, cut.shape[1]) * own * _spread(after, self.onward[place], (*before, place))
        return np.asarray(table.max(axis=len(before)) if best else table.sum(axis=len(before)))

    def _linked(self, place: int, depths: int) -> Array:
        """All links of a space to those before it, as one table over (before..., place), nodes last (1)."""
        among = (*self.before(place), place)
        product: Array = np.ones((1,) * len(among) + (1,))
        for a, table in self.back_from(place):
            product = product * _spread(table[:, :, None], (a, place), among)
        return product


def _spread(table: Array, axes: tuple[int, ...], among: tuple[int, ...]) -> Array:
    """A table over some spaces (rising), nodes last, shaped to be multiplied with one over more of them."""
    shape = [table.shape[axes.index(one)] if one in axes else 1 for one in among]
    return table.reshape(*shape, table.shape[-1])
