"""Taking a job in, changing what was taken in, and saying honestly that it is not for us."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from django.db.models import Max
from django.utils import timezone

from keycore.family import Family
from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.bench.authority import IN_HAND, is_profile_restricted, needs_record, why_not_made
from wryfalcon.bench.models import (
    Customer,
    Lock,
    OnBench,
    Piece,
    PieceState,
    SheetEntry,
    SourceKind,
    Tag,
    TagState,
)
from wryfalcon.bench.piece_states import AT_MACHINE, OPEN
from wryfalcon.library.models import Blank, FamilyRecord
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.numbers import whole_number
from wryfalcon.refusal import NotDone

FIRST_NUMBER = 401
WRITTEN_ON_IT = (
    "title", "customer_id", "authority", "stamped", "quantity", "family_record_id", "blank_id", "on_bench", "note",
    "is_copied",
)  # fmt: skip


@dataclass(frozen=True)
class Baseline:
    """A lock the key must work, and how the old key feels in it."""

    name: str
    enters: str = ""
    turns: str = ""
    leaves: str = ""
    grade: int | None = None  # of the old key, 0 will not to 10 as new


@dataclass(frozen=True)
class TagDetails:
    """What is written on a tag."""

    title: str
    customer: str
    on_bench: str
    family: FamilyRecord | None = None  # of a key brought back: its tag's
    blank: Blank | None = None
    authority: str = ""
    in_hand: bool = False  # whoever asks has the key in the hand, and whoever takes it in saw that
    stamped: str = ""
    quantity: int = 1
    is_copied: bool = False  # its keys are copied from the key in hand, without reading it first
    brought_back: str = ""  # the number of the tag that made the key
    note: str = ""
    guide: Mapping[str, str] = field(default_factory=dict)  # what its row of the fitting guide says of making it
    locks: Sequence[Baseline] = field(default=())


@action
def take_in(actor: User, job: TagDetails) -> Tag:
    """Write a new tag. Raises NotDone naming the field."""
    number = (Tag.objects.aggregate(last=Max("number"))["last"] or FIRST_NUMBER - 1) + 1
    tag = Tag(number=number)
    _write(actor, tag, job)
    write_down(Event.TAKEN_IN, actor, tag)
    return tag


@action
def change(actor: User, tag: Tag, job: TagDetails) -> str:
    """Change what is written on an open tag; returns what became of a reading for another family, in words.

    Raises NotDone naming the field, for another family once the bitting is settled too.
    """
    check_open(tag)
    before = {name: getattr(tag, name) for name in WRITTEN_ON_IT}
    old = tag.family_record
    _write(actor, tag, job)
    says = ""
    if old is not None and old.pk != tag.family_record_id:
        if tag.family_record is not None and old.slug == tag.family_record.slug:
            raise NotDone(
                "Another edition of its family: go over to it by the notice at the head of the tag.", "family"
            )
        if tag.settlements.exists():
            raise NotDone("The bitting is settled for this family already. Take in a new tag instead.", "family")
        says = _carry_reading(tag, old.family, tag.family)
    changed = [name for name, value in before.items() if getattr(tag, name) != value]
    write_down(Event.CHANGED, actor, tag, changed=changed)
    return says


CARRIED = (SourceKind.CALIPERS, SourceKind.PROBE, SourceKind.COMPARED)
"""What is seen of a key whatever family it is of."""


def _carry_reading(tag: Tag, old: Family, new: Family) -> str:
    """What was read for one family, under another: lengths of as many cuts are carried, all else is put away."""
    shape = {track.name: len(track.spaces) for track in new.tracks}
    carried, away = 0, 0
    for source in tag.sources.filter(removed=False):
        fits = shape.get(source.track) == len(old.track(source.track).spaces)
        is_same_kind = old.kind == new.kind and old.measured == new.measured
        if fits and is_same_kind and source.kind in CARRIED:
            for sighting in source.sightings.exclude(value=None):
                assert sighting.value is not None
                sighting.value = old.depth.carried_to(new.depth, sighting.value)
                sighting.save()
            carried += 1
        else:
            source.removed = True
            source.save()
            away += source.sightings.filter(withdrawn=False).exists()
    tag.overrulings.filter(withdrawn=False).update(withdrawn=True)
    SheetEntry.objects.filter(sheet__tag=tag, withdrawn=False).update(withdrawn=True)
    tag.trial_sheets.update(series=None)
    says = [f"{carried} measured source{'' if carried == 1 else 's'} carried over"] if carried else []
    says += [f"{away} source{'' if away == 1 else 's'} of {old.name} put away, kept in the record"] if away else []
    return f"Read for {old.name}: {', '.join(says)}. Look at the reading again." if says else ""


@action
def learn_family(
    actor: User, tag: Tag, family: FamilyRecord, blank: Blank | None, guide: Mapping[str, str] | None = None
) -> None:
    """Say of a tag that was hung without one which family its key is of, and what the guide says of making it.

    Raises NotDone for one that has one.
    """
    check_open(tag)
    if tag.family_record_id is not None:
        raise NotDone(f"Tag {tag} is of {tag.family_record}: change it under Take in.")
    if needs_record(tag.on_bench, is_restricted=family.restricted) and not tag.authority.strip():
        raise NotDone(f"{family} is restricted: write down under Take in what shows that they may have this key.")
    fits = blank is not None and blank.families.filter(pk=family.pk).exists()
    tag.family_record, tag.blank = family, blank if fits else family.blanks.first()
    tag.guide = dict(guide or {})
    tag.save()
    write_down(Event.CHANGED, actor, tag, changed=["family_record_id", "blank_id"])


@action
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
    if not tag.is_open:
        raise NotDone(f"Tag {tag} is closed ({tag.get_state_display()}); nothing on it changes any more.")


def check_no_key_is_open(tag: Tag) -> None:
    """Raise NotDone while a key of the tag is at a machine or on its way there: closed, nobody would see to it."""
    piece = Piece.objects.filter(tag=tag, state__in=OPEN).first()
    if piece is None:
        return
    at = f"at {piece.machine}, " if piece.state in AT_MACHINE else ""
    standing = f"{at}{piece.get_state_display()}"
    raise NotDone(f"{piece.called.capitalize()} is {standing}: finish it or end it under Cut, then close the tag.")


def check_read(tag: Tag) -> None:
    """Raise NotDone for a tag that is closed, or whose key is not to be read yet."""
    check_open(tag)
    if why := why_not_made(tag):
        raise NotDone(why)


def _write(actor: User, tag: Tag, job: TagDetails) -> None:
    tag.brought_back_from, tag.made_by = None, None
    if job.brought_back:
        tag.brought_back_from, tag.made_by = _maker_of(job.brought_back, tag)
        job = _filled_from(tag.brought_back_from, job)
    elif job.on_bench == OnBench.RETURNED_KEY:
        raise NotDone("Which tag made the key that came back? Its number is on the label.", "brought_back")
    if job.family is None and tag.family_record_id is not None:
        raise NotDone("A tag that has a family keeps one: choose another.", "family")
    if job.is_copied:
        job = _of_its_blank(job)
    is_restricted = is_profile_restricted(job.family, job.blank)
    authority = job.authority.strip()
    is_quoted = job.on_bench == OnBench.PICTURE  # nothing is made from a picture: asked once a key is to be read
    if needs_record(job.on_bench, is_restricted=is_restricted) and not authority and not is_quoted:
        what = f"{job.family or job.blank} is restricted" if is_restricted else f"For {OnBench(job.on_bench).label}"
        raise NotDone(f"{what}: write down what shows that they may have this key.", "authority")
    if not authority and job.in_hand and job.on_bench in IN_HAND:
        authority = f"has the key in hand; seen by {actor}"
    tag.title, tag.on_bench, tag.note = job.title.strip(), job.on_bench, job.note.strip()
    tag.customer, _ = Customer.objects.get_or_create(name=job.customer.strip())
    if tag.pk is None or tag.family_record_id != (job.family.pk if job.family else None):
        tag.guide = dict(job.guide)  # of another family it says nothing
    tag.authority, tag.quantity, tag.family_record = authority, job.quantity, job.family
    tag.stamped, tag.is_copied = job.stamped.strip(), job.is_copied
    tag.blank = job.blank or (job.family.blanks.first() if job.family is not None else None)
    if tag.blank is not None and job.family is not None and not tag.blank.families.filter(pk=job.family.pk).exists():
        raise NotDone(f"Blank {tag.blank.code} is not cut for {job.family.name}.", "blank")
    tag.save()
    _write_locks(tag, job.locks)


def _of_its_blank(job: TagDetails) -> TagDetails:
    """A key to be copied: its family where the blank serves one alone. NotDone without the key in hand."""
    if job.on_bench not in IN_HAND:
        raise NotDone("Only a key that lies here can be copied.", "on_bench")
    if job.family is None and job.blank is not None:
        families = list(job.blank.families.in_force()[:2])
        return replace(job, family=families[0]) if len(families) == 1 else job
    return job


@action
def copy_or_read(actor: User, tag: Tag, *, is_copied: bool) -> None:
    """Copy a tag's key from its pattern, or read it after all. Raises NotDone for a key that does not lie here."""
    check_open(tag)
    check_no_key_is_open(tag)
    if is_copied and tag.on_bench not in IN_HAND:
        raise NotDone("Only a key that lies here can be copied.")
    tag.is_copied = is_copied
    tag.save(update_fields=["is_copied"])
    write_down(Event.CHANGED, actor, tag, changed=["is_copied"])


def _filled_from(maker: Tag, job: TagDetails) -> TagDetails:
    """A job for a key that came back: family, blank and locks are those of its tag where nothing else is said."""
    if job.family is not None and (maker.family_record is None or job.family.slug != maker.family_record.slug):
        raise NotDone(f"Tag {maker} made a {maker.family_record} key: a key brought back is of that family.", "family")
    locks = [lock for lock in job.locks if lock.name.strip()] or [Baseline(lock.name) for lock in maker.locks.all()]
    return replace(job, family=maker.family_record, blank=job.blank or maker.blank, locks=locks)


def _maker_of(number: str, tag: Tag) -> tuple[Tag, Piece | None]:
    digits = number.strip().lstrip("#")
    maker = Tag.objects.filter(number=whole_number(digits)).first()
    if maker is None or maker.pk == tag.pk:
        raise NotDone(f"There is no tag {number.strip()[:12]}.", "brought_back")
    pieces = Piece.objects.filter(tag=maker, state=PieceState.FINISHED)
    return maker, pieces.order_by("-finished_at").first()


def _write_locks(tag: Tag, locks: Sequence[Baseline]) -> None:
    """Keep the rows of locks that still have their names, since trials hang on them."""
    wanted = {lock.name.strip(): lock for lock in locks if lock.name.strip()}
    tag.locks.exclude(name__in=wanted).filter(trials=None).delete()
    for name, lock in wanted.items():
        felt = {"enters": lock.enters, "turns": lock.turns, "leaves": lock.leaves, "grade": lock.grade}
        Lock.objects.update_or_create(tag=tag, name=name, defaults=felt)
