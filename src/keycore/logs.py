"""Sums of exponentials that are given, and wanted, by their logs."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


def log_sum(logs: Array) -> float:
    """The log of a sum of exponentials given by their ``logs``, (n,) or more axes, of all of them; -inf of none.

    Raises nothing.

    >>> log_sum(np.zeros(0)), round(log_sum(np.log(np.array([0.25, 0.5]))), 3)
    (-inf, -0.288)
    """
    return float(np.logaddexp.reduce(logs, axis=None)) if logs.size else -np.inf


def log_sums(logs: Array, axis: int) -> Array:
    """The same of logs (m, n) along one ``axis``, or of more axes. Raises nothing."""
    return np.asarray(np.logaddexp.reduce(logs, axis=axis))
