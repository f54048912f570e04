"""A blank cut down by stages until each tumbler sits flush: what to cut next, never back, never too steep."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from keycore.family import Track
from keycore.reading.evidence import Flush, Stated, TumblerLooks
from keycore.reading.likelihood import Array

UNCUT = -1
HARDLY_POSSIBLE = 0.005
"""A depth less likely than this is passed over on the way down: common practice has no figure."""


class TumblerSeen(StrEnum):
    """What a tumbler shows once its space has been cut to a depth."""

    FLUSH = "flush"
    MARKS = "marks"  # it stands proud, or still leaves a mark: the cut is too shallow
    UNSURE = "unsure"


@dataclass(frozen=True, slots=True)
class Stage:
    """One look at one space, cut to ``step``."""

    space: int  # counted from 1
    step: int
    seen: TumblerSeen


@dataclass(frozen=True, slots=True)
class NextCut:
    """What to cut next, or why nothing can be."""

    space: int | None  # None: nothing more to cut
    step: int | None
    why: str  # "down", "done", or "steep" where a neighbour that sits flush forbids it
    beside: int | None = None  # the neighbour that forbids it

    @property
    def goes_down(self) -> bool:
        """Whether there is a cut to be made."""
        return self.why == "down"

    @property
    def is_too_steep(self) -> bool:
        """Whether a neighbour that sits flush forbids the cut that its own tumbler asks for."""
        return self.why == "steep"


def cut_so_far(spaces: int, stages: Sequence[Stage]) -> tuple[int, ...]:
    """How deep each of the ``spaces`` of a blank is after these ``stages`` (k,): (n,) steps, -1 where uncut.

    Raises nothing.

    >>> cut_so_far(3, [Stage(2, 0, TumblerSeen.MARKS), Stage(2, 1, TumblerSeen.FLUSH)])
    (-1, 1, -1)
    """
    deepest = [UNCUT] * spaces
    for stage in stages:
        deepest[stage.space - 1] = max(deepest[stage.space - 1], stage.step)
    return tuple(deepest)


def as_evidence(track: Track, stages: Sequence[Stage]) -> TumblerLooks:
    """What the stages say of the bitting.

    A tumbler flush at a depth is a flush test of that space; one that still marks says that the
    depth is a deeper one. Arguments: the track, the stages in the order they were seen. Returns
    Looks. Raises nothing.
    """
    spaces, depths = len(track.spaces), len(track.depths)
    return TumblerLooks(tuple(_look(stage, spaces, depths) for stage in stages if stage.seen != TumblerSeen.UNSURE))


def _look(stage: Stage, spaces: int, depths: int) -> Flush | Stated:
    here = stage.space - 1
    if stage.seen == TumblerSeen.FLUSH:
        return Flush(stage.step, tuple(True if place == here else None for place in range(spaces)))
    deeper = frozenset(range(stage.step + 1, depths))
    return Stated(tuple(deeper if place == here else frozenset() for place in range(spaces)))


def next_cut(track: Track, stages: Sequence[Stage], marginals: Array) -> NextCut:
    """The next space to cut and how deep: the shallowest depth still possible, evenly along the blade.

    Arguments: the track; the stages so far; ``marginals`` (n, d) what everything seen says of each
    space. Returns a NextCut: never shallower than the blank is now, never more than MACS from what
    stands beside it (an uncut space counts as the shallowest depth). Where a neighbour that sits
    flush forbids every depth left, the answer says which. Raises nothing.

    >>> import numpy as np
    >>> from keycore.family import Depth
    >>> table = tuple(Depth(str(k), 0.33 - 0.02 * k) for k in range(3))
    >>> next_cut(Track("A", (0.2, 0.35), table, macs=1), [Stage(1, 0, TumblerSeen.FLUSH)], np.full((2, 3), 1 / 3))
    NextCut(space=2, step=0, why='down', beside=None)
    """
    now = cut_so_far(len(track.spaces), stages)
    flush = _flush_now(track, stages, now)
    wanted = sorted((_deeper_possible(marginals[p], now[p]), p) for p in range(len(now)) if not flush[p])
    for step, place in wanted:
        if step < len(track.depths) and _too_steep(track, now, place, step) is None:
            return NextCut(place + 1, step, "down")
    left = sorted((now[p], p) for step, p in wanted if now[p] + 1 < len(track.depths))
    for step, place in left:  # a leap was too steep: bring what holds it up down one depth at a time
        if _too_steep(track, now, place, step + 1) is None:
            return NextCut(place + 1, step + 1, "down")
    if not left:
        return NextCut(None, None, "done")
    step, place = left[0]
    beside = _too_steep(track, now, place, step + 1)
    return NextCut(place + 1, None, "steep", None if beside is None else beside + 1)


def _flush_now(track: Track, stages: Sequence[Stage], now: Sequence[int]) -> list[bool]:
    """Which spaces sit flush at the depth they are cut to; the last look at that depth decides."""
    flush = [False] * len(track.spaces)
    for stage in stages:
        if stage.step == now[stage.space - 1]:
            flush[stage.space - 1] = stage.seen == TumblerSeen.FLUSH
    return flush


def _deeper_possible(chances: Array, now: int) -> int:
    """The shallowest step below ``now`` that is still possible; the next one down where none is."""
    deeper = [step for step in range(now + 1, len(chances)) if chances[step] >= HARDLY_POSSIBLE]
    return deeper[0] if deeper else now + 1


def _too_steep(track: Track, now: Sequence[int], place: int, step: int) -> int | None:
    """The neighbour beside which that step would be more than MACS, None where none is."""
    if track.macs is None:
        return None
    beside = [p for p in (place - 1, place + 1) if 0 <= p < len(now)]
    return next((p for p in beside if step - max(now[p], 0) > track.macs), None)
