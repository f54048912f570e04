"""A made-up population of keys as they come over the counter: worn, nicked, dirty, copied, read off-centre.

Stated in ``docs/computation.md``, "How far its claims hold"; no source. Lengths in inches.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from math import radians, tan

import numpy as np
from numpy.typing import NDArray

from keycore.bittings import list_bittings
from keycore.documents.family import read_family
from keycore.family import Family
from keycore.geometry.profile import profile_of
from keycore.reading.wear import WearGrade
from keycore.rules import NO_RULES

Random = np.random.Generator
PITCH, FLAT, ANGLE, HEIGHT, LENGTH = 0.15, 0.03, 100, 0.345, 1.2
WORN = ("even", "tip", "high", "alone")
WORDS = {
    "even": "worn alike everywhere, 0 to 10 thou",
    "tip": "up to 10 thou more at the tip",
    "high": "high points worn three times as much",
    "alone": "every cut worn by itself, 0 to 10 thou",
    "nick": "one cut nicked 4 to 12 thou",
    "nicks": "two cuts nicked",
    "dirt": "one cut dirty, 3 to 10 thou",
    "copy": "a fresh copy 3 to 8 thou deep",
    "ramp": "one cut read 20 thou off-centre",
}
ACCIDENTS = {"nick": 0.15, "nicks": 0.05, "dirt": 0.06, "copy": 0.08, "ramp": 0.04}
"""Of 100 keys; the rest are worn, each way as often."""


@dataclass(frozen=True)
class MadeUp:
    """A key that was made up: what it is, what a caliper reads of it, how a smith would grade it, what befell it."""

    family: Family
    truth: tuple[int, ...]
    values: NDArray[np.float64]
    grade: WearGrade
    sort: str


@cache
def family_in_steps(step: float, spaces: int) -> tuple[Family, NDArray[np.int8]]:
    """A family of even steps with as many depths as fit, and every bitting that it allows."""
    depths = max(4, min(8, int(0.12 / step) + 1))
    macs = min(max(1, int((PITCH - FLAT) / (step * tan(radians(ANGLE / 2))))), depths)
    track = {
        "name": "A", "spaces": [0.23 + PITCH * i for i in range(spaces)], "macs": macs,
        "depths": [{"label": str(k), "value": 0.335 - step * k} for k in range(depths)],
        "cut": {"flat": FLAT, "angle": ANGLE},
    }  # fmt: skip
    family = read_family({
        "format": "wry-falcon.family/1", "id": "made-up", "name": "Made up", "kind": "edge", "unit": "in",
        "gauge": "shoulder", "numbered_from": "bow", "tracks": [track],
        "blank": {"code": "M", "height": HEIGHT, "thickness": 0.08, "length": LENGTH},
    })  # fmt: skip
    return family, list_bittings(family.tracks[0], NO_RULES, True)


def make_up(step: float, random: Random, sort: str = "", *, times: float = 1.0) -> MadeUp:
    """A key of five or six cuts; of the population where no ``sort`` is named, accidents ``times`` as often."""
    family, bittings = family_in_steps(step, int(random.integers(5, 7)))
    track = family.tracks[0]
    truth = bittings[random.integers(len(bittings))]
    sort = sort or _befallen(random, times)
    depths, places = np.array(track.values)[truth], np.array(track.spaces)
    if sort == "copy":
        gone, scatter, grade = np.full(len(truth), random.uniform(0.003, 0.008)), random.uniform(0.001, 0.0018), None
    else:
        way = sort if sort in WORN else WORN[random.integers(len(WORN))]
        gone, scatter = worn(way, random, depths, places), random.uniform(0.0015, 0.003)
        grade = float(np.mean(gone))
    values = depths - gone + random.normal(0, scatter, len(truth))
    if sort in ("nick", "nicks"):
        for cut in random.choice(len(truth), 1 if sort == "nick" else 2, replace=False):
            values[cut] -= random.uniform(0.004, 0.012)
    if sort == "dirt":
        values[random.integers(len(truth))] += random.uniform(0.003, 0.010)
    if sort == "ramp":
        assert track.tool is not None
        cut, aside = random.integers(len(truth)), 0.020 * random.choice([-1, 1])
        edge = profile_of(track.spaces, tuple(depths), track.tool, HEIGHT, LENGTH, "plunged")
        values[cut] += max(0.0, float(edge.at(places[cut : cut + 1] + aside)[0] - depths[cut]))
    return MadeUp(family, tuple(map(int, truth)), values, _graded(grade), sort)


def _befallen(random: Random, times: float) -> str:
    drawn, so_far = random.random(), 0.0
    for sort, share in ACCIDENTS.items():
        so_far += share * times
        if drawn < so_far:
            return sort
    return WORN[random.integers(len(WORN))]


def _graded(gone: float | None) -> WearGrade:
    """What a smith says of the look of it: by how much is gone on average; None is a copy, shiny and unmarked."""
    if gone is None:
        return WearGrade.COPY
    if gone < 0.001:
        return WearGrade.NEW
    if gone < 0.004:
        return WearGrade.SOME
    return WearGrade.UNSURE if gone < 0.0065 else WearGrade.WELL_WORN


def worn(sort: str, random: Random, values: NDArray[np.float64], places: NDArray[np.float64]) -> NDArray[np.float64]:
    """How much of each cut has worn away, one of four ways."""
    most = random.uniform(0, 0.010)
    if sort == "even":
        return np.full(len(values), most)
    if sort == "tip":
        return np.asarray(0.6 * most + random.uniform(0, 0.010) * (places - places.min()) / np.ptp(places))
    if sort == "high":
        return np.asarray(most * (1 + 2 * (values - values.min()) / max(np.ptp(values), 1e-9)) / 3)
    return random.uniform(0, min(2 * most, 0.010), len(values))
