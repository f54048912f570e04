"""The test key of a trim, drawn: what it is to be, and under it each cut's error as its clampings measured it."""

from __future__ import annotations

from collections import defaultdict
from math import sqrt

from keycore.proving.verdict import COVERAGE, judge
from wryfalcon.drawings.cut_key import BARE, CutKey, draw_cut_key
from wryfalcon.drawings.errors import ErrorStrip, draw_errors
from wryfalcon.drawings.key import KeyDrawing
from wryfalcon.keeping.course.proven import edge_mm, shallow_mm, zero_mm
from wryfalcon.keeping.trimming.queries import TrimState


def drawn_test_key(state: TrimState) -> KeyDrawing | None:
    """The key as it is to be cut; None for a kind that is not drawn."""
    wanted: defaultdict[str, list[float]] = defaultdict(list)
    for cut in state.planned:
        wanted[cut.track].append(cut.value)
    return draw_cut_key(state.trim.family_record.document, CutKey.of(wanted), BARE, state.trim.track)


def drawn_test_errors(state: TrimState) -> ErrorStrip | None:
    """Each cut's error, meaned over the clampings; None before anything is measured."""
    family = state.family
    if family.tolerance is None:
        return None
    found, most = errors_of(state), max((len(each.values) for each in state.clampings), default=0)
    sd_mm = state.noise.sd / sqrt(max(1, len(state.clampings))) if most else 0.0
    sd = abs(sd_mm / shallow_mm(family))
    marks = [(space, error, judge(error, sd, family.tolerance.value).value) for space, error in found]
    return draw_errors(family, state.trim.track, marks, COVERAGE * sd)


def errors_of(state: TrimState) -> list[tuple[int, float]]:
    """Each cut of the first track that was measured, and its mean error, family unit, the caliper's own taken off."""
    zero = zero_mm(state.trim, state.family) / edge_mm(state.family) * state.to_values
    found = []
    for cut in [cut for cut in state.planned if cut.track == state.trim.track]:
        read = [
            value - cut.value + (0.0 if each.from_tag else zero)
            for each in state.clampings
            if (value := each.values.get(cut.number, (None, None))[0]) is not None
        ]
        if read:
            found.append((cut.space, sum(read) / len(read)))
    return found
