"""Readings weighed by brute force: every bitting, every offset on a fine grid, straight from the formulas.

Written from the documents alone and sharing no code with the core, so that the two can be held against
each other. Small cases only.
"""

from __future__ import annotations

from itertools import pairwise, product
from typing import Any

import numpy as np
from scipy.special import logsumexp
from scipy.stats import norm


def by_brute_force(document: dict[str, Any]) -> dict[tuple[int, ...], float]:
    """The chance of each allowed bitting (places in the table); evidence of every kind but depth keys."""
    bittings, log_each = log_of_each_bitting(document)
    chances = np.exp(log_each - logsumexp(log_each))
    return dict(zip(bittings, chances.tolist(), strict=True))


def log_of_everything(document: dict[str, Any]) -> float:
    """The log of the probability of everything seen, up to what all documents of one family share."""
    return float(logsumexp(log_of_each_bitting(document)[1]))


def log_of_each_bitting(document: dict[str, Any]) -> tuple[list[tuple[int, ...]], np.ndarray]:
    track = document["family"]["tracks"][0]
    values = np.array([depth["value"] for depth in track["depths"]])
    labels = [depth["label"] for depth in track["depths"]]
    places = np.array(track["spaces"])
    u = (places - places.min()) / np.ptp(places) - 0.5 if len(places) > 1 else np.zeros(1)
    bittings = [b for b in product(range(len(values)), repeat=len(places)) if _allowed(b, document, labels)]
    rows = np.array(bittings)
    stray, total = document.get("stray", 0.01), np.zeros(len(rows))
    groups: dict[int, list[dict[str, Any]]] = {}
    for place, source in enumerate(document["evidence"]):
        if source["kind"] in ("measured", "rounded"):
            root = place
            while "same_as" in document["evidence"][root]:
                root = document["evidence"][root]["same_as"]
            groups.setdefault(root, []).append(source)
        elif source["kind"] == "label":
            total += _stated(source, rows, labels)
        else:
            total += _compared(source, rows, values, u, stray)
    for root, members in groups.items():
        total += _instruments(document["evidence"][root]["offset"], members, rows, (values, labels, u), stray)
    return bittings, total


def _allowed(bitting: tuple[int, ...], document: dict[str, Any], labels: list[str]) -> bool:
    family, obey = document["family"], document.get("obey", ["macs"])
    track = family["tracks"][0]
    macs = track.get("macs")
    if "macs" in obey and macs is not None and any(abs(a - b) > macs for a, b in pairwise(bitting)):
        return False
    for space, label in family.get("fixed", {}).get(track["name"], {}).items():
        if labels[bitting[int(space) - 1]] != label:
            return False
    rules = family.get("rules", {}) if "rules" in obey else {}
    most = max(bitting.count(step) for step in bitting)
    return most <= rules.get("most_alike", 99) and len(set(bitting)) >= rules.get("fewest_depths", 0)


def _turned(source: dict[str, Any], entries: list[Any]) -> list[Any]:
    return entries[::-1] if source.get("from") == "tip" else entries


def _stated(source: dict[str, Any], rows: np.ndarray, labels: list[str]) -> np.ndarray:
    total, trust = np.zeros(len(rows)), source.get("trust", 0.99)
    for place, entry in enumerate(_turned(source, source["labels"])):
        stated = [] if entry is None else [labels.index(one) for one in ([entry] if isinstance(entry, str) else entry)]
        if not stated or len(stated) == len(labels):
            continue
        away = np.array([min(abs(step - one) for one in stated) for step in range(len(labels))])
        other = np.where(away > 0, 4.0 ** (1 - away), 0)
        chance = np.where(away == 0, trust / len(stated), (1 - trust) * other / other.sum())
        total += np.log(np.maximum(chance, 1e-300))[rows[:, place]]
    return total


def _compared(source: dict[str, Any], rows: np.ndarray, values: np.ndarray, u: np.ndarray, stray: float) -> np.ndarray:
    h, s, tip = source["resolves"], source["sd"], source.get("tip", {"mean": 0.0, "sd": 0.0})
    g = -1.0 if values[0] > values[-1] else 1.0
    total = np.zeros(len(rows))
    for first, second, looks in source["pairs"]:
        a, b = (len(u) - one if source.get("from") == "tip" else one - 1 for one in (first, second))
        deeper = g * (values[rows[:, a]] - values[rows[:, b]]) - g * tip["mean"] * (u[b] - u[a])
        sd = np.sqrt(s**2 + (tip["sd"] * (u[b] - u[a])) ** 2)
        up, down = norm.cdf((h - deeper) / sd), norm.cdf((-h - deeper) / sd)
        p = {"level": up - down, "deeper": 1 - up, "shallower": down}[looks]
        total += np.log((1 - stray) * p + stray / 3)
    return total


def _instruments(
    offset: dict[str, Any], members: list[dict[str, Any]], rows: np.ndarray, table: Any, stray: float
) -> np.ndarray:
    values, _, u = table
    sds = [np.array(_turned(m, m["sd"]) if isinstance(m["sd"], list) else [m["sd"]] * len(u)) for m in members]
    finest = min(float(sd.min()) for sd in sds) / np.sqrt(len(u) * len(members))
    shifts, log_shifts = _grid(offset, finest, values)
    tilts, log_tilts = _grid(offset.get("tip", {"mean": 0.0, "sd": 0.0}), finest, values)
    total = np.full(len(rows), -np.inf)
    for tilt, log_tilt in zip(tilts, log_tilts, strict=True):
        log_rows = np.zeros((len(rows), len(shifts)))
        for member, sd in zip(members, sds, strict=True):
            for place, seen in enumerate(_turned(member, member["values" if "values" in member else "labels"])):
                if seen is not None:
                    centre = values[:, None] + shifts[None, :] + tilt * u[place]
                    log_rows += np.log(_seen(member, seen, centre, sd[place], table, stray))[rows[:, place]]
        total = np.logaddexp(total, log_tilt + logsumexp(log_rows + log_shifts, axis=1))
    return total


def _grid(spread: dict[str, Any], finest: float, values: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    if spread["sd"] == 0:
        return np.array([spread["mean"]]), np.zeros(1)
    reach = max(8 * spread["sd"], 1.5 * np.ptp(values) if spread.get("wide") else 0.0)
    count = int(np.ceil(2 * reach / min(finest, spread["sd"]))) | 1
    nodes = np.linspace(-reach, reach, count)
    return spread["mean"] + nodes, norm.logpdf(nodes, 0, spread["sd"]) + np.log(nodes[1] - nodes[0])


def _seen(source: dict[str, Any], seen: Any, centre: np.ndarray, sd: float, table: Any, q: float) -> np.ndarray:
    values, labels, _ = table
    if source["kind"] == "rounded":
        ordered = np.sort(values)
        place = int(np.searchsorted(ordered, values[labels.index(seen)]))
        low = -np.inf if place == 0 else (ordered[place - 1] + ordered[place]) / 2
        high = np.inf if place == len(ordered) - 1 else (ordered[place] + ordered[place + 1]) / 2
        return (1 - q) * (norm.cdf((high - centre) / sd) - norm.cdf((low - centre) / sd)) + q / len(values)
    gaps = np.abs(np.diff(values))
    span = np.ptp(values) + 2 * gaps.max() if len(values) > 1 else max(0.1 * abs(values[0]), 1e-9)
    local = source.get("local", {"chance": 0.0})
    c = local["chance"]
    found = (1 - q - c) * norm.pdf(seen, centre, sd) + q / span
    if c:
        g = -1.0 if values[0] > values[-1] else 1.0
        deep, shallow, s = local["deep"], local["shallow"], local["share_deep"]
        found = found + c * s * norm.pdf(seen, centre + g * deep["mean"], np.hypot(sd, deep["sd"]))
        found = found + c * (1 - s) * norm.pdf(seen, centre - g * shallow["mean"], np.hypot(sd, shallow["sd"]))
    return found
