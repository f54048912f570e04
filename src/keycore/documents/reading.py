"""Readings in, posteriors out: ``wry-falcon.reading/1``, the verb ``decode``."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from keycore.documents.family import read_family
from keycore.documents.model import (
    FlushModel,
    InstrumentModel,
    MeasuredModel,
    ReadingModel,
    RoundedModel,
    StatedModel,
)  # fmt: skip
from keycore.documents.parse import check
from keycore.errors import InputError
from keycore.family import Family, Track
from keycore.reading.decode import Posterior, Reading, decode
from keycore.reading.evidence import Evidence, Flush, Measured, Rounded, Spread, Stated, check_evidence
from keycore.rules import Break

SourceDocument = MeasuredModel | RoundedModel | FlushModel | StatedModel


def read_reading(data: Any) -> Reading:
    """A reading from plain data, every source turned into the family's own order.

    Raises InputError naming the field.
    """
    model = check(ReadingModel, data)
    family = family_of(model.family)
    track = family.track(model.track)
    evidence = [_read_source(source, place, family, track) for place, source in enumerate(model.evidence)]
    check_evidence(evidence, len(track.spaces))
    among = None
    if model.among is not None:
        among = tuple(steps_of(track, labels, f"among[{place}]") for place, labels in enumerate(model.among))
    return Reading(family, track, tuple(evidence), frozenset(model.obey), model.stray, among)


def family_of(reference: Any) -> Family:
    """The family another document names or contains; InputError under ``family``."""
    try:
        return read_family(reference)
    except InputError as error:
        raise error.under("family") from None


def steps_of(track: Track, labels: Sequence[str], where: str) -> tuple[int, ...]:
    """A whole bitting as steps; InputError under ``where``."""
    try:
        return track.steps(labels)
    except InputError as error:
        raise error.under(where) from None


def step_of(track: Track, label: str, where: str) -> int:
    """One label as a step; InputError under ``where``."""
    try:
        return track.step(label)
    except InputError as error:
        raise error.under(where) from None


def _read_source(source: SourceDocument, place: int, family: Family, track: Track) -> Evidence:
    where, spaces = f"evidence[{place}]", len(track.spaces)
    read: Evidence
    match source:
        case MeasuredModel():
            read = Measured(tuple(source.values), *_instrument(source, spaces))
        case RoundedModel():
            steps = [
                None if label is None else step_of(track, label, f"{where}.labels[{i}]")
                for i, label in enumerate(source.labels)
            ]
            read = Rounded(tuple(steps), *_instrument(source, spaces))
        case FlushModel():
            read = Flush(step_of(track, source.depth, f"{where}.depth"), _seen_flush(source, spaces, where))
        case StatedModel():
            read = Stated(_stated(source, track, where), source.trust)
    turned = source.counted_from not in (None, family.numbered_from)
    return read.turned() if turned else read


def _instrument(source: InstrumentModel, spaces: int) -> tuple[tuple[float, ...], Spread, Spread | None]:
    sd = tuple(source.sd) if isinstance(source.sd, list) else (source.sd,) * spaces
    tip = source.offset.tip
    return sd, Spread(source.offset.mean, source.offset.sd), Spread(tip.mean, tip.sd) if tip else None


def _seen_flush(source: FlushModel, spaces: int, where: str) -> tuple[bool | None, ...]:
    for name, listed in (("at", source.at), ("unsure", source.unsure)):
        for i, space in enumerate(listed):
            if space > spaces:
                raise InputError(f"{where}.{name}[{i}]", f"there is no space {space}, only 1 to {spaces}")
    both = sorted(set(source.at) & set(source.unsure))
    if both:
        raise InputError(f"{where}.unsure", f"space {both[0]} is both flush and unsure")
    return tuple(None if s in source.unsure else s in source.at for s in range(1, spaces + 1))


def _stated(source: StatedModel, track: Track, where: str) -> tuple[frozenset[int], ...]:
    stated = []
    for i, entry in enumerate(source.labels):
        labels = [] if entry is None else [entry] if isinstance(entry, str) else entry
        stated.append(frozenset(step_of(track, label, f"{where}.labels[{i}]") for label in labels))
    return tuple(stated)


def answer_decode(data: Any) -> dict[str, Any]:
    """The verb ``decode``: a reading in, its exact posterior out. Raises InputError."""
    return write_posterior(decode(read_reading(data)))


def write_posterior(posterior: Posterior) -> dict[str, Any]:
    """A posterior as plain data, labels in place of steps. Raises nothing."""
    labels = posterior.track.labels
    answer: dict[str, Any] = {
        "track": posterior.track.name,
        "spaces": [
            {
                "space": place + 1,
                "label": labels[step],
                "probability": float(row[step]),
                "depths": dict(zip(labels, row.tolist(), strict=True)),
            }
            for place, (step, row) in enumerate(zip(posterior.settled, posterior.marginals, strict=True))
        ],
        "bittings": [
            {"labels": [labels[step] for step in steps], "probability": chance} for steps, chance in posterior.bittings
        ],
        "offset": _write_spread(posterior.offset),
        "nearest": posterior.nearest and [None if s is None else labels[s] for s in posterior.nearest],
        "nearest_breaks": _write_breaks(posterior.nearest_breaks),
        "measure_again": posterior.measure_again,
        "reversed": posterior.turn_round,
        "conflict": [{"sources": list(c.sources), "space": c.space} for c in posterior.conflicts],
        "tip": _write_spread(posterior.tip),
        "beyond_rules": None,
    }
    if posterior.beyond_rules is not None:
        answer["beyond_rules"] = {
            "labels": [labels[step] for step in posterior.beyond_rules.steps],
            "times": posterior.beyond_rules.times,
            "breaks": _write_breaks(posterior.beyond_rules.breaks),
        }
    return {**answer, "left_out": dict(posterior.left_out)} if posterior.left_out else answer


def _write_spread(spread: Spread | None) -> dict[str, float] | None:
    return None if spread is None else {"mean": spread.mean, "sd": spread.sd}


def _write_breaks(broken: Sequence[Break]) -> list[dict[str, Any]]:
    return [{"rule": b.rule, "spaces": list(b.spaces)} for b in broken]
