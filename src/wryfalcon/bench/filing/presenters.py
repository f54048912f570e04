"""A key that is filed by hand: where each step begins and ends, how far its wall may move, its stages and looks."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from keycore.cutting.plan import Plan
from keycore.errors import InputError
from keycore.family import Family
from keycore.kind import LockPart, MarkOf
from wryfalcon.bench.filing.queries import (
    FiledStep,
    filed_steps,
    first_that_works,
    marks_of,
    next_step,
    plan_by_first,
    settled_heights,
    spacers_of,
)
from wryfalcon.bench.models import Piece, StageLook, StageShowed, Tag
from wryfalcon.bench.setting_up.presenters import said_problems
from wryfalcon.lengths import figure, say_difference, say_value, unit_words


@dataclass(frozen=True)
class FilingRow:
    """One step."""

    space: int
    label: str
    begins: str
    ends: str
    window: str  # of the wall to the next step, "" where none stands there
    stages: tuple[str, ...]  # heights, the last the wanted one
    stands: str  # as filed so far, "" where nothing is off it
    looks: tuple[str, ...]  # what it showed at each height, oldest first
    is_next: bool


@dataclass(frozen=True)
class Ask:
    """What is asked of the hand next, and what its form begins with."""

    place: str  # track and space as a form sends it back
    words: str
    height: str  # "" once all stand at their depth: the mark says how far
    by_mark: bool
    known: int  # the newest look that the page shows


@dataclass(frozen=True)
class Filing:
    """What to file, and what is wrong with it."""

    unit: str
    rows: tuple[FilingRow, ...]
    problems: tuple[str, ...]
    checks: tuple[str, ...]
    spacers: tuple[str, ...] = ()
    first: str = ""  # by which key it is filed, and how that differs from the table
    ask: Ask | None = None
    steps: tuple[tuple[str, str], ...] = ()  # to choose another step: as a form sends it back, in words
    last: StageLook | None = None
    mark: str = ""  # of the last look, whose it may be


SHOWED = tuple((each.value, each.label) for each in StageShowed)


def is_filed(tag: Tag) -> bool:
    """Whether the keys of a tag's family are filed by hand, whatever machines there are."""
    return tag.family_record is not None and tag.family.kind.is_filed


def filing_of(tag: Tag, piece: Piece | None = None, step: str = "") -> Filing | None:
    """The steps of the key that is settled, or what is wanting to plan them; None for one not filed or not settled.

    With a ``piece`` that is being filed, how far it is, and what is next: the ``step`` asked for, else the program's.
    """
    if not is_filed(tag) or tag.to_cut is None:
        return None
    under_way = piece if piece is not None and piece.is_begun else None
    first = first_that_works(tag, under_way)
    try:
        plan = plan_by_first(tag, first)
    except InputError as error:
        return Filing("", (), (f"Its steps cannot be planned: {error.field}, {error.reason}.",), ())
    steps = filed_steps(plan, under_way)
    found = next((each for each in steps if _sent_as(each) == step), None) or next_step(steps) or steps[-1]
    cutting = tag.family.kind.cutting
    looks = [look for each in steps for look in each.looks]
    last = max(looks, key=lambda look: look.pk, default=None)
    return Filing(
        unit=unit_words(tag.family.lengths),
        rows=tuple(_rows(tag, plan, steps, found if under_way is not None else None)),
        problems=tuple(each.says for each in said_problems(plan)),
        checks=tuple(check.says for check in cutting.handling) if cutting is not None else (),
        spacers=tuple(_spacer_words(tag.family, plan)),
        first=_first_words(tag, first),
        ask=_ask(tag.family, found, last) if under_way is not None and not under_way.is_of_old_bitting else None,
        steps=tuple((_sent_as(each), f"Step {_named(tag.family, each)}") for each in steps),
        last=last,
        mark=mark_words(tag.family, marks_of(tag, last)) if last is not None else "",
    )


def _sent_as(step: FiledStep) -> str:
    return f"{step.place.track}:{step.place.space}"


def _named(family: Family, step: FiledStep) -> str:
    return str(step.place.space) if len(family.tracks) == 1 else f"{step.place.track} {step.place.space}"


def _ask(family: Family, step: FiledStep, last: StageLook | None) -> Ask:
    height, known = step.next_stage, last.pk if last is not None else 0
    if height is None:
        says = f"Step {_named(family, step)} stands at its depth. Where it still shows a mark, go by the mark."
        return Ask(_sent_as(step), says, "", by_mark=True, known=known)
    says = f"File step {_named(family, step)} to {say_value(family.depth, height, fine=True)}, then try it."
    return Ask(_sent_as(step), says, figure(family.depth, height, fine=True), by_mark=False, known=known)


def mark_words(family: Family, marks: Sequence[MarkOf]) -> str:
    """Which lever or spacer a mark is of, likeliest first; "" for none."""
    return ", ".join(f"{part_words(family, each.part)} ({round(100 * each.share)} in 100)" for each in marks)


def part_words(family: Family, part: LockPart) -> str:
    """A lever or a spacer in words, counted from the stop."""
    count = max(len(track.spaces) for track in family.tracks)
    if not part.is_spacer:
        return f"lever {part.space}"
    if part.space in (0, count):
        return "the case before lever 1" if part.space == 0 else "what lies past the last lever"
    return f"the spacer between levers {part.space} and {part.space + 1}"


def _spacer_words(family: Family, plan: Plan) -> list[str]:
    """The land under each spacer, the highest first: that one would be caught before the others."""
    found = [each for _, spacers in spacers_of(plan) for each in spacers]
    return [
        f"{part_words(family, each.part)}: a land {say_value(family.depth, each.height, fine=True)} high under "
        f"{say_value(family.lengths, each.reach, fine=True)} of it"
        for each in sorted(found, key=lambda each: -each.height)
    ]


def _first_words(tag: Tag, first: Piece | None) -> str:
    """By which key these heights are, and where that one came out otherwise than the table; "" by the table alone."""
    if first is None or first.wanted_values is None:
        return ""
    settled = settled_heights(tag)
    differ = [
        f"step {space} by {say_difference(tag.family.depth, height - wanted)}"
        for track, heights in first.wanted_values.items()
        for space, (height, wanted) in enumerate(zip(heights, settled.get(track, heights), strict=True), start=1)
        if height != wanted
    ]
    how = f" It differs from the table: {', '.join(differ)}." if differ else ""
    return f"By {first.called}, as its locks say that it is right.{how}"


def _rows(tag: Tag, plan: Plan, steps: Sequence[FiledStep], following: FiledStep | None) -> list[FilingRow]:
    lengths, depth = plan.family.lengths, plan.family.depth
    cuts = [cut for planned in plan.tracks for cut in planned.cuts]
    found = []
    for cut, step in zip(cuts, steps, strict=True):
        window = cut.own["wall_window"]
        found.append(
            FilingRow(
                cut.space,
                cut.label,
                figure(lengths, cut.own["from_edge"], fine=True),
                figure(lengths, cut.own["to_edge"], fine=True),
                "" if window is None else " to ".join(figure(lengths, each, fine=True) for each in window),
                tuple(figure(depth, height, fine=True) for height in step.stages),
                figure(depth, step.stands, fine=True) if step.stands is not None else "",
                tuple(_look_words(tag, look) for look in step.looks),
                step is following,
            )
        )
    return found


def _look_words(tag: Tag, look: StageLook) -> str:
    """One look: the height, and what it showed."""
    depth, space = tag.family.depth, tag.family.space
    where = f" at {figure(space, look.mark_at, fine=True)}" if look.mark_at is not None else ""
    return f"{figure(depth, look.height, fine=True)} {look.get_showed_display()}{where}"


def looks_said(tag: Tag, piece: Piece) -> list[str]:
    """Every look at a key that was filed, oldest first, for its history."""
    return [f"step {look.space}: {_look_words(tag, look)}" for look in piece.stage_looks.filter(withdrawn=False)]
