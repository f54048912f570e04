"""What a corrected table changes: one edition of a family beside another, and what that means for a key cut by it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from keycore.coordinate import Coordinate
from keycore.errors import InputError
from keycore.family import Family, Place, Track

ALIKE = 1e-9
"""Figures no further apart than this are the same, once they are in one unit."""
OF_THE_PAPER = frozenset({"format", "id", "edition"})
"""Fields that say which document it is, not what a key of it is."""
FIGURES = frozenset({"spaces", "depths"})
"""Fields of a track whose changes are told figure by figure."""


@dataclass(frozen=True, slots=True)
class FigureChange:
    """One row of a table of depths or spaces: what it was and what it is, None where an edition lacks it."""

    track: str
    name: str  # of a depth its label, of a space its number
    was: float | None  # both in the later edition's unit
    now: float | None


@dataclass(frozen=True, slots=True)
class FieldChange:
    """Any other field: where it stands in the document, and its text in either edition, "" where it lacks it."""

    where: tuple[str, ...]
    was: str
    now: str


@dataclass(frozen=True)
class EditionChanges:
    """How a later edition of a family differs from an earlier one."""

    depths: tuple[FigureChange, ...]
    spaces: tuple[FigureChange, ...]
    fields: tuple[FieldChange, ...]
    reads_bittings: bool  # whether a bitting of the earlier one is one of the later one, cut for cut

    @property
    def any(self) -> bool:
        """Whether there is a change at all."""
        return bool(self.depths or self.spaces or self.fields)


@dataclass(frozen=True, slots=True)
class CutShift:
    """What another edition would cut otherwise at one place: later less earlier, in the later edition's unit."""

    place: Place
    value: float
    space: float


def compare_editions(
    was: Family, now: Family, was_document: Mapping[str, Any], now_document: Mapping[str, Any]
) -> EditionChanges:
    """How one edition of a family differs from another.

    ``was`` and ``now`` are the families and ``was_document`` and ``now_document`` their documents, which say what
    else stands in them. Figures are compared in the unit of ``now``, so that a table written anew in millimetres
    changes nothing; angles are compared the shorter way round. Raises InputError where the kinds differ: that is
    another family.

    >>> from keycore.documents.family import read_family
    >>> table = {"format": "wry-falcon.family/1", "id": "two", "name": "Two", "kind": "edge", "unit": "mm",
    ...     "gauge": "shoulder", "numbered_from": "bow", "tracks": [{"name": "A", "spaces": [4.0, 8.0],
    ...     "depths": [{"label": "1", "value": 7.0}, {"label": "2", "value": 6.5}]}]}
    >>> later = {**table, "tracks": [{**table["tracks"][0], "spaces": [4.0, 8.1]}], "notes": "measured anew"}
    >>> found = compare_editions(read_family(table), read_family(later), table, later)
    >>> [(each.name, each.was, each.now) for each in found.spaces], found.reads_bittings
    ([('2', 8.0, 8.1)], True)
    >>> [each.where for each in found.fields]
    [('notes',)]
    """
    if was.kind != now.kind:
        raise InputError("kind", f"the edition before is of kind {was.kind}; another kind is another family")
    depths: list[FigureChange] = []
    spaces: list[FigureChange] = []
    before, after = _by_name(was), _by_name(now)
    for name in [*before, *(name for name in after if name not in before)]:
        depths += _changed(name, _depths(was, before.get(name), now), _depths(now, after.get(name), now), now.depth)
        spaces += _changed(name, _spaces(was, before.get(name), now), _spaces(now, after.get(name), now), now.space)
    is_rewritten = was.unit != now.unit
    fields = [] if is_rewritten else list(_fields_changed(was_document, now_document))
    if is_rewritten:
        fields = [FieldChange(("unit",), was.unit.value, now.unit.value)]
    return EditionChanges(tuple(depths), tuple(spaces), tuple(fields), reads_bittings(was, now))


def reads_bittings(was: Family, now: Family) -> bool:
    """Whether a bitting written by one edition, ``was``, means the same cuts by another, ``now``.

    True where tracks, number of spaces, the labels in their order and the end they are counted from are the same:
    the figures alone differ then. Raises nothing.

    >>> from keycore.documents.family import read_family
    >>> table = {"format": "wry-falcon.family/1", "id": "one", "name": "One", "kind": "edge", "unit": "mm",
    ...     "gauge": "shoulder", "numbered_from": "bow",
    ...     "tracks": [{"name": "A", "spaces": [4.0], "depths": [{"label": "1", "value": 7.0}]}]}
    >>> other = {**table, "tracks": [{**table["tracks"][0], "depths": [{"label": "0", "value": 7.0}]}]}
    >>> reads_bittings(read_family(table), read_family(table)), reads_bittings(read_family(table), read_family(other))
    (True, False)
    """
    return (was.kind, was.numbered_from, _means(was)) == (now.kind, now.numbered_from, _means(now))


def cut_shifts(was: Family, now: Family, bitting: Mapping[str, Sequence[str]]) -> tuple[CutShift, ...]:
    """What a key with a bitting would be cut otherwise by a later edition, place by place; only what differs.

    ``was`` is the edition it was cut by, ``now`` the later one, ``bitting`` labels (n,) by track in the family's order.
    Values and places are in the unit of ``now``. Raises InputError where the editions do not read each other's
    bittings, or the bitting is none of theirs.

    >>> from keycore.documents.family import read_family
    >>> table = {"format": "wry-falcon.family/1", "id": "two", "name": "Two", "kind": "edge", "unit": "mm",
    ...     "gauge": "shoulder", "numbered_from": "bow", "tracks": [{"name": "A", "spaces": [4.0, 8.0],
    ...     "depths": [{"label": "1", "value": 7.0}, {"label": "2", "value": 6.5}]}]}
    >>> later = {**table, "tracks": [{**table["tracks"][0], "depths": [{"label": "1", "value": 7.0},
    ...     {"label": "2", "value": 6.25}]}]}
    >>> cut_shifts(read_family(table), read_family(later), {"A": ["1", "2"]})
    (CutShift(place=Place(track='A', space=2), value=-0.25, space=0.0),)
    """
    if not reads_bittings(was, now):
        raise InputError("", "its labels or its cuts are not those of the edition before")
    found = []
    for name, labels in bitting.items():
        old, new = was.track(name), now.track(name)
        for number, step in enumerate(new.steps(labels), start=1):
            value = now.depth.off_by(new.values[step], was.depth.carried_to(now.depth, old.values[step]))
            here = was.space.carried_to(now.space, old.spaces[number - 1])
            space = now.space.off_by(new.spaces[number - 1], here)
            if max(abs(value), abs(space)) > ALIKE:
                found.append(CutShift(Place(name, number), value, space))
    return tuple(found)


def _by_name(family: Family) -> dict[str, Track]:
    return {track.name: track for track in family.tracks}


def _means(family: Family) -> tuple[object, ...]:
    return tuple((track.name, len(track.spaces), track.labels) for track in family.tracks)


def _depths(family: Family, track: Track | None, unit_of: Family) -> dict[str, float]:
    rows = track.depths if track else ()
    return {depth.label: family.depth.carried_to(unit_of.depth, depth.value) for depth in rows}


def _spaces(family: Family, track: Track | None, unit_of: Family) -> dict[str, float]:
    rows = track.spaces if track else ()
    return {str(n): family.space.carried_to(unit_of.space, value) for n, value in enumerate(rows, start=1)}


def _changed(
    track: str, was: Mapping[str, float], now: Mapping[str, float], coordinate: Coordinate
) -> Iterator[FigureChange]:
    for name in [*was, *(name for name in now if name not in was)]:
        old, new = was.get(name), now.get(name)
        if old is None or new is None or abs(coordinate.off_by(new, old)) > ALIKE:
            yield FigureChange(track, name, old, new)


def _fields_changed(was: Mapping[str, Any], now: Mapping[str, Any]) -> Iterator[FieldChange]:
    """Every other field that differs, leaf by leaf."""
    old, new = dict(_leaves(was)), dict(_leaves(now))
    for where in [*old, *(where for where in new if where not in old)]:
        if old.get(where, "") != new.get(where, ""):
            yield FieldChange(where, old.get(where, ""), new.get(where, ""))


def _leaves(part: Mapping[str, Any]) -> Iterator[tuple[tuple[str, ...], str]]:
    """The fields of a document as text, by where they stand; tracks by their names."""
    for name, value in part.items():
        if name in OF_THE_PAPER:
            continue
        if name == "tracks":
            for track in value:
                rest = {key: each for key, each in track.items() if key not in FIGURES and key != "name"}
                yield from (((f"track {track['name']}", *where), text) for where, text in _leaves(rest))
        elif isinstance(value, dict):
            yield from (((name, *where), text) for where, text in _leaves(value))
        else:
            yield (name,), _text(value)


def _text(value: Any) -> str:
    """A value as it is shown: figures without a tail of zeros, so that 0.30 and 0.3 are one."""
    if isinstance(value, bool) or value is None:
        return {True: "yes", False: "no", None: ""}[value]
    if isinstance(value, int | float):
        return f"{value:.9g}"
    if isinstance(value, list):
        return " ".join(_text(each) for each in value)
    if isinstance(value, dict):
        return ", ".join(f"{name} {_text(each)}" for name, each in value.items())
    return str(value)
