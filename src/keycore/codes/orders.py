"""In which order to try the bittings still possible, and what each order costs in blanks and in tries."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from keycore.codes.candidates import Steps
from keycore.codes.progression import Chain, Progression, blanks_for

ALIKE = 12  # decimals to which chances that are alike agree


@dataclass(frozen=True, slots=True)
class Try:
    """One key to try, and the blank it is cut on: those begun come first, counted from 0."""

    blank: int
    steps: Steps


@dataclass(frozen=True)
class Order:
    """Every candidate once, in the order of trying."""

    tries: tuple[Try, ...]
    blanks: int  # new ones, if every try is needed
    expected: float  # tries until the key turns, on average
    begun: float  # new blanks begun by then, on average


def blank_after_blank(progression: Progression, chances: Mapping[Steps, float]) -> Order:
    """One blank cut to its end before the next is begun, the blanks in the order that takes the fewest tries.

    Whole jobs of equal machine are done in falling weight per length (Smith, *Naval Research Logistics
    Quarterly* 3, 1956, 59-66): here chance per try. Arguments: a Progression and the ``chances``
    of its candidates, each (n,) steps. Returns an Order. Raises KeyError for a candidate without a chance.

    >>> order = blank_after_blank(Progression((((0,), (1,)), ((2,),))), {(0,): 0.1, (1,): 0.3, (2,): 0.6})
    >>> order.tries, round(order.begun, 9)  # the first blank turns with 0.6, else both are begun
    ((Try(blank=1, steps=(2,)), Try(blank=0, steps=(0,)), Try(blank=0, steps=(1,))), 1.4)
    """
    blanks = [(blank, chain) for blank, chain in _by_blank(progression) if chain]
    blanks.sort(key=lambda each: -round(sum(chances[steps] for steps in each[1]) / len(each[1]), ALIKE))
    return _order([Try(blank, steps) for blank, chain in blanks for steps in chain], progression, chances)


def likeliest_within(progression: Progression, chances: Mapping[Steps, float]) -> Order:
    """The likeliest first as far as the blanks of a progression allow, all of them in hand at once.

    The fewest expected tries for these blanks: each chain is cut into runs of falling average chance,
    and the runs of all chains are taken in falling average (Conway, Maxwell and Miller, *Theory of
    Scheduling*, 1967, section 4-2, from memory). Arguments: a Progression and the ``chances`` of its
    candidates, each (n,) steps. Returns an Order. Raises KeyError for a candidate without a chance.

    >>> progression = Progression((((0,), (3,)), ((1,), (2,))))
    >>> order = likeliest_within(progression, {(0,): 0.1, (3,): 0.1, (1,): 0.0, (2,): 0.8})
    >>> [each.steps for each in order.tries], round(order.expected, 9)
    ([(1,), (2,), (0,), (3,)], 2.3)
    """
    runs = [run for blank, chain in _by_blank(progression) for run in _falling_runs(blank, chain, chances)]
    runs.sort(key=lambda run: -round(run[0], ALIKE))  # of runs alike, those of blanks in hand stay first
    return _order([each for _, tries in runs for each in tries], progression, chances)


def likeliest_first(
    candidates: NDArray[np.int8], chances: Mapping[Steps, float], begun: Sequence[Steps] = (), *,
    can_be_recut: bool = True,
) -> Order:  # fmt: skip
    """Strictly the likeliest first, on as few new blanks as that order can be cut on.

    The blanks are the fewest for that order: a progression in which a key must also come later to
    follow. Arguments: ``candidates`` (b, n), the ``chances`` of each, what the blanks ``begun`` are cut to, (n,) each,
    and whether they ``can_be_recut``. Returns an Order. Raises KeyError for a candidate without a chance.

    >>> order = likeliest_first(np.array([[0, 1], [1, 0], [1, 1]], np.int8), {(0, 1): 0.5, (1, 0): 0.2, (1, 1): 0.3})
    >>> [each.steps for each in order.tries], order.blanks
    ([(0, 1), (1, 1), (1, 0)], 2)
    """
    keys = [tuple(map(int, row)) for row in candidates]
    ranked = sorted(keys, key=lambda steps: (-chances[steps], steps))
    timed = np.array([(*steps, rank) for rank, steps in enumerate(ranked, start=1)], dtype=np.int16)
    found = blanks_for(timed, [(*steps, 0) for steps in begun], can_be_recut=can_be_recut)
    blank_of = {steps[:-1]: blank for blank, chain in _by_blank(found) for steps in chain}
    return _order([Try(blank_of[steps], steps) for steps in ranked], found, chances)


def _by_blank(progression: Progression) -> Iterable[tuple[int, Chain]]:
    return enumerate((*progression.begun, *progression.chains))


def _falling_runs(blank: int, chain: Chain, chances: Mapping[Steps, float]) -> list[tuple[float, list[Try]]]:
    """A chain in runs, each with a lower average chance than the one before: neighbours that rise are pooled."""
    runs: list[tuple[float, list[Try]]] = []
    for steps in chain:
        average, tries = chances[steps], [Try(blank, steps)]
        while runs and runs[-1][0] <= average:
            before, earlier = runs.pop()
            total = before * len(earlier) + average * len(tries)
            tries = earlier + tries
            average = total / len(tries)
        runs.append((average, tries))
    return runs


def _order(tries: list[Try], found: Progression, chances: Mapping[Steps, float]) -> Order:
    in_hand, blanks = len(found.begun), found.blanks
    weights = np.array([chances[each.steps] for each in tries])
    whole = float(weights.sum())
    expected = float(weights @ np.arange(1, len(tries) + 1)) / whole if whole > 0 else (len(tries) + 1) / 2
    return Order(tuple(tries), blanks, expected, _blanks_begun(tries, in_hand, weights))


def _blanks_begun(tries: Sequence[Try], in_hand: int, weights: NDArray[np.float64]) -> float:
    """New blanks begun until the key turns, on average; blanks in hand are numbered before all new ones."""
    begun: set[int] = set()
    so_far = np.zeros(len(tries))
    for place, each in enumerate(tries):
        if each.blank >= in_hand:
            begun.add(each.blank)
        so_far[place] = len(begun)
    whole = float(weights.sum())
    return float(weights @ so_far) / whole if whole > 0 else float(so_far.mean()) if len(tries) else 0.0
