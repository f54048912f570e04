"""What a brief look at a pattern says, in a smith's words."""

from __future__ import annotations

from dataclasses import dataclass

from keycore.family import Family
from keycore.proving.brief import BLADE_PLACES, Way
from wryfalcon.bench.copying.brief import Brief
from wryfalcon.bench.models import Tag, WearGrade
from wryfalcon.drawings.strip import in_100
from wryfalcon.lengths import figure, show_small, unit_shown
from wryfalcon.machines.fittings.presenters import turn_words
from wryfalcon.machines.models import TRACES, Machine

PLACES = dict(zip(BLADE_PLACES, ("at the bow", "in the middle", "at the tip"), strict=True))
WAYS = {Way.COPY: "Copy it", Way.RESTORE: "Restore it", Way.COMPENSATE: "Compensate"}
MOST_COPIES = 4
GENERATIONS = (
    ("", "not known"), ("0", "cut by its depths"), ("1", "a copy"), ("2", "a copy of a copy"), ("3", "a third copy"),
    ("4", "a fourth or later copy"),
)  # fmt: skip
WORTH_MEASURING = 0.005


@dataclass(frozen=True)
class BriefShown:
    """A brief look: what to measure, and what it says so far."""

    cuts: tuple[tuple[int, str], ...]  # space in the family's order, and its value as typed, "" for none
    blade: str  # where its height is measured
    blade_at: float
    has_blank: bool
    worth: str  # what measuring is worth
    ways: tuple[tuple[str, str, bool], ...]  # the way, its chance, whether it is the one to go
    says: str
    looks: tuple[tuple[str, str], ...]
    look: str
    generations: tuple[tuple[str, str], ...]
    generation: str
    next_copy: str  # which copy the new key will be, "" where nobody knows
    shift_mm: float  # to move the duplicator by, where compensating is worth it; else 0
    shift_words: str
    restores: bool


def brief_shown(tag: Tag, brief: Brief, machine: Machine | None) -> BriefShown:
    """What a page shows of it."""
    family, advice = tag.family, brief.advice or brief.unmeasured
    depth = family.depth
    shift_mm = depth.to_machine(advice.shift) if advice.best == Way.COMPENSATE else 0.0
    traces = machine is not None and machine.kind in TRACES
    return BriefShown(
        cuts=tuple(
            (cut, "" if value is None else figure(depth, value))
            for cut, value in zip(brief.look.cuts, brief.values, strict=True)
        ),
        blade=PLACES[brief.look.blade_at],
        blade_at=brief.look.blade_at,
        has_blank=family.blank is not None,
        worth=_worth(brief),
        ways=tuple((WAYS[way], in_100(advice.chances[way]), way == advice.best) for way in Way),
        says=_says(family, brief),
        looks=tuple((grade.value, grade.label) for grade in WearGrade),
        look=brief.grade,
        generations=GENERATIONS,
        generation="" if brief.generation is None else str(min(brief.generation, MOST_COPIES)),
        next_copy=_next_copy(brief.generation),
        shift_mm=shift_mm if traces else 0.0,
        shift_words=turn_words(machine, shift_mm) if traces and machine is not None and shift_mm else "",
        restores=advice.best == Way.RESTORE,
    )


def _next_copy(generation: int | None) -> str:
    """Said from the second copy on, where it begins to tell."""
    if not generation:
        return ""
    named = dict(GENERATIONS)[str(min(generation + 1, MOST_COPIES))]
    return f"Copied again, the new key is {named} of a key that was cut by its depths."


def _worth(brief: Brief) -> str:
    if brief.look.gain < WORTH_MEASURING:
        return "By its look the way is clear: measuring would hardly change it."
    return f"Measured, {max(1, round(brief.look.gain * 100))} more keys in 100 are expected to turn."


def _says(family: Family, brief: Brief) -> str:
    """Why this way."""
    advice = brief.advice or brief.unmeasured
    gone = "By its look alone. "
    if brief.gone is not None:
        about, doubt = (show_small(family.depth, x, unit_shown()) for x in (abs(brief.gone.mean), 2 * brief.gone.sd))
        gone = f"About {about} {'gone' if brief.gone.mean > 0 else 'too high'}, give or take {doubt}. "
    return (
        gone
        + {
            Way.COPY: "A copy as it is turns as well as anything that is more work.",
            Way.RESTORE: "A copy would carry its wear on: read every cut, and cut it by its depths.",
            Way.COMPENSATE: "Traced with the duplicator moved away by what is gone.",
        }[advice.best]
    )
