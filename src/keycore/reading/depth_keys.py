"""A set of depth keys tried in a visible lock, in order: which is next, which can be passed over, and when to stop."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from keycore.reading.likelihood import Array

TELLS = 0.01
"""Less than this of p(1 - p), summed over the spaces, tells nothing that is worth a look; no source."""


@dataclass(frozen=True, slots=True)
class NextDepthKey:
    """The step whose depth key is tried next, None when none is left, and those that are passed over on the way."""

    step: int | None
    passed_over: tuple[int, ...]


def next_depth_key(marginals: Array, tried: Collection[int]) -> NextDepthKey:
    """The next depth key of the set, in its own order from the shallowest: the first that can tell something.

    What a key can tell is the sum of p(1 - p) over the spaces, the variance of what is seen. Those before it
    that can tell nothing more are passed over, and named. Arguments: ``marginals`` (n, d) what is thought of
    each space that the lock has; ``tried`` the steps done. Returns a NextDepthKey. Raises nothing.

    >>> import numpy as np
    >>> next_depth_key(np.array([[0.5, 0.5, 0.0], [0.1, 0.8, 0.1]]), [])
    NextDepthKey(step=0, passed_over=())
    >>> next_depth_key(np.array([[0.0, 0.0, 0.5, 0.5]]), [0])
    NextDepthKey(step=2, passed_over=(1,))
    >>> next_depth_key(np.array([[1.0, 0.0]]), [0])
    NextDepthKey(step=None, passed_over=(1,))
    """
    gain = (marginals * (1 - marginals)).sum(axis=0)
    left = [step for step in range(len(gain)) if step not in tried]
    following = next((step for step in left if gain[step] >= TELLS), None)
    passed = [step for step in left if following is None or step < following]
    return NextDepthKey(following, tuple(passed))
