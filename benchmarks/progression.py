"""The fewest blanks against a matching on all comparable pairs, and how the time grows with the list."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from scipy.sparse import csr_array
from scipy.sparse.csgraph import maximum_bipartite_matching

from benchmarks.figure import Figure, seconds
from keycore.codes.candidates import candidates_of
from keycore.codes.progression import fewest_blanks
from keycore.family import Depth, Track

FASTER = 10
GROWTH = 2.0


def measure() -> Iterator[Figure]:
    """Five spaces of five depths, MACS 3: 2,309 candidates; then lists up to near 20,000."""
    candidates = _candidates(5, 5, 3)
    count: list[int] = []
    matched = seconds(lambda: count.append(_by_matching(candidates)), 1)
    taken = seconds(lambda: fewest_blanks(candidates), 5)
    same = fewest_blanks(candidates).blanks == count[0]
    words = "the same" if same else "ANOTHER COUNT"
    ratio = matched / taken
    yield Figure(
        f"{len(candidates):,} candidates, {count[0]} blanks, {words}: {ratio:.1f} times "
        f"as fast as matching all pairs (goal {FASTER}), {taken * 1000:.0f} ms",
        same and ratio >= FASTER,
    )
    each = {len(c): seconds(lambda c=c: fewest_blanks(c), 1) / len(c) for c in map(_grown, (4, 5, 6))}
    growth = max(each.values()) / min(each.values())
    sizes = ", ".join(f"{size:,}: {1e6 * one:.0f} µs a candidate" for size, one in each.items())
    yield Figure(f"{sizes}; {growth:.1f} times (goal {GROWTH:g})", growth <= GROWTH)


def _grown(spaces: int) -> np.ndarray:
    return _candidates(spaces, 6, 3)[:20_000]


def _candidates(spaces: int, depths: int, macs: int) -> np.ndarray:
    table = tuple(Depth(str(k), 0.33 - 0.01 * k) for k in range(depths))
    track = Track("A", tuple(0.1 * (i + 1) for i in range(spaces)), table, macs=macs)
    known = [frozenset[int]()] * spaces
    if spaces == 6:
        known[0] = frozenset({0, 1, 2})
    return candidates_of(track, known)


def _by_matching(candidates: np.ndarray) -> int:
    follows = (candidates[:, None, :] <= candidates[None, :, :]).all(axis=2)
    np.fill_diagonal(follows, False)
    matched = maximum_bipartite_matching(csr_array(follows), perm_type="column")
    return len(candidates) - int((matched >= 0).sum())
