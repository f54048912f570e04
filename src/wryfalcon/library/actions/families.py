"""Bringing families into the library, and counting blanks."""

from __future__ import annotations

import json
from typing import Any

from django.db import transaction
from django.db.models import PROTECT, ForeignObjectRel
from django.utils.text import slugify

from keycore.documents.family import read_family
from keycore.documents.text import parse_json
from keycore.errors import InputError
from keycore.family import Family
from wryfalcon.accounts.models import User
from wryfalcon.library.models import Blank, FamilyRecord
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event


@transaction.atomic
def import_family(actor: User | None, raw: bytes, *, restricted: bool = False) -> FamilyRecord:
    """Bring a family document in. Raises InputError naming the field.

    A family that no tag, trim or copy uses is replaced by a document of the same id; one in use is
    not, since its past keys must keep the edition they were cut from.
    """
    data = parse_json(raw)
    family = _read(data if isinstance(data, dict) else {})
    slug = family.id
    record = FamilyRecord.objects.filter(slug=slug).first() or FamilyRecord(slug=slug)
    if record.pk and record.tags.exists():
        raise InputError(
            "id", f"{record.tags.count()} tags hang on {slug} already; give the new edition an id of its own"
        )
    if record.pk and _machines_rest_on(record):
        raise InputError(
            "id", f"machines were kept true by keys of {slug} already; give the new edition an id of its own"
        )
    record.name, record.kind, record.unit = family.name, family.kind.id, family.unit
    record.edition, record.provenance, record.restricted = family.edition, family.source[:200], restricted
    record.document = json.dumps(data, ensure_ascii=False, indent=1)
    record.save()
    _hang_blank(record, family)
    write_down(Event.FAMILY_IMPORTED, actor, family=slug, edition=family.edition)
    return record


def _machines_rest_on(record: FamilyRecord) -> bool:
    """Whether a row of the machine room, which this room knows nothing of, must not outlive this family."""
    protected = [
        field
        for field in record._meta.get_fields(include_hidden=True)
        if isinstance(field, ForeignObjectRel) and field.on_delete is PROTECT
    ]
    of_machines = [field for field in protected if field.related_model._meta.app_label == "machines"]
    return any(field.related_model._base_manager.filter(**{field.field.name: record}).exists() for field in of_machines)


def _read(data: dict[str, Any]) -> Family:
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


def _hang_blank(record: FamilyRecord, family: Family) -> None:
    if family.blank is not None:
        blank, _ = Blank.objects.get_or_create(code=family.blank.code[:40], defaults={"hook": "new"})
        blank.families.add(record)


@transaction.atomic
def count_blank(actor: User, blank: Blank, hook: str, left: int) -> None:
    """Say where a blank hangs and how many are left."""
    before = {"hook": blank.hook, "left": blank.left}
    blank.hook, blank.left = hook[:20] or blank.hook, left
    blank.save()
    write_down(Event.CHANGED, actor, blank=blank.code, before=before, hook=blank.hook, left=left)
