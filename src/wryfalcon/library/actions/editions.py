"""Putting an edition of a family in force in the place of another, and throwing one away that waits."""

from __future__ import annotations

from django.utils import timezone

from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.library.actions.families import hang_blank
from wryfalcon.library.models import EditionState, FamilyRecord
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.refusal import NotDone


@action
def put_in_force(actor: User, record: FamilyRecord, against: int, seen: str) -> FamilyRecord:
    """Make new keys by this edition from now on; returns the one it replaces, which its own keys keep.

    ``against`` is the key of the edition in force when its changes were looked at, ``seen`` the digest of the
    document that was. An edition that was replaced can be put back in the same way. The blanks on the hooks go with
    the family. Raises NotDone where it is in force already, and where either is another since the look.
    """
    record = FamilyRecord.objects.get(pk=record.pk)
    if record.digest != seen:
        raise NotDone(f"{record.named} was offered anew meanwhile: look at what changes again.")
    if record.is_in_force:
        raise NotDone(f"{record.named} is in force already.")
    before = FamilyRecord.objects.in_force().get(slug=record.slug)
    if before.pk != against:
        raise NotDone(f"{before.named} came in force meanwhile: look at what changes again.")
    before.state = EditionState.REPLACED
    before.save()
    record.state, record.in_force_at = EditionState.IN_FORCE, timezone.now()
    record.restricted = record.restricted or before.restricted
    hang_blank(record, record.family)
    record.blanks.add(*before.blanks.all())
    write_down(Event.EDITION_IN_FORCE, actor, family=record.slug, edition=record.edition, before=before.edition)
    return before


@action
def throw_away(actor: User, record: FamilyRecord) -> None:
    """Throw an edition away that waits. Raises NotDone for one that is or was in force, or that a table rests on."""
    record = FamilyRecord.objects.get(pk=record.pk)
    if not record.is_checked:
        raise NotDone(f"{record.named} is in force, or was: keys may have been cut by it.")
    if (series := record.series.first()) is not None:
        raise NotDone(f"{series} rests on it: throw that away first.")
    write_down(Event.EDITION_DISCARDED, actor, family=record.slug, edition=record.edition)
    record.delete()
