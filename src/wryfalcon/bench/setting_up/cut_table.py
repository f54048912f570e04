"""Every cut of a card in the order it is made, each figure as it is shown."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from keycore.coordinate import Coordinate
from keycore.cutting.plan import PlannedCut, cutting_of
from keycore.family import Family
from wryfalcon.bench.setting_up.planning import Card
from wryfalcon.lengths import as_machine, figure, say_figure, unit_words


@dataclass(frozen=True)
class CutRow:
    """One cut: its figures under the columns of its table, and what the machine is told."""

    side: str
    space: int
    label: str
    figures: tuple[str, ...]
    told: str


@dataclass(frozen=True)
class CutTable:
    """The table, with its working in sentences."""

    columns: tuple[str, ...]
    told: str
    rows: tuple[CutRow, ...]
    planned: tuple[CutRow, ...]  # each cut once, as the family numbers them
    working: tuple[str, ...]


def cut_table(card: Card) -> CutTable:
    """The cuts of a card."""
    plan, family = card.plan, card.plan.family
    columns, space, depth = _columns(family), family.space, family.depth
    words = {clamping.number: clamping for clamping in plan.clampings}
    once = [
        CutRow(each.track.name, cut.space, cut.label, tuple(_figure(c, cut) for c in columns), "")
        for each in plan.tracks
        for cut in each.cuts
    ]
    planned = {(row.side, row.space): row for row in once}
    rows = tuple(
        replace(
            planned[command["track"], command["space"]],
            side=words[command["clamping"]].words_of(command["track"]),
            told=f"{as_machine(space, command['position'])} · {as_machine(depth, command['value'])}",
        )
        for command in card.set_up.commands
    )
    quantities = " · ".join(dict.fromkeys((unit_words(space), unit_words(depth))))
    headings = tuple(f"{column.words}, {unit_words(column.coordinate)}" for column in columns)
    return CutTable(headings, f"Machine is told, {quantities}", rows, tuple(once), _working(card))


@dataclass(frozen=True)
class _Column:
    words: str
    coordinate: Coordinate
    of: Callable[[PlannedCut], float | None]


def _figure(column: _Column, cut: PlannedCut) -> str:
    """A cut's figure in a column; a dash where it has none."""
    value = column.of(cut)
    return "–" if value is None else figure(column.coordinate, value)


def _columns(family: Family) -> list[_Column]:
    """What every plan says of a cut, then what only this kind does."""
    left = f"{family.depth.words[0].upper()}{family.depth.words[1:]}"
    return [
        _Column("From gauge", family.space, lambda cut: cut.from_gauge),
        _Column("From previous", family.space, lambda cut: cut.from_previous),
        _Column(left, family.depth, lambda cut: cut.value),
        *(
            _Column(own.words, Coordinate(own.words, own.quantity, unit=family.unit), _own(own.name))
            for own in cutting_of(family).columns
        ),
    ]


def _own(name: str) -> Callable[[PlannedCut], float | None]:
    """What gives a kind's own figure of a cut."""
    return lambda cut: cut.own[name]


def _working(card: Card) -> tuple[str, ...]:
    family = card.plan.family
    offsets = (
        f"The machine itself is told millimetres (1 in = 25.4 mm) and degrees, with its offsets for the {family.gauge} "
        f"gauge put in: {say_figure(family.space, card.offset_space)} in place, "
        f"{say_figure(family.depth, card.offset_value)} in depth."
    )
    return (offsets, *cutting_of(family).working(family, card.plan))
