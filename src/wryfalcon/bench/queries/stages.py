"""The stages of a job, where a tag stands, and what it waits for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import TYPE_CHECKING, TypedDict

from django.db.models import Exists, OuterRef, QuerySet, Subquery

from wryfalcon.bench.models import CaliperValue, Proof, Settlement, SetUp, Tag, TagState
from wryfalcon.machines.models import Run, RunState


class Progress(TypedDict):
    """What ``with_progress`` adds to a tag."""

    is_read: bool
    last_settlement: int | None
    read_back: datetime | None
    last_card: int | None
    card_for: int | None
    card_checked: datetime | None
    last_run: int | None
    last_run_state: str | None
    last_proof_run: int | None
    last_proof_passed: bool | None


if TYPE_CHECKING:
    from django_stubs_ext import WithAnnotations

    TagWithProgress = WithAnnotations[Tag, Progress]

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
    state: str  # done, here, next, later or folded
    current: bool


@dataclass(frozen=True)
class Waiting:
    """A tag on the bench: the stage it stands at and what it waits for, in words."""

    tag: TagWithProgress
    stage: str
    waits_for: str
    proven: int


def with_progress(tags: QuerySet[Tag]) -> QuerySet[TagWithProgress]:
    """Tags with everything needed to say where they stand, in one query.

    Runs count for the card in force only: a new card means that its keys are still to be cut.
    """
    settlements = Settlement.objects.filter(tag=OuterRef("pk")).order_by("-id")
    cards = SetUp.objects.filter(tag=OuterRef("pk")).order_by("-id")
    runs = Run.objects.filter(set_up=OuterRef("last_card")).order_by("-id")
    proofs = Proof.objects.filter(run__set_up=OuterRef("last_card")).order_by("-run")
    related = tags.select_related("customer", "family_record", "blank")
    marked = related.annotate(
        is_read=Exists(CaliperValue.objects.filter(reading__tag=OuterRef("pk"), withdrawn=False)),
        last_settlement=Subquery(settlements.values("pk")[:1]),
        read_back=Subquery(settlements.values("read_back_at")[:1]),
        last_card=Subquery(cards.values("pk")[:1]),
        card_for=Subquery(cards.values("settlement")[:1]),
        card_checked=Subquery(cards.values("checked_at")[:1]),
    )
    return marked.annotate(
        last_run=Subquery(runs.values("pk")[:1]),
        last_run_state=Subquery(runs.values("state")[:1]),
        last_proof_run=Subquery(proofs.values("run")[:1]),
        last_proof_passed=Subquery(proofs.values("passed")[:1]),
    )


def tag_with_progress(number: int) -> TagWithProgress | None:
    """The tag of that number and where it stands."""
    return with_progress(Tag.objects.all()).filter(number=number).first()


def standing(tag: TagWithProgress, proven: int = 0) -> Waiting:
    """Where a tag from ``with_progress`` stands; the first thing not done decides."""
    stage, waits_for = _stage(tag, proven)
    return Waiting(tag, stage, waits_for, proven)


def _stage(tag: TagWithProgress, proven: int) -> tuple[str, str]:
    if tag.state != TagState.OPEN:
        return "hand-over", tag.get_state_display()
    if tag.last_settlement is None:
        return ("settle", "its bitting to be settled") if tag.is_read else ("read", "its cuts to be read")
    if tag.read_back is None:
        return "settle", "its bitting to be read back"
    if tag.card_for != tag.last_settlement or tag.card_checked is None:
        return "set-up", "the machine to be set up"
    return _stage_of_keys(tag, proven)


def _stage_of_keys(tag: TagWithProgress, proven: int) -> tuple[str, str]:
    if tag.last_run is None and proven < tag.quantity:
        return "cut", f"key {proven + 1} of {tag.quantity} to be cut"
    if tag.last_run is None:
        return "hand-over", "to be handed over"
    if tag.last_run_state != RunState.FINISHED:
        return "cut", RUN_WAITS[RunState(str(tag.last_run_state))]
    if tag.last_proof_run != tag.last_run:
        return "prove", "its new key to be proven"
    if not tag.last_proof_passed:
        return "prove", "a failed proof to be mended"
    if proven < tag.quantity:
        return "cut", f"key {proven + 1} of {tag.quantity} to be cut"
    return "hand-over", "to be handed over"


RUN_WAITS = {
    RunState.PLANNED: "a key to be sent to the machine",
    RunState.LOADED: "a blank to be clamped",
    RunState.CLAMPED: "the machine to be started",
    RunState.CUTTING: "the machine: it is cutting",
    RunState.HELD: "the machine: it is held",
    RunState.TURN: "the key to be turned over",
    RunState.STALLED: "a stalled cutter to be freed",
    RunState.STOPPED: "the machine: it was stopped",
    RunState.LOST: "a key that its machine has forgotten",
}


def proven_counts(tags: Sequence[Tag]) -> dict[int, int]:
    """How many keys of each tag are proven, in one query."""
    pairs = Proof.objects.filter(run__set_up__tag__in=tags, passed=True)
    counted: dict[int, set[int]] = {}
    for tag, key in pairs.values_list("run__set_up__tag", "run__key_number"):
        counted.setdefault(tag, set()).add(key)
    return {tag: len(keys) for tag, keys in counted.items()}


def on_the_bench() -> list[Waiting]:
    """Every open tag, newest first, and what it waits for."""
    tags = list(with_progress(Tag.objects.filter(state=TagState.OPEN)))
    proven = proven_counts(tags)
    return [standing(tag, proven.get(tag.pk, 0)) for tag in tags]


def rail_of(waiting: Waiting, current: str) -> list[Stop]:
    """The rail above a tag: what is done, what is next, what this job does not need."""
    slugs = list(STAGES)
    at = slugs.index(waiting.stage)
    folded = {"read"} if not waiting.tag.is_read and at > slugs.index("read") else set()
    return [
        Stop(
            slug=slug,
            name=STAGES[slug],
            state="folded" if slug in folded else "done" if place < at else "next" if place == at else "later",
            current=slug == current,
        )
        for place, slug in enumerate(slugs)
    ]
