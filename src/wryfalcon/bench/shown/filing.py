"""A key that is filed by hand: where each step begins and ends, how far its wall may move, its stages."""

from __future__ import annotations

from dataclasses import dataclass

from keycore.cutting.plan import Plan
from keycore.errors import InputError
from wryfalcon.bench.models import Tag
from wryfalcon.bench.queries.planning import plan_of
from wryfalcon.bench.sentences import said_problems
from wryfalcon.lengths import figure, unit_words


@dataclass(frozen=True)
class FilingRow:
    """One step."""

    space: int
    label: str
    begins: str
    ends: str
    window: str  # of the wall to the next step, "" where none stands there
    stages: tuple[str, ...]  # heights, the last the wanted one


@dataclass(frozen=True)
class Filing:
    """What to file, and what is wrong with it."""

    unit: str
    rows: tuple[FilingRow, ...]
    problems: tuple[str, ...]
    checks: tuple[str, ...]


def is_filed(tag: Tag) -> bool:
    """Whether the keys of a tag's family are filed by hand, whatever machines there are."""
    return tag.family_record is not None and tag.family.kind.is_filed


def filing_of(tag: Tag) -> Filing | None:
    """The steps of the key that is settled, or what is wanting to plan them; None for one not filed or not settled."""
    if not is_filed(tag) or tag.to_cut is None:
        return None
    try:
        plan = plan_of(tag, tag.to_cut)
    except InputError as error:
        return Filing("", (), (f"Its steps cannot be planned: {error.field}, {error.reason}.",), ())
    rows = tuple(row for planned in plan.tracks for row in _rows(plan, planned.track.name))
    cutting = tag.family.kind.cutting
    checks = tuple(check.says for check in cutting.handling) if cutting is not None else ()
    return Filing(unit_words(tag.family.lengths), rows, tuple(each.says for each in said_problems(plan)), checks)


def _rows(plan: Plan, track: str) -> list[FilingRow]:
    lengths, depth = plan.family.lengths, plan.family.depth
    (planned,) = [each for each in plan.tracks if each.track.name == track]
    found = []
    for cut in planned.cuts:
        window = cut.own["wall_window"]
        found.append(
            FilingRow(
                cut.space,
                cut.label,
                figure(lengths, cut.own["from_edge"], fine=True),
                figure(lengths, cut.own["to_edge"], fine=True),
                "" if window is None else " to ".join(figure(lengths, each, fine=True) for each in window),
                tuple(figure(depth, height, fine=True) for height in cut.own["stages"]),
            )
        )
    return found
