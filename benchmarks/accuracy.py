"""How often the joint reading is right on worn keys, and whether its claims hold; drawn for the docs."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path

import numpy as np

from benchmarks.figure import Figure
from keycore.bittings import list_bittings
from keycore.documents.family import read_family
from keycore.family import Family
from keycore.reading.decode import Reading, weigh_plainly
from keycore.reading.instruments import measured_by_caliper
from keycore.rules import NO_RULES

FAMILIES = ("harbour-five", "theatre-six")  # steps of 0.020 and 0.014 in
KEYS = 300  # of each sort and family
SEED = 7
CLAIMED = 0.9
MOST_WRONG = 0.10  # of the keys claimed at 90 in 100 or more
PLOT = Path(__file__).parents[1] / "docs" / "reliability.svg"
BINS = np.array([0.0, 0.3, 0.5, 0.7, 0.8, 0.9, 0.97, 1.0])

SORTS = {
    "even": "worn alike everywhere, 0 to 10 thou",
    "tip": "up to 10 thou more at the tip",
    "high": "high points worn three times as much",
    "alone": "every cut worn by itself, 0 to 10 thou",
}


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
        values = depths[truth] - _wear(sort, random, depths[truth], places) + random.normal(0, scatter, len(truth))
        source = measured_by_caliper(family, track, [[value] for value in values])
        best, chance = weigh_plainly(Reading(family, track, (source,))).likeliest(1)[0]
        nearest = np.abs(depths[None, :] - values[:, None]).argmin(axis=1)
        rows.append((chance, best == tuple(truth), bool((nearest == truth).all())))
    claimed, right, plain = (np.array(column) for column in zip(*rows, strict=True))
    return Outcome(claimed, right, plain)


def _wear(sort: str, random: np.random.Generator, values: np.ndarray, places: np.ndarray) -> np.ndarray:
    most = random.uniform(0, 0.010)
    if sort == "even":
        return np.full(len(values), most)
    if sort == "tip":
        return 0.6 * most + random.uniform(0, 0.010) * (places - places.min()) / np.ptp(places)
    if sort == "high":
        return np.asarray(most * (1 + 2 * (values - values.min()) / max(np.ptp(values), 1e-9)) / 3)
    return random.uniform(0, min(2 * most, 0.010), len(values))


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
