"""What the panels of depth keys, a tool's grid and a blank cut down have to show."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from keycore.family import Family
from keycore.kind import Surface
from keycore.reading.depth_keys import next_depth_key
from keycore.reading.next_look import With
from keycore.reading.staged import NextCut, cut_so_far, next_cut
from wryfalcon.bench.models import Beside, SourceKind, TumblerSeen
from wryfalcon.bench.reading.evidence import SourceReading
from wryfalcon.bench.reading.queries import TrackReading

SETTLED_FROM = 0.99  # at this chance of the whole bitting no more need be looked at


@dataclass(frozen=True)
class Round:
    """One depth key's look: the tumblers as this source counts them."""

    depth: str
    flush: list[int]
    unsure: list[int]


@dataclass(frozen=True)
class Column:
    """One space of a tool's grid."""

    number: int  # as the source counts
    space: int  # family order
    stated: list[str]
    way: str = ""  # which way a tool for two tracks is moved for it: down or up


@dataclass(frozen=True)
class Stood:
    """One space of a blank cut down, as the source counts."""

    number: int
    depth: str
    seen: str


def looks_of(reading: TrackReading, source: SourceReading, depth: str) -> dict[str, Any]:
    """What the panel of this kind of source shows beside what all panels show."""
    match SourceKind(source.record.kind):
        case SourceKind.DEPTH_KEYS:
            return _depth_keys(reading, source, depth)
        case SourceKind.SWINGS:
            return {"discs": _discs(reading, source)}
        case SourceKind.GRID:
            return {"columns": _columns(source), "depths": reading.track.labels, "is_settled": is_settled(reading)}
        case SourceKind.STAGES:
            return _stages(reading, source)
        case SourceKind.COMPARED:
            return _compared(reading, source)
    stated = [" ".join(source.labels.get(source.shown_space(n), ["-"])) for n in source.spaces]
    return {"stated": " ".join(stated) if source.labels else ""}


@dataclass(frozen=True)
class Compared:
    """Two cuts that were held against each other, as the source counts."""

    first: int
    beside: int
    compared: str


def _compared(reading: TrackReading, source: SourceReading) -> dict[str, Any]:
    """The pairs so far, and the next two neighbours that were not yet held against each other."""
    pairs = [
        Compared(source.shown_space(s.space), source.shown_space(s.beside or 1), Beside(s.compared).label)
        for s in source.pairs
    ]
    done = {frozenset((pair.first, pair.beside)) for pair in pairs}
    last = len(reading.track.spaces)
    following = next((n for n in range(1, last) if frozenset((n, n + 1)) not in done), 1)
    advised = reading.posterior.look_next if reading.posterior else None
    first, beside = following, min(following + 1, last)
    if advised is not None and advised.using == With.EYE and advised.space and advised.beside:
        first, beside = source.shown_space(advised.space), source.shown_space(advised.beside)
    return {"pairs": pairs, "first": first, "beside": beside, "besides": Beside.choices}


def is_settled(reading: TrackReading) -> bool:
    """Whether the whole bitting is as good as certain."""
    return reading.posterior is not None and reading.posterior.bittings[0][1] >= SETTLED_FROM


def _marginals(reading: TrackReading) -> Any:
    if reading.posterior is not None:
        return reading.posterior.marginals
    depths = len(reading.track.depths)
    return np.full((len(reading.track.spaces), depths), 1 / depths)


def _depth_keys(reading: TrackReading, source: SourceReading, wanted: str) -> dict[str, Any]:
    labels = reading.track.labels
    rounds = [
        Round(
            depth,
            sorted(source.shown_space(space) for space, how in seen.items() if how == TumblerSeen.FLUSH),
            sorted(source.shown_space(space) for space, how in seen.items() if how == TumblerSeen.UNSURE),
        )
        for depth, seen in source.rounds.items()
    ]
    never_seen = set.intersection(*(set(each.unsure) for each in rounds)) if rounds else set()
    in_the_lock = [source.shown_space(number) - 1 for number in source.spaces if number not in never_seen]
    seen = _marginals(reading)[in_the_lock] if in_the_lock else _marginals(reading)
    following = next_depth_key(seen, [labels.index(each.depth) for each in rounds])
    suggested = labels[following.step] if following.step is not None else ""
    return {
        "rounds": rounds,
        "never_seen": never_seen,
        "depths": labels,
        "depth": wanted if wanted in labels else suggested,
        "suggested": suggested,
        "passed_over": [labels[step] for step in following.passed_over],
        "is_settled": is_settled(reading),
    }


@dataclass(frozen=True)
class Disc:
    """One disc as it was felt: how many clicks it took so far, and its depth once it is found or known."""

    number: int  # as the source counts
    clicks: int
    label: str
    is_fixed: bool


def _discs(reading: TrackReading, source: SourceReading) -> list[Disc]:
    """Every disc in the order that the source counts."""
    labels, fixed = reading.track.labels, dict(reading.track.fixed)
    found = []
    for number in source.spaces:
        space = source.shown_space(number)
        seen = {depth: by_space[space] for depth, by_space in source.rounds.items() if space in by_space}
        is_it = [depth for depth, how in seen.items() if how == TumblerSeen.FLUSH]
        label = labels[fixed[space]] if space in fixed else is_it[0] if is_it else ""
        clicks = sum(how == TumblerSeen.PROUD for how in seen.values())
        found.append(Disc(number, clicks, label, space in fixed))
    return found


def _columns(source: SourceReading) -> list[Column]:
    """The spaces in the order that the tool is read: key order, or odd ones first and then even."""
    numbers = source.in_lock
    if source.record.odd_first:
        numbers = [n for n in numbers if n % 2] + [n for n in numbers if n % 2 == 0]
    ways = ("up", "down") if source.record.odd_first and reads_both_ways(source.family) else ("", "")
    return [
        Column(number, source.shown_space(number), source.labels.get(source.shown_space(number), []), ways[number % 2])
        for number in numbers
    ]


def reads_both_ways(family: Family) -> bool:
    """Whether a tool for two tracks reads it: the odd cuts downwards, the even ones upwards, track by track."""
    return family.kind.surface == Surface.GROOVE


def _stages(reading: TrackReading, source: SourceReading) -> dict[str, Any]:
    advice = next_cut(reading.track, source.stages, _marginals(reading))
    labels = reading.track.labels
    now = cut_so_far(len(reading.track.spaces), source.stages)
    last = {stage.space: stage.seen for stage in source.stages}
    return {
        "advice": advice,
        "advised": _advised(source, advice),
        "depths": labels,
        "stood": [
            Stood(number, labels[now[space - 1]] if now[space - 1] >= 0 else "", last.get(space, ""))
            for number in source.spaces
            for space in [source.shown_space(number)]
        ],
        "is_settled": is_settled(reading),
        "blank_now": [reading.track.values[step] if step >= 0 else None for step in now],
    }


def _advised(source: SourceReading, advice: NextCut) -> dict[str, Any]:
    """The advice as this source counts."""
    return {
        "number": source.shown_space(advice.space) if advice.space else None,
        "depth": source.track.labels[advice.step] if advice.step is not None else "",
        "beside": source.shown_space(advice.beside) if advice.beside else None,
    }
