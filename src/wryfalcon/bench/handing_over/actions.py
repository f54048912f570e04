"""Closing a job: the keys given back, the record complete."""

from __future__ import annotations

from django.utils import timezone

from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.bench.models import Piece, Tag, TagState
from wryfalcon.bench.proving.queries import passed_keys, passed_pieces
from wryfalcon.bench.tags.actions import check_no_key_is_open, check_open
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.refusal import NotDone


@action
def hand_over(actor: User, tag: Tag, reason: str = "") -> None:
    """Close a tag. With fewer proven keys than were wanted, a reason is needed."""
    check_open(tag)
    check_no_key_is_open(tag)
    proven = passed_keys(tag)
    if proven < tag.quantity and not reason.strip():
        raise NotDone(
            f"{proven} of {tag.quantity} keys are proven. Say why the job ends here; it stays with the record.",
            "reason",
        )
    tag.state, tag.closed_at = TagState.CLOSED, timezone.now()
    if reason.strip():
        tag.note = f"{tag.note}\n{reason.strip()}".strip()
    tag.save()
    Piece.objects.filter(pk__in=passed_pieces(tag)).update(given_at=tag.closed_at)
    write_down(Event.HANDED_OVER, actor, tag, proven=proven, wanted=tag.quantity)
