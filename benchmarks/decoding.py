"""Exact decoding against numpy enumeration of every bitting, one offset node after another."""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from benchmarks.figure import Figure, seconds
from keycore.documents.family import read_family
from keycore.family import Depth, Family, Track
from keycore.reading.decode import Reading, decode
from keycore.reading.evidence import Measured, Spread
from keycore.reading.grid import Weighed, weigh_offset

FASTER = 1000
PASSES = 50
SAMPLED = 25


def measure() -> Iterator[Figure]:
    """Six spaces of ten depths with wear alike, then with more towards the tip; then ten of ten."""
    family = read_family("theatre-six")
    reading = _worn(family, [2, 5, 3, 1, 4, 6])
    alike = replace(reading, evidence=(replace(reading.evidence[0], tip=None),))
    yield _against_enumeration("wear alike", alike)
    yield _against_enumeration("wear growing to the tip, enumeration by a sample of nodes", reading, SAMPLED)
    yield _against_one_pass("6 x 10, wear alike", alike)
    yield _against_one_pass("6 x 10, wear growing to the tip", reading)
    ten = _ten_by_ten(family)
    taken = seconds(lambda: decode(_worn(ten, [3, 1, 4, 1, 5, 9, 2, 6, 5, 3])), 5)
    best = decode(_worn(ten, [3, 1, 4, 1, 5, 9, 2, 6, 5, 3])).best
    right = best == (3, 1, 4, 1, 5, 9, 2, 6, 5, 3)
    yield Figure(f"10 spaces x 10 depths decoded in {taken * 1000:.0f} ms, {'right' if right else 'wrong'}", right)


def two_worn_keys() -> Reading:
    """Two worn keys of one lock, twelve spaces of ten depths, each with wear of its own."""
    family = _ten_by_ten(read_family("theatre-six"), spaces=12)
    steps = [3, 1, 4, 1, 5, 9, 2, 6, 5, 3, 5, 8]
    first, second = _worn(family, steps), _worn(family, steps, seed=4)
    return replace(first, evidence=(*first.evidence, *second.evidence))


def _against_one_pass(name: str, reading: Reading) -> Figure:
    """The whole reading against one exponential of n x d x d numbers for each quadrature point."""
    source = weigh_offset([reading.evidence[0]], reading.family, reading.track, reading.stray)
    spaces, depths, nodes = source.log_emission.shape
    numbers = np.linspace(-1, 0, spaces * depths * depths * nodes)
    pass_once, exact = seconds(lambda: np.exp(numbers).sum(), 9), seconds(lambda: decode(reading), 9)
    ratio = exact / pass_once
    return Figure(f"{name}: {ratio:.1f} numpy passes over {numbers.size:,} numbers (goal {PASSES})", ratio <= PASSES)


def _worn(family: Family, steps: list[int], seed: int = 3) -> Reading:
    """A key worn about 6 thou, measured once with an sd of 1.6 thou, its wear taken as 4 thou more or less 4."""
    track = family.tracks[0]
    noise = np.random.default_rng(seed).normal(0, 0.0012, len(steps))
    values = tuple(track.values[step] - 0.006 + error for step, error in zip(steps, noise, strict=True))
    source = Measured(values, (0.0016,) * len(steps), Spread(-0.004, 0.004), Spread(-0.001, 0.003))
    return Reading(family, track, (source,))


def _against_enumeration(name: str, reading: Reading, sampled: int = 0) -> Figure:
    source = weigh_offset([reading.evidence[0]], reading.family, reading.track, reading.stray)
    nodes = (
        range(len(source.log_prior))
        if not sampled
        else range(0, len(source.log_prior), len(source.log_prior) // sampled)
    )
    begun = time.perf_counter()
    chances = _enumerate(source, reading.track, nodes)
    enumerated = (time.perf_counter() - begun) * len(source.log_prior) / len(nodes)
    exact = seconds(lambda: decode(reading))
    best = decode(reading).bittings[0]
    same = sampled or abs(chances.max() / chances.sum() - best[1]) < 1e-6
    ratio = enumerated / exact
    agrees = "" if sampled else f", {'the same answer' if same else 'ANOTHER answer'}"
    return Figure(
        f"6 x 10, {name}: {ratio:,.0f} times as fast as enumeration (goal {FASTER:,}), "
        f"{exact * 1000:.1f} ms against {enumerated:.1f} s{agrees}",
        bool(same) and ratio >= FASTER,
    )


def _enumerate(source: Weighed, track: Track, nodes: range) -> np.ndarray:
    """Every allowed bitting's probability, each a gather and a product over its spaces."""
    spaces, depths, _ = source.log_emission.shape
    bittings = np.indices((depths,) * spaces).reshape(spaces, -1)
    if track.macs is not None:
        bittings = bittings[:, (np.abs(np.diff(bittings, axis=0)) <= track.macs).all(axis=0)]
    total = np.zeros(bittings.shape[1])
    for node in nodes:
        emission = np.exp(source.log_emission[:, :, node])
        weight = np.full(bittings.shape[1], np.exp(source.log_prior[node]))
        for place in range(spaces):
            weight *= emission[place, bittings[place]]
        total += weight
    return total


def _ten_by_ten(family: Family, spaces: int = 10) -> Family:
    depths = tuple(Depth(str(k), 0.33 - 0.014 * k) for k in range(10))
    track = Track("A", tuple(0.1 + 0.1 * i for i in range(spaces)), depths, family.tracks[0].tool, macs=9)
    return replace(family, id="ten-by-ten", tracks=(track,), positions={})
