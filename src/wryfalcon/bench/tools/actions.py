"""Blanks cut for tools: a set of depth keys or a test key in one press, never on a customer's tag."""

from __future__ import annotations

from collections.abc import Sequence

from django.db.models import F, Max
from django.utils import timezone

from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.bench.cutting.actions import new_job
from wryfalcon.bench.models import MadeHow, OnBench, Piece, PieceState, ShopTool, Tag, TagState, ToolKind
from wryfalcon.bench.tags.actions import TagDetails, take_in
from wryfalcon.library.models import Blank, FamilyRecord
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.machines.line.orders import Press
from wryfalcon.refusal import NotDone

SHOP = "The shop itself"


@action
def make_depth_keys(press: Press, record: FamilyRecord) -> list[ShopTool]:
    """A set of depth keys for a family: a labelled blank for each depth, every space cut to it.

    They are held by whoever presses, until somebody else takes them over. The same press again is the same set. Raises
    NotDone for a restricted family, one of several tracks, or too few blanks.
    """
    track = record.family.tracks[0]
    if len(record.family.tracks) > 1:
        raise NotDone(f"{record} has several tracks: such depth keys are not made here.")
    wanted = [(label, {track.name: [label] * len(track.spaces)}) for label in track.labels]
    return _make(press, record, ToolKind.DEPTH_KEY, wanted)


@action
def make_test_key(press: Press, record: FamilyRecord, labels: Sequence[str]) -> ShopTool:
    """A test key of a bitting of its own. Raises NotDone as a set does, and for labels the family does not have."""
    track = record.family.tracks[0]
    if len(record.family.tracks) > 1 or len(labels) != len(track.spaces) or not set(labels) <= set(track.labels):
        raise NotDone("Give one depth for each cut.")
    return _make(press, record, ToolKind.TEST_KEY, [(" ".join(labels), {track.name: list(labels)})])[0]


@action
def hand_tool_on(actor: User, tool: ShopTool, to: User) -> None:
    """Somebody else holds a tool from now on. Raises NotDone for one that is destroyed."""
    _check_there(tool)
    tool.holder = to
    tool.save(update_fields=["holder"])
    write_down(Event.TOOL_HANDED_ON, actor, tool=str(tool), holder=str(to))


@action
def destroy_tool(actor: User, tool: ShopTool, how: str) -> None:
    """A tool was destroyed. Raises NotDone without saying how, or said twice."""
    _check_there(tool)
    if not how.strip():
        raise NotDone("Say how: cut through, ground off. It stays with its number.", "how")
    tool.destroyed_at, tool.destroyed_by, tool.how_destroyed = timezone.now(), actor, how.strip()[:200]
    tool.save()
    write_down(Event.TOOL_DESTROYED, actor, tool=str(tool))


def _check_there(tool: ShopTool) -> None:
    tool.refresh_from_db()
    if tool.destroyed_at is not None:
        raise NotDone(f"{tool} was destroyed on {timezone.localtime(tool.destroyed_at):%d %b %Y}.")


def _make(
    press: Press, record: FamilyRecord, kind: ToolKind, wanted: Sequence[tuple[str, dict[str, list[str]]]]
) -> list[ShopTool]:
    assert press.by is not None
    made = ShopTool.objects.filter(piece__job__contains=f"-{press.key}-") if press.key else ShopTool.objects.none()
    if made.exists():
        return list(made)
    if record.restricted:
        raise NotDone(f"{record} is restricted: no tools are cut for it.")
    blank = record.blanks.first()
    if blank is not None and blank.left < len(wanted):
        raise NotDone(f"{len(wanted)} blanks are wanted, {blank.left} of {blank.code} are left on hook {blank.hook}.")
    tag = _shop_tag(press.by, record, kind, len(wanted))
    if blank is not None:
        Blank.objects.filter(pk=blank.pk).update(left=F("left") - len(wanted))
    number = ShopTool.objects.aggregate(last=Max("number"))["last"] or 0
    tools = []
    for place, (label, bitting) in enumerate(wanted, start=1):
        piece = _piece(press, tag, place, bitting, takes_blank=blank is not None)
        tools.append(
            ShopTool.objects.create(
                number=number + place, kind=kind, family_record=record, label=label, piece=piece, holder=press.by
            )
        )
    write_down(Event.TOOLS_MADE, press.by, tag, tools=[str(tool) for tool in tools], family=str(record))
    return tools


def _shop_tag(actor: User, record: FamilyRecord, kind: ToolKind, count: int) -> Tag:
    """A tag of the shop's own, off the bench as soon as it hangs: nobody waits for it."""
    job = TagDetails(
        title=f"{kind.label.capitalize()}s, {record}", customer=SHOP, on_bench=OnBench.CODE, family=record,
        authority="the shop's own tools", quantity=count,
    )  # fmt: skip
    tag = take_in(actor, job)
    tag.state, tag.closed_at = TagState.CLOSED, timezone.now()
    tag.save(update_fields=["state", "closed_at"])
    return tag


def _piece(press: Press, tag: Tag, place: int, bitting: dict[str, list[str]], *, takes_blank: bool) -> Piece:
    now, family = timezone.now(), tag.family
    values = {
        name: [family.track(name).values[family.track(name).step(each)] for each in labels]
        for name, labels in bitting.items()
    }
    return Piece.objects.create(
        tag=tag, key_number=place, made_how=MadeHow.FILED, maker=press.by, state=PieceState.FINISHED,
        bitting=bitting, values=values, began_at=now, finished_at=now, deburred_at=now, blank_taken=takes_blank,
        blank=tag.blank if takes_blank else None,
        job=f"{tag}-D{place}-{press.key}-{place}" if press.key else new_job(tag, f"D{place}"),
    )  # fmt: skip
