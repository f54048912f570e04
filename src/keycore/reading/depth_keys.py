"""A set of depth keys tried in a visible lock: which to try next, and when to stop."""

from __future__ import annotations

from collections.abc import Collection

from keycore.reading.likelihood import Array

TIE = 1e-12


def next_depth_key(marginals: Array, tried: Collection[int]) -> int | None:
    """The depth whose key would part the most tumblers: the largest sum of p(1 - p) over the spaces.

    Arguments: ``marginals`` (n, d) what is thought of each space; ``tried`` the steps done. Returns
    a step, the shallower on a tie, or None when all are tried. Raises nothing.

    >>> import numpy as np
    >>> next_depth_key(np.array([[0.5, 0.5, 0.0], [0.1, 0.8, 0.1]]), [])
    1
    >>> next_depth_key(np.array([[1.0]]), [0]) is None
    True
    """
    gain = (marginals * (1 - marginals)).sum(axis=0)
    left = [step for step in range(len(gain)) if step not in tried]
    return min(left, key=lambda step: (-round(float(gain[step]) / TIE), step), default=None)
