"""Key family documents, ``wry-falcon.family/1``: in, out, and the figures derived from them."""

from __future__ import annotations

import copy
import re
from collections.abc import Mapping, Sequence
from dataclasses import replace
from itertools import pairwise
from types import MappingProxyType
from typing import Any

from keycore import families
from keycore.budget import Budget
from keycore.documents.kinds import DocumentPart, part_of
from keycore.documents.models.family import FamilyModel, TrackModel
from keycore.documents.parse import check
from keycore.errors import BeyondReach, InputError
from keycore.family import (
    Blank,
    Depth,
    End,
    Family,
    Gauge,
    Play,
    Rules,
    Tolerance,
    Track,
    Tumbler,
)  # fmt: skip
from keycore.geometry.outline import crossing
from keycore.kinds import kind_of
from keycore.rules import count_bittings
from keycore.units import Unit


def read_family(data: Any) -> Family:
    """A family from plain data or from the id of one that ships with the core.

    Raises InputError naming the field, with all further faults that can be told.

    >>> read_family("harbour-five").tracks[0].macs
    4
    """
    if isinstance(data, str):
        data = families.shipped(data)
    part = part_of(data.get("kind") if isinstance(data, dict) else None)
    try:
        model = check(part.family, data)
    except InputError as error:
        raise InputError.first_of([error, *_further_faults(data, error)]) from None
    return _family_as(model, part)


STAND_INS = {
    "format": "wry-falcon.family/1", "id": "x", "name": "x", "kind": "edge", "unit": "mm", "gauge": "shoulder",
    "numbered_from": "bow",
}  # fmt: skip
"""What a needed field is taken to be while the rest of a document is looked at."""
COUNTED = re.compile(r"positions|fixed|tracks\[\d+\]\.levers")
"""What depends on how many spaces there are."""
ENTRY = re.compile(r"tracks\[(\d+)\]\.(\w+)(?:\[(\d+)\])?")


def _further_faults(data: Any, error: InputError) -> list[InputError]:
    """What rules find wrong with the rest of a document whose fields are wrong: it is all said at once.

    Every field that is wrong is left out, or taken to be something that is right; nothing that rests on it is told.
    """
    if not isinstance(data, dict):
        return []
    mended, is_short = copy.deepcopy(data), False
    wrong = {fault.field.split(".")[0].split("[")[0] for fault in error.all}
    for fault in reversed(error.all):  # entries of a list from behind, so that the others keep their places
        found = ENTRY.match(fault.field)
        if found is not None:
            is_short |= _leave_out(mended["tracks"][int(found[1])], found[2], found[3])
    for name in wrong - {"tracks"}:
        mended.pop(name, None)
    mended = {**{name: value for name, value in STAND_INS.items() if name not in mended}, **mended}
    part = part_of(mended["kind"])
    try:
        _family_as(check(part.family, mended), part)
    except InputError as further:
        known, unsure = {fault.field for fault in error.all}, wrong & {"kind", "gauge", "numbered_from"}
        return [
            InputError(each.field, each.reason)
            for each in further.all
            if each.field not in known
            and not (is_short and COUNTED.match(each.field))
            and not (unsure and ENTRY.match(each.field) and "all the way" not in each.reason)
        ]
    return []


def _leave_out(track: Any, field: str, place: str | None) -> bool:
    """Leave one field of a raw track out, or one entry of a list; returns whether there are fewer spaces by it."""
    if not isinstance(track, dict):
        return False
    entries = track.get(field)
    if place is not None and isinstance(entries, list) and int(place) < len(entries) > 1:
        del entries[int(place)]
    else:
        track.pop(field, None)
    return field == "spaces"


def _family_as(model: FamilyModel, part: DocumentPart) -> Family:
    """The family of a checked document. Raises InputError with every fault of its tracks and of all of it together."""
    tracks, faults = [], []
    for place, track in enumerate(model.tracks):
        try:
            tracks.append(_read_track(track, place, (model.fixed or {}).get(track.name, {}), part))
        except InputError as error:
            faults.append(error)
            tracks.append(_right_track(track, part))
    names = [track.name for track in model.tracks]
    faults += [InputError(f"fixed.{name}", "there is no such track") for name in model.fixed or {} if name not in names]
    section = tuple((x, y) for x, y in model.section.outline) if model.section else ()
    if section and (sides := crossing(section)):
        faults.append(InputError("section.outline", f"sides {sides[0]} and {sides[1]} cross or touch each other"))
    try:
        family = _whole_family(model, part, tracks, section)
    except InputError as error:
        unordered = {one.field for fault in faults for one in fault.all if one.reason.endswith("all the way")}
        faults += [InputError(one.field, one.reason) for one in error.all if one.field not in unordered]
    if faults:
        raise InputError.first_of(faults)
    return family


def _right_track(model: TrackModel, part: DocumentPart) -> Track:
    """A track in the place of one that is wrong, while the rest is looked at: the same, put in order."""
    ways = [b - a for a, b in pairwise(model.spaces)]
    in_order = model.spaces if all(w > 0 for w in ways) or all(w < 0 for w in ways) else range(len(model.spaces))
    values = sorted({depth.value for depth in model.depths}, reverse=model.depths[0].value > model.depths[-1].value)
    depths = tuple(Depth(f"{step}", value) for step, value in enumerate(values))
    return Track(model.name, tuple(in_order), depths, part.track_tool(model), own=part.track_own(model))


def _whole_family(
    model: FamilyModel, part: DocumentPart, tracks: Sequence[Track], section: tuple[tuple[float, float], ...]
) -> Family:
    return Family(
        id=model.id,
        name=model.name,
        maker=model.maker or "",
        kind=kind_of(model.kind),
        unit=Unit(model.unit),
        gauge=Gauge(model.gauge),
        numbered_from=End(model.numbered_from),
        tracks=tuple(tracks),
        blank=Blank(**model.blank.model_dump()) if model.blank else None,
        section=section,
        tolerance=Tolerance(**model.tolerance.model_dump()) if model.tolerance else None,
        play=Play(**model.play.model_dump()) if model.play else None,
        rules=Rules(**model.rules.model_dump()) if model.rules else Rules(),
        positions=MappingProxyType(
            {lock: _positions_of(said, tracks) for lock, said in (model.positions or {}).items()}
        ),
        measured=model.measured,
        entry=model.entry,
        edition=model.edition or "",
        setup=MappingProxyType(model.setup.model_dump(exclude_none=True) if model.setup else {}),
        notes=model.notes or "",
        source=model.source or "",
        recut=model.recut,
        own=part.family_own(model),
    )


def _positions_of(said: Any, tracks: Sequence[Track]) -> Mapping[str, tuple[int, ...]]:
    """The spaces that one lock has, by track: of all of them alike, or as each track that is named says."""
    if isinstance(said, dict):
        return MappingProxyType({name: tuple(spaces) for name, spaces in said.items()})
    return MappingProxyType({track.name: tuple(said) for track in tracks})


def family_of(reference: Any) -> Family:
    """The family that a ``reference`` of another document names or contains; InputError under ``family``."""
    try:
        return read_family(reference)
    except InputError as error:
        raise error.under("family") from None


def steps_of(track: Track, labels: Sequence[str], where: str) -> tuple[int, ...]:
    """A whole bitting, its ``labels`` (n,), as steps; InputError under ``where``."""
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


def _read_track(model: TrackModel, place: int, fixed: Mapping[str, str], part: DocumentPart) -> Track:
    try:
        track = Track(
            name=model.name,
            spaces=tuple(model.spaces),
            depths=tuple(Depth(depth.label, depth.value) for depth in model.depths),
            tool=part.track_tool(model),
            macs=model.macs,
            tumbler=Tumbler(model.tumbler.shape, model.tumbler.size) if model.tumbler else None,
            face=model.face,
            own=part.track_own(model),
        )
    except InputError as error:
        raise error.under(f"tracks[{place}]") from None
    return replace(track, fixed=_read_fixed(track, fixed))


def _read_fixed(track: Track, fixed: Mapping[str, str]) -> tuple[tuple[int, int], ...]:
    """The spaces whose depth never varies, with its step; InputError under ``fixed``."""
    spaces, found = {str(space): space for space in range(1, len(track.spaces) + 1)}, []
    for space, label in fixed.items():
        where = f"fixed.{track.name}.{space[:20]}"
        if space not in spaces:
            raise InputError(where, f"there is no such space, only 1 to {len(spaces)}")
        try:
            found.append((spaces[space], track.step(label)))
        except InputError as error:
            raise error.under(where) from None
    return tuple(sorted(found))


def assumed_of(family: Family, given: Mapping[str, Any]) -> list[str]:
    """What a document leaves out and is therefore assumed, each in a sentence; empty where nothing is.

    Arguments: the family, and the plain data that was ``given`` for it. Raises nothing.

    >>> from keycore import families
    >>> bare = {k: v for k, v in families.shipped("harbour-five").items() if k not in ("entry", "play")}
    >>> [says.split(":")[0] for says in assumed_of(read_family(bare), bare)]
    ['entry', 'play']
    """
    says = []
    if "entry" not in given:
        says.append(f"entry: taken to go in both ways up{family.kind.usual_entry}.")
    says += family.kind.assumed(family, given)
    for track in family.tracks:
        if track.macs is None:
            says.append(f"macs of track {track.name}: none, so that any two depths may be neighbours.")
    if family.tolerance is None:
        says.append("tolerance: not known, so that no key of it can be proven by measure.")
    elif family.play is None:
        says.append(f"play: the lock is taken to allow what cutting does, {family.tolerance.value:g} {family.unit}.")
    if family.blank is None:
        says.append("blank: not known, so that no key of it can be planned.")
    return says


def answer_family(data: Any) -> dict[str, Any]:
    """The verb ``family``: check a document, ``data`` as JSON gives it, and answer with the derived figures.

    Returns ``id``, ``bittings`` and ``macs_geometric`` by track, and ``left_out`` where exact
    counting was out of reach. Raises InputError naming the field.
    """
    family = read_family(data)
    counts: dict[str, dict[str, int | None]] = {}
    left_out, budget = {}, Budget()
    for track in family.tracks:
        counts[track.name] = {"all": len(track.depths) ** len(track.spaces), "allowed": None}
        try:
            counts[track.name]["allowed"] = count_bittings(track, family.rules, budget)
        except BeyondReach as error:
            left_out[f"bittings.{track.name}.allowed"] = error.reason
    geometric = {track.name: family.kind.macs_geometric(family, track, None) for track in family.tracks}
    answer: dict[str, Any] = {"id": family.id, "bittings": counts, "macs_geometric": geometric}
    return {**answer, "left_out": left_out} if left_out else answer
