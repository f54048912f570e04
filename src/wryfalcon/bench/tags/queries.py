"""The stages of a job, where a tag stands, and what it waits for."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from django.db.models import QuerySet
from django.urls import reverse

from wryfalcon.bench.authority import why_not_made
from wryfalcon.bench.models import Asked, OnBench, Piece, PieceState, SetUp, Tag, TagState
from wryfalcon.bench.piece_states import BY_HAND, OPEN
from wryfalcon.bench.setting_up.queries import MachinesNow, what_holds
from wryfalcon.bench.tags.come_back import piece_that_made
from wryfalcon.bench.tags.progress import Progress, progress_of
from wryfalcon.bench.tags.waits import Wait, Waiting

STAGES = {
    "take-in": "Take in",
    "read": "Read",
    "settle": "Settle",
    "set-up": "Set up",
    "cut": "Cut",
    "prove": "Prove",
    "hand-over": "Hand over",
}


WITHOUT_FAMILY = ("take-in", "hand-over")
"""Stages of a tag whose family is not known yet."""
OF_A_COPY = ("take-in", "cut", "prove", "hand-over")
"""Stages of a key that is copied from its pattern: what it is need not be known."""


IN_THE_JAW = frozenset({PieceState.LOADED, PieceState.CLAMPED})


@dataclass(frozen=True)
class Stop:
    """One stage on the rail."""

    slug: str
    name: str
    href: str
    state: str  # done, next, later or folded
    current: bool

    @property
    def words(self) -> str:
        """How it is said where its colour is not seen."""
        return {"done": "done", "next": "next", "later": "later", "folded": "not needed"}[self.state]


def _tags() -> QuerySet[Tag]:
    """Tags with what their heads show."""
    return Tag.objects.select_related("customer", "family_record", "blank")


def tag_numbered(number: int) -> Tag | None:
    """The tag of that number; for a key brought back, with the piece that made it."""
    tag = _tags().filter(number=number).first()
    if tag is not None and tag.made_by_id is not None:
        tag.made_by = piece_that_made(tag.made_by_id)
        tag.brought_back_from = tag.made_by.tag
    return tag


def on_the_bench() -> list[Waiting]:
    """Every open tag, newest first, and what it waits for: a card that no longer holds is said first.

    One that waits for its next key is held against the card in force, one whose key is in its jaw, uncut, against the
    card of that key.
    """
    tags = list(_tags().filter(state=TagState.OPEN))
    progress = progress_of(tags)
    found = [_waiting(tag, progress[tag.pk]) for tag in tags]
    waits = {each.tag.pk: each for each in found if each.wait == Wait.KEY or each.progress.piece_state in IN_THE_JAW}
    if not waits:
        return found
    cards = {card.pk: card for card in _cards(tuple(waits))}
    in_force = {card.tag_id: card for card in cards.values()}
    of_pieces = dict(_cards_of_pieces(tuple(waits)))
    now, lapsed = MachinesNow.of(cards.values(), practices=False), {}
    for pk, card in in_force.items():
        each = waits[pk]
        if each.progress.is_set_up:
            each.tag.__dict__["settlement"] = card.settlement  # the card in force is of the settlement in force
        own = cards.get(of_pieces.get(pk, 0), card)
        holding = what_holds(each.tag, own, None if own is card else card, now)
        if holding.lapses and each.wait == Wait.KEY:
            lapsed[pk] = Wait.NEW_CARD if holding.to_remake else Wait.CHECKS
        elif holding.lapses and pk in of_pieces:
            lapsed[pk] = Wait.LAPSED
    return [replace(each, wait=lapsed.get(each.tag.pk, each.wait)) for each in found]


def _cards_of_pieces(tags: tuple[int, ...]) -> list[tuple[Any, ...]]:
    """By tag, of the keys in a jaw of which nothing is cut; a touch-up has figures of its own."""
    uncut = Piece.objects.filter(tag__in=tags, state__in=IN_THE_JAW, done=0, onto=None, set_up__isnull=False)
    return list(uncut.order_by().values_list("tag_id", "set_up_id"))


def _cards(tags: tuple[int, ...]) -> list[SetUp]:
    cards = SetUp.objects.filter(tag__in=tags).order_by("pk")
    return list(cards.select_related("settlement", "machine__fitted", "cutter", "jaw_side__clamp").only(
        "tag", "ticks", "checked_at", "commands", "rests_on", "work_seen", "style",
        "settlement__bitting", "settlement__values", "machine__name", "machine__driver", "machine__fitted__name",
        "cutter__name", "cutter__flat", "cutter__angle", "jaw_side__slot_depth", "jaw_side__clamp__space_axis",
        "jaw_side__clamp__depth_axis",
    ))  # fmt: skip


def stage_of(tag: Tag) -> Waiting:
    """Where a tag stands and what it waits for: the first thing not done decides."""
    return _waiting(tag, progress_of([tag])[tag.pk])


def _waiting(tag: Tag, progress: Progress) -> Waiting:
    return Waiting(tag, progress, _wait(tag, progress))


def _wait(tag: Tag, progress: Progress) -> Wait:
    if not tag.is_open:
        return Wait.NOTHING
    if progress.piece_state in OPEN:
        return Wait.PIECE
    if tag.on_bench == OnBench.PICTURE and progress.answers < len(Asked):
        return Wait.ANSWERS
    if tag.is_copied and not progress.is_read_back:
        return Wait.AUTHORITY if why_not_made(tag) else _wait_of_keys(tag, progress)
    if tag.family_record_id is None:
        return Wait.FAMILY
    if not progress.is_read_back and why_not_made(tag):
        return Wait.AUTHORITY
    if not progress.is_settled:
        return Wait.BITTING if progress.is_read else Wait.CUTS
    if not progress.is_read_back:
        return Wait.READING_BACK
    if not (progress.is_set_up or _needs_no_card(tag, progress)):
        return Wait.SET_UP
    return _wait_of_keys(tag, progress)


def _needs_no_card(tag: Tag, progress: Progress) -> bool:
    """Whether no machine need be set up: a key waits for its proof, is made by hand, or all are proven."""
    if tag.family.kind.is_filed:
        return True
    waits_for_proof = bool(progress.piece_state) and progress.passed is None
    return waits_for_proof or progress.made_how in BY_HAND or progress.proven >= tag.quantity


def _wait_of_keys(tag: Tag, progress: Progress) -> Wait:
    if progress.piece_state and progress.passed is None:
        return Wait.PROOF
    if progress.piece_state and not progress.passed:
        return Wait.MENDING
    if progress.proven >= tag.quantity:
        return Wait.CUSTOMER
    return Wait.COPY if tag.is_copied and not progress.is_read_back else Wait.KEY


def rail_of(waiting: Waiting, current: str) -> list[Stop]:
    """The rail above a tag: what is done, what is next, what this job does not need."""
    slugs, base = list(STAGES), reverse("bench:tag", args=[waiting.tag.number])
    at = slugs.index(waiting.stage) if waiting.tag.is_open else len(slugs)
    tag, read = waiting.tag, waiting.progress.is_read
    folded = {"read"} if not read and at > slugs.index("read") else set()
    open_at = slugs if tag.family_record_id is not None else OF_A_COPY if tag.is_copied else WITHOUT_FAMILY
    if tag.is_copied and not waiting.progress.is_read_back:
        folded = set(slugs).difference(OF_A_COPY)
    return [
        Stop(
            slug=slug,
            name=STAGES[slug],
            href=f"{base}/{slug}" if slug in open_at else "",
            state="folded" if slug in folded else "done" if place < at else "next" if place == at else "later",
            current=slug == current,
        )
        for place, slug in enumerate(slugs)
    ]
