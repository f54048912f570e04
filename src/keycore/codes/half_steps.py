"""Half-step tries: one cut between two depths stands for both, where the lock's play allows it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from keycore.codes.candidates import Steps
from keycore.family import Play, Track

ROUNDING = 1e-9  # of a unit: a gap that equals the play counts as within it


@dataclass(frozen=True)
class Halving:
    """What each space is cut to: whole depths, and half steps that stand for two.

    A cut is a *place*: 2k for depth k, 2k + 1 between depths k and k + 1; deeper is larger, so that
    places order as steps do. ``place_of`` (n, d) is the place that stands for each depth of a space.
    """

    place_of: NDArray[np.int8]

    def tries(self, candidates: NDArray[np.int8]) -> NDArray[np.int8]:
        """The keys, as places (t, n), that stand for all the candidates, each once. Raises nothing."""
        return np.unique(self.places(candidates), axis=0)

    def stands_for(self, candidates: NDArray[np.int8], places: Steps) -> NDArray[np.int8]:
        """The candidates (b, n) that a key of these places stands for. Raises nothing."""
        stood: NDArray[np.bool_] = (self.places(candidates) == np.array(places)).all(axis=1)
        return candidates[stood]

    def places(self, candidates: NDArray[np.int8]) -> NDArray[np.int8]:
        """The place that stands for each cut of some candidates, (b, n). Raises nothing."""
        places = np.take_along_axis(self.place_of, candidates.T.astype(np.intp), axis=1)
        return np.ascontiguousarray(places.T)


def whole_steps(track: Track) -> Halving:
    """No half steps: each depth stands for itself. Raises nothing.

    >>> from keycore.family import Depth
    >>> whole_steps(Track("A", (0.2,), (Depth("1", 0.33), Depth("2", 0.31)))).place_of.tolist()
    [[0, 2]]
    """
    return Halving(np.tile(2 * np.arange(len(track.depths), dtype=np.int8), (len(track.spaces), 1)))


def whole_steps_of(tracks: Sequence[Track]) -> Halving:
    """The same for the spaces of several ``tracks``, one after another. Raises nothing.

    >>> from keycore.family import Depth
    >>> two = tuple(Depth(str(k), 0.33 - 0.02 * k) for k in range(2))
    >>> three = tuple(Depth(str(k), 0.33 - 0.02 * k) for k in range(3))
    >>> whole_steps_of([Track("A", (0.2,), two), Track("B", (0.2,), three)]).place_of.tolist()
    [[0, 2, 4], [0, 2, 4]]
    """
    most = max(len(track.depths) for track in tracks)
    spaces = sum(len(track.spaces) for track in tracks)
    return Halving(np.tile(2 * np.arange(most, dtype=np.int8), (spaces, 1)))


def half_step_value(track: Track, play: Play, step: int) -> float | None:
    """The depth value of the cut that stands for a depth and the next deeper one; None where play is too small.

    At the shallower depth's tumbler the key may be too low by the play's low, at the deeper one's too
    high by its high; the cut is the middle of what satisfies both. Arguments: a track, its play in the
    family's unit, a step. Raises nothing.

    >>> from keycore.family import Depth
    >>> track = Track("A", (0.2,), (Depth("1", 0.330), Depth("2", 0.322)))
    >>> round(half_step_value(track, Play(high=0.005, low=0.004), 0), 4)
    0.3265
    >>> half_step_value(track, Play(high=0.003, low=0.004), 0) is None
    True
    """
    if step + 1 >= len(track.depths):
        return None
    shallow, deep = track.values[step], track.values[step + 1]
    deeper = 1.0 if deep > shallow else -1.0
    if abs(deep - shallow) > play.high + play.low + ROUNDING:
        return None
    return (shallow + deeper * play.low + deep - deeper * play.high) / 2


def halve(track: Track, play: Play, candidates: NDArray[np.int8]) -> Halving:
    """Pair neighbouring depths, space by space, so that few keys stand for all candidates.

    Each space pairs its depths from the first or from the second still possible; one space after
    another takes the way that leaves fewer keys until none does better. Few, not proved fewest.
    Arguments: a track, the play of its locks, ``candidates`` (b, n). Returns a Halving. Raises nothing.

    >>> from keycore.family import Depth
    >>> track = Track("A", (0.2, 0.35), tuple(Depth(str(k), 0.33 - 0.008 * k) for k in range(4)))
    >>> every = np.indices((4, 4)).reshape(2, -1).T.astype(np.int8)
    >>> halving = halve(track, Play(high=0.004, low=0.004), every)
    >>> halving.place_of.tolist(), len(halving.tries(every)), halving.stands_for(every, (1, 5)).tolist()
    ([[1, 1, 5, 5], [1, 1, 5, 5]], 4, [[0, 2], [0, 3], [1, 2], [1, 3]])
    """
    can_pair = [half_step_value(track, play, step) is not None for step in range(len(track.depths))]
    ways = [_pairings(np.unique(column).tolist(), can_pair) for column in candidates.T]
    chosen = [0] * len(ways)

    def halving() -> Halving:
        return Halving(np.array([way[at] for way, at in zip(ways, chosen, strict=True)], dtype=np.int8))

    fewest, better = len(halving().tries(candidates)), True
    while better:
        better = False
        for space in range(len(ways)):
            chosen[space] = 1 - chosen[space]
            count = len(halving().tries(candidates))
            if count < fewest:
                fewest, better = count, True
            else:
                chosen[space] = 1 - chosen[space]
    return halving()


def _pairings(possible: Sequence[int], can_pair: Sequence[bool]) -> tuple[list[int], list[int]]:
    """The place that stands for each depth, pairing from the first possible one and from the second."""
    return _pair(possible, can_pair), _pair(possible[1:], can_pair)


def _pair(possible: Sequence[int], can_pair: Sequence[bool]) -> list[int]:
    place_of = [2 * step for step in range(len(can_pair))]
    left = list(possible)
    while len(left) > 1:
        step = left.pop(0)
        if can_pair[step] and left[0] == step + 1:
            place_of[step] = place_of[left.pop(0)] = 2 * step + 1
    return place_of
