"""A tag goes over from the edition of its family that it was hung by to the one in force."""

from __future__ import annotations

from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.bench.models import Intent, Settlement, Tag
from wryfalcon.bench.piece_states import PieceState
from wryfalcon.bench.settling.actions import Choice, DeeperCut, values_of
from wryfalcon.bench.tags.actions import check_open
from wryfalcon.library.models import FamilyRecord
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.refusal import NotDone

NO_KEY = (PieceState.SPOILT, PieceState.ABANDONED)


@action
def go_over(actor: User, tag: Tag) -> FamilyRecord:
    """Make a tag's key by the edition in force; returns the edition it was of.

    What was read stays. A bitting that was settled stays too, with the figures of the new table, and is read back
    anew: whatever was made ready by the old one lapses. Raises NotDone where it is of the edition in force, a key
    of it is begun or made (one that was tried too), or the new table has other labels or cuts.
    """
    check_open(tag)
    tag.refresh_from_db(fields=["family_record"])
    before = tag.family_record
    if before is None or before.is_in_force:
        raise NotDone(f"Tag {tag} is of the edition in force.")
    now = FamilyRecord.objects.in_force().get(slug=before.slug)
    if not now.reads(before) or now.unit != before.unit:
        raise NotDone(f"{now.named} has other cuts, labels or units than {before.named}: take in a new tag for it.")
    if (piece := tag.pieces.exclude(state__in=NO_KEY).first()) is not None:
        raise NotDone(
            f"{piece.called.capitalize()} was begun by {before.named} and stays with it: end it first, or take in a "
            "new tag."
        )
    settled = tag.settlement
    tag.family_record = now
    tag.save(update_fields=["family_record"])
    if settled is not None:
        _settle_by(actor, tag, settled)
    write_down(Event.EDITION_TAKEN, actor, tag, family=now.slug, edition=now.edition, before=before.edition)
    return before


def _settle_by(actor: User, tag: Tag, settled: Settlement) -> None:
    """The bitting as it was settled, its values those of the tag's table now; still to be read back."""
    values = settled.values
    if settled.intent != Intent.COPY:
        choice = Choice(
            settled.bitting,
            intent=settled.intent,
            deeper_by=settled.deeper_by,
            deeper_cuts=[DeeperCut(**each) for each in settled.deeper_cuts],
        )
        values = values_of(tag.family, choice)
    Settlement.objects.create(
        tag=tag, bitting=settled.bitting, chance=None, intent=settled.intent, deeper_by=settled.deeper_by,
        deeper_cuts=settled.deeper_cuts, values=values, reason=settled.reason, edition=tag.family.edition, by=actor,
    )  # fmt: skip
    tag.__dict__.pop("settlement", None)
    tag.__dict__.pop("set_up", None)
