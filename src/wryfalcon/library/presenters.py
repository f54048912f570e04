"""What the library's pages show of a family, in words and figures, so that their templates only lay it out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from keycore.coordinate import Coordinate
from keycore.documents.family import answer_family
from keycore.documents.text import parse_json
from keycore.family import Family, Track
from keycore.units import Unit
from wryfalcon.lengths import say_tool, say_value, show_value
from wryfalcon.numbers import thousands

OTHER = {Unit.INCH: Unit.MILLIMETRE, Unit.MILLIMETRE: Unit.INCH}


@dataclass(frozen=True)
class ValueTable:
    """The depths or the spaces of a track: a name, its value in the family's unit and in the other if there is one."""

    heading: str
    units: tuple[str, ...]
    rows: tuple[tuple[str, tuple[str, ...]], ...]


@dataclass(frozen=True)
class TrackTable:
    """One track's tables and derived figures."""

    title: str
    tables: tuple[ValueTable, ValueTable]
    stated: str
    geometric: str
    bittings: str
    working: str


def track_tables(document: str, family: Family) -> list[TrackTable]:
    """The tables of every track of a family document."""
    counts = _counts(document)
    return [_table(family, track, *counts[track.name]) for track in family.tracks]


def _table(family: Family, track: Track, every: int, allowed: int | None) -> TrackTable:
    depths = [(depth.label, depth.value) for depth in track.depths]
    spaces = [(str(number), space) for number, space in enumerate(track.spaces, start=1)]
    allows = "too many to count under these rules" if allowed is None else f"{thousands(allowed)} allowed"
    return TrackTable(
        title=f"Track {track.name}" if len(family.tracks) > 1 else "Depth and space",
        tables=(_values("Depth", family.depth, depths), _values("Space", family.space, spaces)),
        stated="none stated" if track.macs is None else f"{track.macs} as stated",
        geometric=_from_geometry(family, track),
        bittings=f"{thousands(every)} in all, {allows}",
        working=f"{family.kind.macs_working(family)} Bittings are counted exactly, neighbour by neighbour.".strip(),
    )


def _values(heading: str, coordinate: Coordinate, rows: Sequence[tuple[str, float]]) -> ValueTable:
    units = [coordinate.unit, OTHER[coordinate.unit]] if coordinate.is_length else [coordinate.unit]
    return ValueTable(
        heading,
        tuple(unit.value for unit in units) if coordinate.is_length else (coordinate.unit_name,),
        tuple((name, tuple(show_value(coordinate, value, unit) for unit in units)) for name, value in rows),
    )


def _from_geometry(family: Family, track: Track) -> str:
    macs = family.kind.macs_geometric(family, track, None)
    if macs is None or track.tool is None or track.pitch is None:
        return "not to be had from the geometry"
    leaves, apart = say_tool(family.lengths, track.tool), say_value(family.space, track.pitch)
    return f"{macs} from the geometry ({track.tool.name} {leaves}, spaces {apart} apart)"


@lru_cache(maxsize=256)
def _counts(document: str) -> dict[str, tuple[int, int | None]]:
    answer = answer_family(parse_json(document.encode()))
    return {name: (found["all"], found["allowed"]) for name, found in answer["bittings"].items()}


@dataclass(frozen=True)
class Asking:
    """A question of the fitting guide: its words, and how an answer is said and sent."""

    words: str
    of_year: bool = False

    def sent(self, field: str, answer: str | int) -> dict[str, str]:
        """An answer as it is asked for: of a year, before it or since it."""
        if self.of_year:
            name, _, year = str(answer).partition(" ")
            return {name: year}
        return {field: str(answer)}


QUESTIONS = {
    "cuts": Asking("How many cuts has it?"),
    "use": Asking("What is it for?"),
    "electronics": Asking("What is in its head?"),
    "year": Asking("From which year is it?", of_year=True),
    "blank": Asking("Which number is on the blank?"),
}


def count_words(family: Family) -> str:
    """How many cuts its keys have, of several tracks on each: a key in hand is counted against it."""
    first, *others = family.tracks
    cuts = f"{len(first.spaces)} cuts"
    if not others:
        return cuts
    words = family.kind.track_word.lower()
    return ", ".join(
        [f"{cuts} on {words} {first.name}", *(f"{len(each.spaces)} on {words} {each.name}" for each in others)]
    )
