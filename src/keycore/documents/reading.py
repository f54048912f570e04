"""Readings in, posteriors out: ``wry-falcon.reading/1``, the verb ``decode``."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from keycore.documents.family import family_of, step_of, steps_of
from keycore.documents.models.reading import (
    ComparedModel,
    FlushModel,
    InstrumentModel,
    LocalModel,
    MeasuredModel,
    OffsetModel,
    ReadingModel,
    RoundedModel,
    StatedModel,
)  # fmt: skip
from keycore.documents.parse import check
from keycore.errors import InputError
from keycore.family import Family, Track
from keycore.reading.decode import Posterior, Reading, Unsettled, look_over
from keycore.reading.evidence import (
    Beside,
    Compared,
    Evidence,
    Flush,
    Local,
    Measured,
    Pair,
    Rounded,
    Spread,
    Stated,
    check_evidence,
)  # fmt: skip
from keycore.reading.instruments import COMPARED_SD, RESOLVES
from keycore.rules import Break

SourceDocument = MeasuredModel | RoundedModel | FlushModel | StatedModel | ComparedModel


def read_reading(data: Any) -> Reading:
    """A reading from plain data, every source turned into the family's own order.

    Raises InputError naming the field.
    """
    model = check(ReadingModel, data)
    family = family_of(model.family)
    track = family.track(model.track)
    evidence: list[Evidence] = []
    for place, source in enumerate(model.evidence):
        evidence.append(_read_source(source, place, family, track, model.stray, evidence))
    for source in model.evidence:
        if isinstance(source, MeasuredModel) and source.same_as is not None:
            first = evidence[source.same_as]
            if isinstance(first, Measured) and first.shared is None:
                evidence[source.same_as] = replace(first, shared=source.same_as)
    check_evidence(evidence, len(track.spaces))
    among = None
    if model.among is not None:
        among = tuple(steps_of(track, labels, f"among[{place}]") for place, labels in enumerate(model.among))
    return Reading(family, track, tuple(evidence), frozenset(model.obey), model.stray, among)


def _read_source(
    source: SourceDocument, place: int, family: Family, track: Track, stray: float, earlier: Sequence[Evidence]
) -> Evidence:
    where, spaces = f"evidence[{place}]", len(track.spaces)
    read: Evidence
    match source:
        case MeasuredModel():
            read = _read_measured(source, where, spaces, stray, earlier)
        case RoundedModel():
            steps = [
                None if label is None else step_of(track, label, f"{where}.labels[{i}]")
                for i, label in enumerate(source.labels)
            ]
            offset, tip = _spreads(source.offset)
            read = Rounded(tuple(steps), _sds(source, spaces), offset, tip)
        case FlushModel():
            read = Flush(step_of(track, source.depth, f"{where}.depth"), _seen_flush(source, spaces, where))
        case StatedModel():
            read = Stated(_stated(source, track, where), source.trust)
        case ComparedModel():
            read = _read_compared(source, where, family, spaces)
    turned = source.counted_from not in (None, family.numbered_from)
    if turned and (why := family.kind.why_not_turned(track)):
        raise InputError("from", why)
    return read.turned() if turned else read


def _read_measured(
    source: MeasuredModel, where: str, spaces: int, stray: float, earlier: Sequence[Evidence]
) -> Measured:
    sd = _sds(source, spaces)
    local = () if source.local is None else (_read_local(source.local, where, stray),) * spaces
    if source.same_as is None:
        if source.offset is None:
            raise InputError(f"{where}.offset", "is missing")
        offset, tip = _spreads(source.offset)
        return Measured(tuple(source.values), sd, offset, tip, local)
    if source.offset is not None:
        raise InputError(f"{where}.offset", "is that of the source that this one is the same as: leave it out")
    first = earlier[source.same_as] if source.same_as < len(earlier) else None
    if not isinstance(first, Measured):
        raise InputError(f"{where}.same_as", "must be the place of a measured source before this one")
    shared = source.same_as if first.shared is None else first.shared
    return Measured(tuple(source.values), sd, first.offset, first.tip, local, shared)


def _read_local(model: LocalModel, where: str, stray: float) -> Local:
    if model.chance + stray >= 1:
        raise InputError(f"{where}.local.chance", "and stray together must be below 1")
    deep, shallow = Spread(model.deep.mean, model.deep.sd), Spread(model.shallow.mean, model.shallow.sd)
    return Local(model.chance, deep, shallow, model.share_deep)


def _read_compared(source: ComparedModel, where: str, family: Family, spaces: int) -> Compared:
    for name in ("resolves", "sd"):
        if not family.depth.is_length and getattr(source, name) is None:
            raise InputError(f"{where}.{name}", "is needed where depths are angles")
    pairs = []
    for i, (first, second, compared) in enumerate(source.pairs):
        if not (isinstance(first, int) and isinstance(second, int) and isinstance(compared, str)):
            raise InputError(f"{where}.pairs[{i}]", "must be two spaces, then level, deeper or shallower")
        if max(first, second) > spaces:
            raise InputError(f"{where}.pairs[{i}]", f"there is no space {max(first, second)}, only 1 to {spaces}")
        pairs.append(Pair(first - 1, second - 1, Beside(compared)))
    tip = Spread(source.tip.mean, source.tip.sd) if source.tip else None
    resolves, sd = source.resolves or RESOLVES[family.unit], source.sd or COMPARED_SD[family.unit]
    return Compared(spaces, tuple(pairs), resolves, sd, tip)


def _sds(source: InstrumentModel, spaces: int) -> tuple[float, ...]:
    return tuple(source.sd) if isinstance(source.sd, list) else (source.sd,) * spaces


def _spreads(model: OffsetModel) -> tuple[Spread, Spread | None]:
    return Spread(model.mean, model.sd), Spread(model.tip.mean, model.tip.sd) if model.tip else None


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
    """The verb ``decode``: a reading in, its exact posterior out. ``data`` as JSON gives it. Raises InputError."""
    return write_posterior(look_over(read_reading(data)))


def write_posterior(posterior: Posterior | Unsettled) -> dict[str, Any]:
    """A posterior as plain data, labels in place of steps; null where the sum was out of reach. Raises nothing."""
    labels = posterior.track.labels
    answer: dict[str, Any] = {
        "track": posterior.track.name,
        "spaces": None,
        "bittings": None,
        "offset": None,
        "nearest": posterior.nearest and [None if s is None else labels[s] for s in posterior.nearest],
        "nearest_breaks": _write_breaks(posterior.nearest_breaks),
        "measure_again": None,
        "look_next": None,
        "reversed": posterior.turn_round,
        "conflict": [{"sources": list(c.sources), "space": c.space} for c in posterior.conflicts],
        "tip": None,
        "beyond_rules": None,
    }
    if isinstance(posterior, Posterior):
        answer |= _write_settled(posterior)
    return {**answer, "left_out": dict(posterior.left_out)} if posterior.left_out else answer


def _write_settled(posterior: Posterior) -> dict[str, Any]:
    labels = posterior.track.labels
    beyond = posterior.beyond_rules
    return {
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
        "measure_again": posterior.measure_again,
        "look_next": posterior.look_next
        and {"with": posterior.look_next.using.value, "space": posterior.look_next.space},
        "tip": _write_spread(posterior.tip),
        "beyond_rules": beyond
        and {
            "labels": [labels[step] for step in beyond.steps],
            "times": beyond.times,
            "breaks": _write_breaks(beyond.breaks),
            **({} if beyond.is_listed else {"listed": False}),
        },
    }


def _write_spread(spread: Spread | None) -> dict[str, float] | None:
    return None if spread is None else {"mean": spread.mean, "sd": spread.sd}


def _write_breaks(broken: Sequence[Break]) -> list[dict[str, Any]]:
    return [{"rule": b.rule, "spaces": list(b.spaces)} for b in broken]
