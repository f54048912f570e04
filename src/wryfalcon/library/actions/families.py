"""Bringing families into the library, and counting blanks."""

from __future__ import annotations

import json
from collections.abc import Collection
from itertools import chain, count
from typing import Any

from django.utils import timezone
from django.utils.text import slugify

from keycore.documents.family import read_family
from keycore.documents.text import parse_json
from keycore.errors import InputError
from keycore.family import Family
from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.library.models import Blank, EditionState, FamilyRecord
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event

BY_DAY = "brought in "
"""How an edition is named whose document does not name it, or names one that is there."""


def import_family(actor: User | None, raw: bytes, *, restricted: bool = False) -> FamilyRecord:
    """Bring a family document in, which is read before anything is locked. Raises InputError naming the field."""
    data = parse_json(raw)
    return take_family_in(actor, family_of(data if isinstance(data, dict) else {}), data, restricted=restricted)


@action
def take_family_in(
    actor: User | None, family: Family, data: dict[str, Any], *, restricted: bool = False
) -> FamilyRecord:
    """Bring a family in with the document that it was read from.

    A family that the library does not know is in force at once; a document of a known one is its next edition,
    and waits to be put in force. Raises InputError naming the field.
    """
    record = next_edition(family, data)
    if record is None:
        record = FamilyRecord(slug=family.id, state=EditionState.IN_FORCE)
        _write(record, family, data)
        hang_blank(record, family)
    record.restricted = restricted or record.restricted
    record.save()
    write_down(Event.FAMILY_IMPORTED, actor, family=record.slug, edition=record.edition, state=record.state)
    return record


def next_edition(family: Family, data: dict[str, Any]) -> FamilyRecord | None:
    """A document of a family that the library knows, as the edition that waits; None for a family new to it.

    An edition that waited already makes way. What the shop keeps beside the table goes with the family: whether it
    is restricted, and the cuts of each lock where the document says nothing of them. Raises InputError for a
    document that is there already, and for one of another kind.
    """
    editions = list(FamilyRecord.objects.filter(slug=family.id))
    now = next((each for each in editions if each.is_in_force), None)
    if now is None:
        return None
    if now.family.kind != family.kind:
        raise InputError("kind", f"{now.named} is of kind {now.family.kind}; another kind needs an id of its own")
    data = _with_positions(data, family, now)
    for each in editions:
        if _same_document(each, data):
            raise InputError("id", f"that document is in the library already: {each.named}, {each.get_state_display()}")
    waiting = next((each for each in editions if each.is_checked), None)
    if waiting is not None and (series := waiting.series.first()) is not None:
        raise InputError("id", f"{series} rests on {waiting.named}, which waits: put both in force or throw both away")
    others = {each.edition for each in editions if each != waiting}
    if family.edition[:200] in others or not family.edition:
        data = {**data, "edition": _named_by_day(family.edition, others)}
    record = waiting or FamilyRecord(slug=family.id, state=EditionState.CHECKED)
    record.restricted = now.restricted
    _write(record, read_family(data), data)
    record.save()
    return record


def keep_edition(actor: User, family: Family, data: dict[str, Any]) -> FamilyRecord:
    """An edition that the library lacks, kept for the keys made by it and not put in force."""
    record = FamilyRecord(slug=family.id, state=EditionState.REPLACED)
    others = set(FamilyRecord.objects.filter(slug=family.id).values_list("edition", flat=True))
    if family.edition[:200] in others:
        data = {**data, "edition": _named_by_day(family.edition, others)}
    _write(record, read_family(data), data)
    now = FamilyRecord.objects.in_force().filter(slug=family.id).first()
    record.restricted = now is not None and now.restricted
    record.save()
    if now is not None:
        record.blanks.add(*now.blanks.all())
    write_down(Event.FAMILY_IMPORTED, actor, family=record.slug, edition=record.edition, state=record.state)
    return record


def _write(record: FamilyRecord, family: Family, data: dict[str, Any]) -> None:
    record.name, record.kind, record.unit = family.name, family.kind.id, family.unit
    record.edition, record.provenance = family.edition[:200], family.source[:200]
    record.document = json.dumps(data, ensure_ascii=False, indent=1)
    record.__dict__.pop("family", None)


def _same_document(record: FamilyRecord, data: dict[str, Any]) -> bool:
    """Whether an edition has this document, also where the day that it came in had to name it."""
    of_it, named = json.loads(record.document), data.get("edition", "")
    if {**of_it, "edition": ""} != {**data, "edition": ""}:
        return False
    return not named or record.edition == named or record.edition.startswith(f"{named}, {BY_DAY}")


def _named_by_day(edition: str, others: Collection[str]) -> str:
    """A name for an edition whose document has none, or one that another has: by the day it came in."""
    day = f"{BY_DAY}{timezone.localdate().isoformat()}"
    name = f"{edition}, {day}" if edition else day
    names = chain([name], (f"{name}, {number}" for number in count(2)))
    return next(each for each in names if each not in others)


def _with_positions(data: dict[str, Any], family: Family, now: FamilyRecord) -> dict[str, Any]:
    """The document with the cuts of each lock of the edition before, where it says nothing of them itself."""
    before = json.loads(now.document).get("positions")
    spaces = [(track.name, len(track.spaces)) for track in family.tracks]
    if not before or data.get("positions") or spaces != [(t.name, len(t.spaces)) for t in now.family.tracks]:
        return data
    return {**data, "positions": before}


def family_of(data: dict[str, Any]) -> Family:
    """The family of a document. Raises InputError with every fault that can be told, one of the id too."""
    given = data.get("id")
    slug = slugify(given) if isinstance(given, str) else ""
    faults = []
    if isinstance(given, str) and slug != given:
        faults.append(
            InputError("id", f"use small letters, digits and hyphens only, such as {slug or 'harbour-five'!r}")
        )
    try:
        family = read_family(data)
    except InputError as error:
        raise InputError.first_of([*faults, error]) from None
    if faults:
        raise faults[0]
    return family


def hang_blank(record: FamilyRecord, family: Family) -> None:
    """Hang the blank that a document names, new where the shop has none of its code."""
    record.save()
    if family.blank is not None:
        blank, _ = Blank.objects.get_or_create(code=family.blank.code[:40], defaults={"hook": "new"})
        blank.families.add(record)


@action
def count_blank(actor: User, blank: Blank, hook: str, left: int) -> None:
    """Say where a blank hangs and how many are left."""
    before = {"hook": blank.hook, "left": blank.left}
    blank.hook, blank.left = hook[:20] or blank.hook, left
    blank.save()
    write_down(Event.CHANGED, actor, blank=blank.code, before=before, hook=blank.hook, left=left)
