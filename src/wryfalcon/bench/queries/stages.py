"""The stages of a job, where a tag stands, and what it waits for."""

from __future__ import annotations

from dataclasses import dataclass, replace

from django.db.models import QuerySet
from django.urls import reverse

from wryfalcon.bench.authority import TO_BE_NOTED, why_not_read
from wryfalcon.bench.models import Piece, PieceState, Progress, SetUp, Tag, TagState
from wryfalcon.bench.piece_states import OPEN, STATE_ROWS
from wryfalcon.bench.queries.cards import MachinesNow, what_holds

STAGES = {
    "take-in": "Take in",
    "read": "Read",
    "settle": "Settle",
    "set-up": "Set up",
    "cut": "Cut",
    "prove": "Prove",
    "hand-over": "Hand over",
}


@dataclass(frozen=True)
class Stop:
    """One stage on the rail."""

    slug: str
    name: str
    href: str
    state: str  # done, next, later or folded
    current: bool


@dataclass(frozen=True)
class Waiting:
    """A tag on the bench: the stage it stands at and what it waits for, in words."""

    tag: Tag
    progress: Progress
    stage: str
    waits_for: str


def _tags() -> QuerySet[Tag]:
    """Tags with what their heads show and how far they are, in one query.

    Every tag has its progress: said so, the view is asked for the tag alone, where an outer join works it out of all.
    """
    return Tag.objects.select_related("customer", "family_record", "blank", "progress").filter(progress__isnull=False)


def find_tag(number: int) -> Tag | None:
    """The tag of that number; for a key brought back, with the piece that made it."""
    tag = _tags().filter(number=number).first()
    if tag is not None and tag.made_by_id is not None:
        made = Piece.objects.select_related("machine", "tag").only(
            "key_number", "try_number", "onto", "finished_at", "machine__name", "tag__number"
        )
        tag.made_by = made.get(pk=tag.made_by_id)
        tag.brought_back_from = tag.made_by.tag
    return tag


def on_the_bench() -> list[Waiting]:
    """Every open tag, newest first, and what it waits for: a card that no longer holds is made anew first."""
    found = [stage_of(tag) for tag in _tags().filter(state=TagState.OPEN)]
    carded = {each.tag.pk: each.tag for each in found if each.stage == "cut" and each.progress.piece_state not in OPEN}
    if not carded:
        return found
    cards = {card.tag_id: card for card in _cards().filter(tag__in=carded).order_by("pk")}
    now, lapsed = MachinesNow.of(cards.values(), practices=False), {}
    for pk, card in cards.items():
        carded[pk].__dict__["settlement"] = card.settlement  # the card in force is of the settlement in force
        holding = what_holds(carded[pk], card, now=now)
        if holding.lapses:
            lapsed[pk] = "its card to be made anew" if holding.to_remake else "its card to be checked again"
    return [
        replace(each, stage="set-up", waits_for=lapsed[each.tag.pk]) if each.tag.pk in lapsed else each
        for each in found
    ]


def _cards() -> QuerySet[SetUp]:
    return SetUp.objects.select_related("settlement", "machine__fitted", "cutter", "jaw_side__clamp").only(
        "tag", "ticks", "checked_at", "commands", "rests_on", "work_seen", "style",
        "settlement__bitting", "settlement__values", "machine__name", "machine__driver", "machine__fitted__name",
        "cutter__name", "cutter__flat", "cutter__angle", "jaw_side__slot_depth", "jaw_side__clamp__space_axis",
        "jaw_side__clamp__depth_axis",
    )  # fmt: skip


def stage_of(tag: Tag) -> Waiting:
    """Where a tag stands and what it waits for: the first thing not done decides."""
    stage, waits_for = _stage(tag, tag.progress)
    return Waiting(tag, tag.progress, stage, waits_for)


def _stage(tag: Tag, progress: Progress) -> tuple[str, str]:
    if not tag.is_open:
        return "hand-over", tag.get_state_display()
    if progress.piece_state in OPEN:
        return "cut", STATE_ROWS[PieceState(progress.piece_state)].waits_for
    if tag.is_open and not progress.is_read_back and (why := why_not_read(tag)):
        return (
            "take-in",
            "its authority to be written down" if why == TO_BE_NOTED else "a kind that is not read here yet",
        )
    if not progress.is_settled:
        return ("settle", "its bitting to be settled") if progress.is_read else ("read", "its cuts to be read")
    if not progress.is_read_back:
        return "settle", "its bitting to be read back"
    if (
        not progress.is_set_up
        and not (progress.piece_state and progress.passed is None)
        and not _is_made(tag, progress)
    ):
        return "set-up", "the machine to be set up"
    return _stage_of_keys(tag, progress)


def _is_made(tag: Tag, progress: Progress) -> bool:
    """Whether every key that was ordered is proven: a machine need not be set up for any."""
    return progress.proven >= tag.quantity


def _stage_of_keys(tag: Tag, progress: Progress) -> tuple[str, str]:
    if progress.piece_state and progress.passed is None:
        return "prove", STATE_ROWS[PieceState.FINISHED].waits_for
    if progress.piece_state and not progress.passed:
        return "prove", "a failed proof to be mended"
    if progress.proven < tag.quantity:
        return "cut", f"key {progress.proven + 1} of {tag.quantity} to be cut"
    return "hand-over", "to be handed over"


def rail_of(waiting: Waiting, current: str) -> list[Stop]:
    """The rail above a tag: what is done, what is next, what this job does not need."""
    slugs, base = list(STAGES), reverse("bench:tag", args=[waiting.tag.number])
    at = slugs.index(waiting.stage) if waiting.tag.is_open else len(slugs)
    folded = {"read"} if not waiting.progress.is_read and at > slugs.index("read") else set()
    return [
        Stop(
            slug=slug,
            name=STAGES[slug],
            href=f"{base}/{slug}",
            state="folded" if slug in folded else "done" if place < at else "next" if place == at else "later",
            current=slug == current,
        )
        for place, slug in enumerate(slugs)
    ]
