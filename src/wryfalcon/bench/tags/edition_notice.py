"""What stands at the head of a tag whose edition of the family is no longer in force."""

from __future__ import annotations

from dataclasses import dataclass

from keycore.editions import cut_shifts
from keycore.errors import InputError
from keycore.family import Family
from wryfalcon.bench.models import Tag
from wryfalcon.lengths import say_difference
from wryfalcon.library.models import FamilyRecord


@dataclass(frozen=True)
class EditionNotice:
    """What the edition in force means for a tag, and whether its key can be made by it."""

    says: str
    can_go_over: bool


def edition_notice(tag: Tag, *, names_cuts: bool) -> EditionNotice | None:
    """The notice of an open tag; None where it is of the edition in force.

    ``names_cuts`` says whether who looks may see the bitting: which cuts change tells of it.
    """
    record = tag.family_record
    if record is None or record.is_in_force or not tag.is_open:
        return None
    now = FamilyRecord.objects.in_force().filter(slug=record.slug).first()
    if now is None:
        return None
    begins = f"By edition {record.edition or 'not named'}; edition {now.edition or 'not named'} is in force now."
    if not now.reads(record) or now.unit != record.unit:
        return EditionNotice(f"{begins} It has other cuts or labels: take in a new tag for a key by it.", False)
    changes = _what_changes(tag, record.family, now.family) if names_cuts else ""
    return EditionNotice(f"{begins} {changes}".strip(), True)


def _what_changes(tag: Tag, was: Family, now: Family) -> str:
    """Which cuts of the key would be cut otherwise, where it is settled."""
    if tag.settlement is None:
        return "Its figures may weigh what was read otherwise."
    try:
        shifts = cut_shifts(was, now, tag.settlement.bitting)
    except InputError:
        return ""
    if not shifts:
        return "This key would be cut just the same."
    says = []
    for shift in shifts:
        where = f"{shift.place.track} {shift.place.space}" if len(now.tracks) > 1 else str(shift.place.space)
        figures = ((now.depth, shift.value, "depth"), (now.space, shift.space, "place"))
        parts = [f"{what} {say_difference(coordinate, value)}" for coordinate, value, what in figures if value]
        says.append(f"cut {where}: {', '.join(parts)}")
    return f"By that one: {'; '.join(says)}."
