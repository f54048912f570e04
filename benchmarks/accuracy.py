"""How often the joint reading is right, and whether its claims hold: on worn keys, and on all that comes in."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path

import numpy as np

from benchmarks.figure import Figure
from benchmarks.population import WORDS, WORN, make_up, worn
from keycore.bittings import list_bittings
from keycore.documents.family import read_family
from keycore.family import Family
from keycore.reading.decode import Reading, weigh_plainly
from keycore.reading.instruments import SHOP_STRAY, measured_by_caliper
from keycore.rules import NO_RULES

FAMILIES = ("harbour-five", "theatre-six")  # steps of 0.020 and 0.014 in
KEYS = 300  # of each sort and family
SEED = 7
CLAIMED = 0.9
MOST_WRONG = 0.10  # of the keys claimed at 90 in 100 or more
PLOT = Path(__file__).parents[1] / "docs" / "reliability.svg"
BINS = np.array([0.0, 0.3, 0.5, 0.7, 0.8, 0.9, 0.97, 1.0])

SORTS = {sort: WORDS[sort] for sort in WORN}
FRIENDLY = ("even", "tip", "high")
STEPS, FINE_STEPS = (0.015, 0.0175, 0.020, 0.025), (0.008, 0.010, 0.0125)
CLAIMS = 3_000  # of each step
SURELY, MOST_WRONG_SURELY = 0.99, 0.015
MIXED_SEED = 4_071  # the figures in keycore/reading/wear.py were chosen with others


@dataclass(frozen=True)
class Outcome:
    """Of each key: the chance claimed for the whole bitting, and whether joint and plain readings were right."""

    claimed: np.ndarray
    right: np.ndarray
    plain: np.ndarray


def measure() -> Iterator[Figure]:
    """Worn keys of four sorts, all said to be hard to say of; then draw claimed against observed."""
    outcomes: dict[str, list[Outcome]] = {sort: [] for sort in SORTS}
    for family_id in FAMILIES:
        family = read_family(family_id)
        for sort, words in SORTS.items():
            outcome = read_worn_keys(family, sort)
            outcomes[sort].append(outcome)
            yield _figure(family, words, outcome)
    PLOT.write_text(_plot(outcomes))
    yield Figure(f"claimed against observed drawn in {PLOT.relative_to(PLOT.parents[1])}", True)
    yield from _mixed()


def _mixed() -> Iterator[Figure]:
    """All that comes in, in steps of 15 to 25 thou; finer steps; accidents half and twice as often; each alone."""
    for step in STEPS:
        found = _read(step, claims=CLAIMS)
        sure, surely = _claims(found, CLAIMED), _claims(found, SURELY)
        yield Figure(
            f"all that comes in, steps of {1000 * step:g} thou: {_says(found, CLAIMED)} (goal 10); "
            f"{_says(found, SURELY)} (goal 1.5)",
            len(sure) >= CLAIMS and _wrong(sure) <= MOST_WRONG and _wrong(surely) <= MOST_WRONG_SURELY,
        )
        friendly = [one for sort in FRIENDLY for one in _read(step, keys=200, sort=sort)]
        share = len(_claims(friendly, CLAIMED)) / len(friendly)
        yield Figure(f"  friendly keys of them: {_says(friendly, CLAIMED)} (goal: claimed of 50)", share >= 0.5)
    for step in FINE_STEPS:
        found = _read(step, keys=2_000)
        sure = _claims(found, CLAIMED)
        yield Figure(
            f"steps of {1000 * step:g} thou: {len(sure)} of 2,000 claimed at 90, "
            f"{sum(not right for _, right in sure)} of them wrong (goal: none, or a tenth at most)",
            _wrong(sure) <= MOST_WRONG,
        )
    for times in (0.5, 2.0):
        for step in (0.015, 0.020):
            found = _read(step, keys=1_000, times=times)
            yield Figure(f"accidents {times:g} times as often, steps of {1000 * step:g}: {_says(found, CLAIMED)}", True)
    for sort, words in WORDS.items():
        found = _read(0.015, keys=300, sort=sort)
        yield Figure(f"alone, steps of 15: {words}: {_says(found, CLAIMED)}", True)


def _read(
    step: float, *, keys: int = 0, claims: int = 0, sort: str = "", times: float = 1.0
) -> list[tuple[float, bool]]:
    """Of each key: the chance claimed, and whether it was right; so many keys, or until there are so many claims."""
    random, found, made = np.random.default_rng(MIXED_SEED), [], 0
    while len(found) < keys or made < claims:
        key = make_up(step, random, sort, times=times)
        track = key.family.tracks[0]
        source = measured_by_caliper(key.family, track, [[value] for value in key.values], key.grade)
        reading = Reading(key.family, track, (source,), stray=SHOP_STRAY)
        best, chance = weigh_plainly(reading).likeliest(1)[0]
        found.append((chance, best == key.truth))
        made += chance >= CLAIMED
    return found


def _claims(found: list[tuple[float, bool]], at: float) -> list[tuple[float, bool]]:
    return [one for one in found if one[0] >= at]


def _wrong(claims: list[tuple[float, bool]]) -> float:
    return sum(not right for _, right in claims) / len(claims) if claims else 0.0


def _says(found: list[tuple[float, bool]], at: float) -> str:
    claims = _claims(found, at)
    share = 100 * len(claims) / len(found)
    return f"{100 * at:.0f} in 100 claimed of {share:.0f} in 100, wrong {100 * _wrong(claims):.1f} in 100"


def read_worn_keys(family: Family, sort: str) -> Outcome:
    """Make keys, wear them, measure each cut once, read them: seeded."""
    random = np.random.default_rng(SEED)
    track = family.tracks[0]
    depths, places = np.array(track.values), np.array(track.spaces)
    all_bittings = list_bittings(track, NO_RULES, True)
    rows = []
    for _ in range(KEYS):
        truth = all_bittings[random.integers(len(all_bittings))]
        scatter = random.uniform(0.0015, 0.003)
        values = depths[truth] - worn(sort, random, depths[truth], places) + random.normal(0, scatter, len(truth))
        source = measured_by_caliper(family, track, [[value] for value in values])
        best, chance = weigh_plainly(Reading(family, track, (source,), stray=SHOP_STRAY)).likeliest(1)[0]
        nearest = np.abs(depths[None, :] - values[:, None]).argmin(axis=1)
        rows.append((chance, best == tuple(truth), bool((nearest == truth).all())))
    claimed, right, plain = (np.array(column) for column in zip(*rows, strict=True))
    return Outcome(claimed, right, plain)


def _figure(family: Family, words: str, outcome: Outcome) -> Figure:
    sure = outcome.claimed >= CLAIMED
    wrong = float((~outcome.right[sure]).mean()) if sure.any() else 0.0
    return Figure(
        f"{family.id}, {words}: whole keys right {100 * outcome.right.mean():.0f} in 100 "
        f"(rounding {100 * outcome.plain.mean():.0f}); 90 in 100 claimed of {100 * sure.mean():.0f} in 100, "
        f"wrong {100 * wrong:.1f} in 100 of those (goal {100 * MOST_WRONG:.0f})",
        wrong <= MOST_WRONG,
    )


COLOURS = {"even": "#7a5c1e", "tip": "#2f6b5e", "high": "#b4372d", "alone": "#3b3a36"}
SHAPES = {
    "even": "M-4 0a4 4 0 1 0 8 0a4 4 0 1 0 -8 0", "tip": "M-4 4L0-4L4 4Z",
    "high": "M-4-4H4V4H-4Z", "alone": "M0-5L5 0L0 5L-5 0Z",
}  # fmt: skip


def _plot(outcomes: dict[str, list[Outcome]]) -> str:
    """Claimed chance across, share right upwards, one mark for each sort and bin of twelve keys or more."""
    side, left, top = 360, 60, 20
    box = f'viewBox="0 0 640 {side + 80}" font-family="sans-serif" font-size="13"'
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" {box}>',
        f'<rect width="640" height="{side + 80}" fill="#faf6ec"/>',
        f'<path d="M{left} {top + side}L{left + side} {top}" stroke="#8a8578" stroke-dasharray="4 4"/>',
        f'<path d="M{left} {top}V{top + side}H{left + side}" fill="none" stroke="#2a2926"/>',
    ]
    for tick in range(0, 101, 20):
        x, y = left + side * tick / 100, top + side * (1 - tick / 100)
        parts.append(f'<text x="{x}" y="{top + side + 18}" text-anchor="middle">{tick}</text>')
        parts.append(f'<text x="{left - 8}" y="{y + 4}" text-anchor="end">{tick}</text>')
    parts.append(f'<text x="{left + side / 2}" y="{top + side + 40}" text-anchor="middle">claimed, in 100</text>')
    parts.append(
        f'<text transform="translate(18 {top + side / 2}) rotate(-90)" text-anchor="middle">right, in 100</text>'
    )
    for row, (sort, found) in enumerate(outcomes.items()):
        claimed = np.concatenate([outcome.claimed for outcome in found])
        right = np.concatenate([outcome.right for outcome in found])
        mark = f'fill="{COLOURS[sort]}" d="{SHAPES[sort]}"'
        for low, high in pairwise(BINS):
            there = (claimed >= low) & (claimed < high + (high == 1))
            if there.sum() >= 12:
                x, y = left + side * claimed[there].mean(), top + side * (1 - right[there].mean())
                parts.append(f'<path transform="translate({x:.1f} {y:.1f})" {mark}/>')
        parts.append(f'<path transform="translate({left + side + 24} {top + 20 + 24 * row})" {mark}/>')
        parts.append(f'<text x="{left + side + 36}" y="{top + 24 + 24 * row}">{SORTS[sort].split(",")[0]}</text>')
    return "\n".join([*parts, "</svg>\n"])
