"""The stages of a job, where a tag stands, and what it waits for."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import TypeVar

from wryfalcon.bench.models import CaliperValue, Proof, Settlement, SetUp, Tag, TagState
from wryfalcon.machines.models import Run, RunState

STAGES = {
    "take-in": "Take in",
    "read": "Read",
    "settle": "Settle",
    "set-up": "Set up",
    "cut": "Cut",
    "prove": "Prove",
    "hand-over": "Hand over",
}


ModelT = TypeVar("ModelT", Settlement, SetUp)


@dataclass(frozen=True)
class Progress:
    """What is done of a job; the first thing that is not decides where it stands."""

    is_read: bool = False
    is_settled: bool = False
    is_read_back: bool = False
    is_set_up: bool = False  # a card for the settlement in force, every check on it done
    run: Run | None = None  # the last one of the card in force
    passed: bool | None = None  # the verdict kept on that run
    proven: int = 0  # keys, each once


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

    tag: Tag
    progress: Progress
    stage: str
    waits_for: str


def progress_of(tags: Sequence[Tag]) -> dict[int, Progress]:
    """How far each of some tags is, in a handful of queries however many there are."""
    within = [tag.pk for tag in tags]
    read = set(_values_kept(within))
    settled = {settlement.tag_id: settlement for settlement in _in_order(Settlement, within)}
    cards = {card.tag_id: card for card in _in_order(SetUp, within)}
    made = Run.objects.filter(set_up__in=[card.pk for card in cards.values()]).select_related("proof")
    runs = {run.set_up_id: run for run in made.order_by("pk")}
    proven = _proven_keys(within) if cards else Counter()
    found = {}
    for tag in within:
        card = cards.get(tag)
        run = runs.get(card.pk) if card else None
        found[tag] = _progress(tag in read, settled.get(tag), card, run, proven[tag])
    return found


def progress_of_one(tag: Tag) -> Progress:
    """How far one tag is, from what it has looked up about itself already."""
    card = tag.set_up
    run = Run.objects.filter(set_up=card).select_related("proof").order_by("-pk").first() if card else None
    return _progress(tag.is_read, tag.settlement, card, run, _proven_keys([tag.pk])[tag.pk] if tag.settlement else 0)


def _progress(
    is_read: bool, settlement: Settlement | None, card: SetUp | None, run: Run | None, proven: int
) -> Progress:
    """Runs count for the card in force only: a new card means that its keys are still to be cut."""
    verdict = getattr(run, "proof", None)
    in_force = card is not None and settlement is not None and card.settlement_id == settlement.pk
    return Progress(
        is_read=is_read,
        is_settled=settlement is not None,
        is_read_back=settlement is not None and settlement.read_back_at is not None,
        is_set_up=in_force and card is not None and card.checked_at is not None,
        run=run,
        passed=verdict.passed if verdict else None,
        proven=proven,
    )


def _proven_keys(within: Sequence[int]) -> Counter[int]:
    """How many keys of each tag are proven; a touched-up key counts once."""
    passed = Proof.objects.filter(run__set_up__tag__in=within, passed=True)
    return Counter(tag for tag, _ in set(passed.values_list("run__set_up__tag", "run__key_number")))


def _values_kept(within: Sequence[int]) -> Iterable[int]:
    kept = CaliperValue.objects.filter(reading__tag__in=within, withdrawn=False)
    return kept.values_list("reading__tag", flat=True).distinct()


def _in_order(model: type[ModelT], within: Sequence[int]) -> Iterable[ModelT]:
    """Rows of some tags, oldest first, so that the last one seen of each tag is the one in force."""
    return model._default_manager.filter(tag__in=within).order_by("pk")


def find_tag(number: int) -> Tag | None:
    """The tag of that number with what its head shows."""
    related = Tag.objects.select_related("customer", "family_record", "blank")
    return related.filter(number=number).first()


def standing(tag: Tag, progress: Progress | None = None) -> Waiting:
    """Where a tag stands and what it waits for."""
    progress = progress or progress_of_one(tag)
    stage, waits_for = _stage(tag, progress)
    return Waiting(tag, progress, stage, waits_for)


def _stage(tag: Tag, progress: Progress) -> tuple[str, str]:
    if tag.state != TagState.OPEN:
        return "hand-over", tag.get_state_display()
    if not progress.is_settled:
        return ("settle", "its bitting to be settled") if progress.is_read else ("read", "its cuts to be read")
    if not progress.is_read_back:
        return "settle", "its bitting to be read back"
    if not progress.is_set_up:
        return "set-up", "the machine to be set up"
    return _stage_of_keys(tag, progress)


def _stage_of_keys(tag: Tag, progress: Progress) -> tuple[str, str]:
    run = progress.run
    if run is not None and run.state != RunState.FINISHED:
        return "cut", RUN_WAITS[RunState(run.state)]
    if run is not None and progress.passed is None:
        return "prove", "its new key to be proven"
    if run is not None and not progress.passed:
        return "prove", "a failed proof to be mended"
    if progress.proven < tag.quantity:
        return "cut", f"key {progress.proven + 1} of {tag.quantity} to be cut"
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


def on_the_bench() -> list[Waiting]:
    """Every open tag, newest first, and what it waits for."""
    tags = list(Tag.objects.filter(state=TagState.OPEN).select_related("customer", "family_record", "blank"))
    progress = progress_of(tags)
    return [standing(tag, progress[tag.pk]) for tag in tags]


def rail_of(waiting: Waiting, current: str) -> list[Stop]:
    """The rail above a tag: what is done, what is next, what this job does not need."""
    slugs = list(STAGES)
    at = slugs.index(waiting.stage)
    folded = {"read"} if not waiting.progress.is_read and at > slugs.index("read") else set()
    return [
        Stop(
            slug=slug,
            name=STAGES[slug],
            state="folded" if slug in folded else "done" if place < at else "next" if place == at else "later",
            current=slug == current,
        )
        for place, slug in enumerate(slugs)
    ]
