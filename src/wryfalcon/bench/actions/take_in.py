"""Taking a job in, changing what was taken in, and saying honestly that it is not for us."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from django.db import transaction
from django.db.models import Max
from django.utils import timezone

from wryfalcon.accounts.models import User
from wryfalcon.bench.models import Customer, Lock, OnBench, Piece, PieceState, Tag, TagState
from wryfalcon.bench.piece_states import AT_MACHINE, OPEN
from wryfalcon.bench.refusal import NotDone
from wryfalcon.library.models import Blank, FamilyRecord
from wryfalcon.records.actions import write_down
from wryfalcon.records.models import Event

FIRST_NUMBER = 401
WRITTEN_ON_IT = ("title", "customer_id", "authority", "quantity", "family_record_id", "blank_id", "on_bench", "note")


@dataclass(frozen=True)
class Baseline:
    """A lock the key must work, and how the old key feels in it."""

    name: str
    enters: str = ""
    turns: str = ""
    leaves: str = ""


@dataclass(frozen=True)
class Job:
    """What is written on a tag."""

    title: str
    customer: str
    on_bench: str
    family: FamilyRecord
    blank: Blank | None = None
    authority: str = ""
    quantity: int = 1
    brought_back: str = ""  # the number of the tag that made the key
    note: str = ""
    locks: Sequence[Baseline] = field(default=())


@transaction.atomic
def take_in(actor: User, job: Job) -> Tag:
    """Write a new tag. Raises NotDone naming the field."""
    number = (Tag.objects.aggregate(last=Max("number"))["last"] or FIRST_NUMBER - 1) + 1
    tag = Tag(number=number)
    _write(tag, job)
    write_down(Event.TAKEN_IN, actor, tag)
    return tag


@transaction.atomic
def change(actor: User, tag: Tag, job: Job) -> Tag:
    """Change what is written on an open tag. Raises NotDone naming the field."""
    check_open(tag)
    if tag.family_record_id not in (None, job.family.pk) and _is_read(tag):
        raise NotDone("Something was read or settled for this family already. Take in a new tag instead.", "family")
    before = {name: getattr(tag, name) for name in WRITTEN_ON_IT}
    _write(tag, job)
    changed = [name for name, value in before.items() if getattr(tag, name) != value]
    write_down(Event.CHANGED, actor, tag, changed=changed)
    return tag


@transaction.atomic
def decline(actor: User, tag: Tag, why: str) -> None:
    """End a job as not one for us. Raises NotDone without a reason."""
    check_open(tag)
    check_no_key_is_open(tag)
    if not why.strip():
        raise NotDone("Say in a few words why; it helps the next time they ask.", "why_declined")
    tag.state, tag.why_declined, tag.closed_at = TagState.DECLINED, why.strip(), timezone.now()
    tag.save()
    write_down(Event.DECLINED, actor, tag)


def check_open(tag: Tag) -> None:
    """Raise NotDone for a tag that is closed, by now and not as it was when the page asked for it."""
    tag.refresh_from_db(fields=["state"])
    if tag.state != TagState.OPEN:
        raise NotDone(f"Tag {tag} is closed ({tag.get_state_display()}); nothing on it changes any more.")


def check_no_key_is_open(tag: Tag) -> None:
    """Raise NotDone while a key of the tag is at a machine or on its way there: closed, nobody would see to it."""
    piece = Piece.objects.filter(tag=tag, state__in=OPEN).first()
    if piece is None:
        return
    at = f"at {piece.machine}, " if piece.state in AT_MACHINE else ""
    standing = f"{at}{piece.get_state_display()}"
    raise NotDone(f"{piece.called.capitalize()} is {standing}: finish it or end it under Cut, then close the tag.")


def _write(tag: Tag, job: Job) -> None:
    if job.family.restricted and not job.authority.strip():
        raise NotDone(
            f"{job.family.name} is restricted: write down what shows that they may have this key.", "authority"
        )
    tag.title, tag.on_bench, tag.note = job.title.strip(), job.on_bench, job.note.strip()
    tag.customer, _ = Customer.objects.get_or_create(name=job.customer.strip())
    tag.authority, tag.quantity, tag.family_record = job.authority.strip(), job.quantity, job.family
    tag.blank = job.blank or job.family.blanks.first()
    if tag.blank is not None and not tag.blank.families.filter(pk=job.family.pk).exists():
        raise NotDone(f"Blank {tag.blank.code} is not cut for {job.family.name}.", "blank")
    tag.brought_back_from, tag.made_by = None, None
    if job.brought_back:
        tag.brought_back_from, tag.made_by = _maker_of(job.brought_back, tag)
    elif job.on_bench == OnBench.RETURNED_KEY:
        raise NotDone("Which tag made the key that came back? Its number is on the label.", "brought_back")
    tag.save()
    _write_locks(tag, job.locks)


def _maker_of(number: str, tag: Tag) -> tuple[Tag, Piece | None]:
    digits = number.strip().lstrip("#")
    maker = Tag.objects.filter(number=int(digits)).first() if digits.isdecimal() and len(digits) < 9 else None
    if maker is None or maker.pk == tag.pk:
        raise NotDone(f"There is no tag {number.strip()[:12]}.", "brought_back")
    pieces = Piece.objects.filter(tag=maker, state=PieceState.FINISHED)
    return maker, pieces.order_by("-finished_at").first()


def _write_locks(tag: Tag, locks: Sequence[Baseline]) -> None:
    """Keep the rows of locks that still have their names, since trials hang on them."""
    wanted = {lock.name.strip(): lock for lock in locks if lock.name.strip()}
    tag.locks.exclude(name__in=wanted).filter(trials=None).delete()
    for name, lock in wanted.items():
        felt = {"enters": lock.enters, "turns": lock.turns, "leaves": lock.leaves}
        Lock.objects.update_or_create(tag=tag, name=name, defaults=felt)


def _is_read(tag: Tag) -> bool:
    read = tag.sources.filter(removed=False, sightings__withdrawn=False).exists()
    return read or tag.settlements.exists()
