"""Making a key again, from its tag or from its record."""

from __future__ import annotations

from typing import Any

from keycore.documents.models.record import RecordModel
from keycore.documents.record import read_record
from keycore.documents.text import parse_json
from keycore.family import Family
from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.bench.models import OnBench, Settlement, Tag
from wryfalcon.bench.reading.codes import read_code
from wryfalcon.bench.tags.actions import Baseline, TagDetails, take_in
from wryfalcon.library.actions.families import keep_edition, take_family_in
from wryfalcon.library.models import EditionState, FamilyRecord
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.refusal import NotDone


def make_again(actor: User, raw: bytes, *, authority: str) -> Tag:
    """Take a record in as a new tag, its bitting settled and still to be read back.

    It is read before anything is locked. Raises InputError naming the field, NotDone where the library's family
    differs or is restricted and no authority is given.
    """
    model, family = read_record(parse_json(raw))
    return _make_again(actor, model, family, authority)


@action
def _make_again(actor: User, model: RecordModel, family: Family, authority: str) -> Tag:
    record = _family_record(actor, family, model.family)
    job = TagDetails(
        title=model.title,
        customer=model.customer,
        on_bench=OnBench.RECORD,
        family=record,
        authority=authority,
        quantity=model.quantity,
        note=f"From the record of tag {model.tag}.",
        locks=[Baseline(lock.get("name", "")) for lock in model.locks],
    )
    tag = take_in(actor, job)
    Settlement.objects.create(
        tag=tag,
        bitting=model.key.bitting,
        chance=model.key.chance,
        intent=model.key.intent,
        deeper_by=model.key.deeper_by,
        deeper_cuts=[cut.model_dump() for cut in model.key.deeper_cuts],
        values=model.key.values,
        reason=model.key.reason[:200],
        edition=family.edition,
        by=actor,
    )
    write_down(Event.REMADE, actor, tag, record=model.tag)
    return tag


@action
def make_tag_again(actor: User, tag: Tag, *, authority: str, quantity: int = 1) -> Tag:
    """Hang a new tag for the key of an earlier one: its bitting settled and still to be read back.

    The codes it was made from stay its source, in the edition it was made from. Raises NotDone for
    a tag that never got as far as a bitting, or a restricted family without an authority.
    """
    settled = tag.settlement
    if settled is None or tag.family_record is None:
        raise NotDone(f"Tag {tag} has no bitting settled to make a key from.")
    job = TagDetails(
        title=tag.title,
        customer=tag.customer.name,
        on_bench=OnBench.RECORD,
        family=tag.family_record,
        blank=tag.blank,
        authority=authority,
        quantity=quantity,
        note=f"Made again from tag {tag}.",
        locks=[Baseline(lock.name) for lock in tag.locks.all()],
    )
    again = take_in(actor, job)
    for source in tag.sources.filter(removed=False, code__isnull=False).select_related("code__series__family_record"):
        if source.code is not None:
            read_code(actor, again, source.code)
    settled.pk, settled.tag, settled.by, settled.read_back_at = None, again, actor, None
    settled.save()
    write_down(Event.REMADE, actor, again, record=str(tag))
    return again


def _family_record(actor: User, family: Family, document: dict[str, Any]) -> FamilyRecord:
    """The edition that the record's key was made by; one that the library lacks is kept for it, not put in force."""
    editions = FamilyRecord.objects.filter(slug=family.id).exclude(state=EditionState.CHECKED)
    if not editions:
        return take_family_in(actor, family, document)
    if editions[0].kind != family.kind.id:
        raise NotDone(f"The library's {editions[0].name} is of kind {editions[0].kind}, the record's of {family.kind}.")
    same = [each for each in editions if each.family.tracks == family.tracks and each.unit == family.unit]
    of_its_name = [each for each in same if each.edition == family.edition]
    in_force = [each for each in same if each.is_in_force]
    found = next(iter(of_its_name or in_force or same), None)
    return found or keep_edition(actor, family, document)
