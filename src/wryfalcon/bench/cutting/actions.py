"""Cutting: the next piece of a tag, sent, operated, touched up, and ended when it is spoilt.

What is asked of a machine is stored as an order; the follower delivers it, and what comes of it is
told by the machine's own log (``bench/following.py``).
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import asdict
from typing import Any

from django.db.models import F
from django.utils import timezone

from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.bench.models import MadeHow, Outcome, Piece, PieceState, SetUp, SheetEntry, Tag
from wryfalcon.bench.piece_states import AT_MACHINE, OPEN, SENT_AGAIN, TO_BE_LOOKED_AT, Operation
from wryfalcon.bench.proving.queries import cuts_to_deepen, proof_of
from wryfalcon.bench.setting_up.presenters import plan_head, practice_words, why_not_cut
from wryfalcon.bench.setting_up.queries import (
    EVERY_TICK,
    Holding,
    Lapse,
    Moved,
    clamping_checks,
    is_practised,
    moved_since,
    what_holds,
)
from wryfalcon.bench.setting_up.told import (
    cuts_told,
    laid,
    program_of,
    tools_told,
    turned_over,
    ways_told,
)
from wryfalcon.bench.tags.actions import check_open
from wryfalcon.lengths import say_mm
from wryfalcon.library.models import Blank
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.machines.fittings.queries import axes_of
from wryfalcon.machines.line.orders import Press, give_up_orders, is_asked, place_order
from wryfalcon.machines.line.queries import LineNow, line_of
from wryfalcon.machines.models import DriverKind, Machine, Order
from wryfalcon.machines.offsets import offsets_for
from wryfalcon.numbers import plain_word
from wryfalcon.refusal import NotDone

ALWAYS = (Operation.HOLD, Operation.STOP)
"""What may be asked whatever the state of piece and tag: a machine must always be stoppable."""


@action
def cut_key(press: Press, tag: Tag, expected: str = "", *, one_more: bool = False) -> Piece:
    """Begin the next key of this tag and send it to its machine: the one that the page said, where it said one.

    Before anything is settled that is the key of its trial sheet that is out. The same press again is the same key;
    ``one_more`` says that more keys are wanted than were ordered. Raises NotDone.
    """
    check_open(tag)
    pressed = Order.objects.filter(key=press.key).first() if press.key else None
    if pressed is not None:
        return Piece.objects.get(job=pressed.job)
    card = _checked_card(tag)
    piece = _planned(tag, card)
    if piece is None and card.settlement.is_try:
        refuse_while_one_is_open(tag)
        piece = plan_try(card)
        write_down(Event.PIECE_SENT, press.by, tag, piece=piece.called, job=piece.job, machine=str(card.machine))
    elif piece is None:
        refuse_while_one_is_open(tag)
        number, tries = next_key(tag)
        if expected and expected != f"{number}.{tries}":
            raise NotDone("Another key is next by now: look again.")
        if number > tag.quantity and not one_more:
            raise NotDone(f"{keys_made_words(tag.quantity)}. Ask for one more, if one more it is to be.")
        piece = plan_piece(card, number, tries)
        write_down(Event.PIECE_SENT, press.by, tag, piece=piece.called, job=piece.job, machine=str(card.machine))
    send_piece(press, piece)
    return piece


@action
def send_again(press: Press, tag: Tag, piece: Piece, known: str = "") -> None:
    """Send a piece that its machine does not have: it goes on where it stood. Raises NotDone."""
    check_open(tag)
    piece = _as_it_is(piece)
    if piece.state not in SENT_AGAIN:
        raise NotDone(f"{piece.called.capitalize()} is {piece.get_state_display()}: it is not sent again.")
    _check_its_card(tag, piece, known)
    if is_asked(piece.machine, piece.job, Operation.LOAD):
        return  # it is on its way
    write_down(Event.PIECE_SENT, press.by, tag, piece=piece.called, job=piece.job, again=True)
    send_piece(press, piece)


@action
def touch_up(press: Press, tag: Tag, piece: Piece) -> Piece:
    """Cut the shallow cuts of a finished key again, deeper only. Raises NotDone when there are none.

    By how much is told by the key's own measure, as long as its machine is as it was; else they are cut
    to their target by the card in force, which must be of the same bitting.
    """
    check_open(tag)
    check_recut(tag)
    piece = _as_it_is(piece)
    refuse_while_one_is_open(tag)
    if Piece.objects.filter(onto=piece).exclude(state=PieceState.ABANDONED).exists():
        raise NotDone(f"{piece.called.capitalize()} was touched up already: measure what came of that.")
    shallow = cuts_to_deepen(tag, proof_of(tag, piece)) if piece.state == PieceState.FINISHED else []
    if not shallow or piece.set_up is None:
        raise NotDone("No measured cut of this key is shallow; cutting can only ever take metal off.")
    wanted = {(cut.track, cut.space): cut.deepen_by_mm for cut in shallow}
    card = piece.set_up
    if moved := moved_since(card, piece.finished_at):
        card = card_of_the_same(tag, piece, moved)
        wanted = dict.fromkeys(wanted, 0.0)
    if is_practised(card.machine, tag):
        raise NotDone(practice_words(card.machine))
    back = turned_over(piece)
    cuts = [
        {**command, "value": command["value"] + told_more(back, command, wanted[command["track"], command["space"]])}
        for command in card.commands
        if (command["track"], command["space"]) in wanted
    ]
    fresh = plan_piece(card, piece.key_number, piece.try_number, cuts=cuts, onto=piece)
    write_down(Event.PIECE_SENT, press.by, tag, piece=fresh.called, job=fresh.job, onto=piece.job)
    send_piece(press, fresh)
    return fresh


def told_more(back: Collection[tuple[int, str]], command: Mapping[str, Any], more: float) -> float:
    """What is added to a command for its value to change by so much: less, where it is told from the other edge."""
    return -more if (command["clamping"], command["track"]) in back else more


@action
def operate(
    press: Press, tag: Tag, piece: Piece, command: str, known: str = "", checked: Collection[str] = ()
) -> Order:
    """Ask something of the machine that has this piece. Raises NotDone for what makes no sense now.

    The spindle is started only while the card holds; a key that is cut in part goes on all the same
    where ``known`` says that what changed was seen, see ``Holding.known``. A made key is clamped again only once
    all ``clamping_checks`` are ``checked``, by their ids.
    """
    piece = _as_it_is(piece)
    if piece.machine is None or piece.is_by_hand or command not in set(Operation):
        raise NotDone("There is no such thing to do.")
    operation = Operation(command)
    if operation not in ALWAYS:
        check_open(tag)
        if operation not in allowed_for(piece):
            raise NotDone(f"{piece.called.capitalize()} is {piece.get_state_display()} now: look again.")
    if operation == Operation.CLAMP:
        left = [check.says for check in clamping_checks(tag, piece) if check.id not in checked]
        if left:
            raise NotDone(f"It is clamped anew, so check that too. Not ticked: {'; '.join(left)}.")
    if operation.starts_the_spindle:
        _check_its_card(tag, piece, known)
    job = "" if operation == Operation.HOME else piece.job
    data: dict[str, Any] = {"tool": piece.next_tool} if operation == Operation.FIT else {}
    if operation == Operation.CLAMP:
        data = {"laid": laid(piece)}
    return place_order(press, piece.machine, operation, job=job, data=data)


@action
def end_piece(press: Press, tag: Tag, piece: Piece, *, blank_used: bool, why: str) -> None:
    """End a piece that will not be a key: spoilt with its blank, or given up and the blank still good.

    What its machine still has of it is stopped. Raises NotDone without a reason, while it is being
    cut by a machine that answers, or when it is ended already.
    """
    check_open(tag)
    piece = _as_it_is(piece)
    line = line_of(piece.machine) if piece.machine and piece.machine.has_line else None
    if refusal := why_not_ended(piece, list(piece.touched_up.all()), line):
        raise NotDone(refusal)
    if not why.strip():
        raise NotDone("Say in a few words what happened; it stays with the key.", "why")
    if not blank_used and piece.done:
        raise NotDone(f"It has {piece.done} cuts already: its blank is not good any more.")
    if piece.machine is not None and piece.state in AT_MACHINE | TO_BE_LOOKED_AT:
        place_order(press, piece.machine, Operation.STOP, job=piece.job)
    give_up_orders(piece.machine, piece.job)
    count_blank(piece, used=blank_used)
    piece.state = PieceState.SPOILT if blank_used else PieceState.ABANDONED
    piece.why_ended, piece.ended_at = why.strip()[:200], timezone.now()
    piece.save()
    _tell_sheet(piece, is_spoilt=blank_used)
    event = Event.PIECE_SPOILT if blank_used else Event.PIECE_GIVEN_UP
    write_down(event, press.by, tag, piece=piece.called, job=piece.job)


def _tell_sheet(piece: Piece, *, is_spoilt: bool) -> None:
    """A key of a trial sheet that ended while it was out: its blank is spoilt there too, or it was never tried."""
    out = SheetEntry.objects.filter(piece=piece, outcome=Outcome.SENT, withdrawn=False)
    if is_spoilt:
        out.update(outcome=Outcome.SPOILED)
    else:
        out.update(piece=None)  # it can be sent again, or taken back


@action
def take_as_made(actor: User, tag: Tag, piece: Piece) -> None:
    """The smith has looked: this key is whole, whatever its machine says. Raises NotDone for any other."""
    check_open(tag)
    piece = _as_it_is(piece)
    if piece.state not in TO_BE_LOOKED_AT:
        raise NotDone(f"{piece.called.capitalize()} is {piece.get_state_display()}.")
    now = timezone.now()
    piece.state, piece.done = PieceState.FINISHED, len(piece.cuts)
    piece.finished_at, piece.began_at = now, piece.began_at or now
    count_blank(piece, used=True)
    piece.save()
    write_down(Event.PIECE_TAKEN_AS_MADE, actor, tag, piece=piece.called, job=piece.job)


def _as_it_is(piece: Piece) -> Piece:
    """A piece as it is now: the follower may have written since the page asked for it, and writes no more meanwhile."""
    return Piece.objects.select_related("machine", "tag", "settlement", "set_up", "onto").get(pk=piece.pk)


def plan_piece(
    card: SetUp,
    key_number: int,
    try_number: int = 1,
    *,
    cuts: Sequence[Mapping[str, Any]] | None = None,
    onto: Piece | None = None,
) -> Piece:
    """Make a piece that has not been sent yet; its job name is unique for ever."""
    kind = f"T{onto.pk}" if onto else f"K{key_number}" + (f"-{try_number}" if try_number > 1 else "")
    return Piece.objects.create(
        tag=card.tag,
        settlement=card.settlement,
        set_up=card,
        machine=card.machine,
        made_how=MadeHow.PLAN_FILE if card.machine.driver == DriverKind.FILE else MadeHow.DRIVEN,
        key_number=key_number,
        try_number=try_number,
        job=new_job(card.tag, kind),
        cuts=[dict(cut) for cut in (card.commands if cuts is None else cuts)],
        onto=onto,
    )


def plan_try(card: SetUp) -> Piece:
    """A key of a trial sheet that has not been sent yet, onto the blank in hand where it is cut from that.

    What its machine made of that blank before is not cut again. Raises NotDone when it is cut already.
    """
    entry = card.settlement.entries.filter(withdrawn=False).select_related("sheet").get()
    if entry.piece_id is not None:
        raise NotDone("That key is cut: say on the trial sheet what it did.")
    tag, settled = card.tag, card.settlement
    onto = piece_in_hand(entry)
    is_its_own = onto is not None and _is_of(onto, card.machine)
    wanted, before = settled.values, (onto.wanted_values or {}) if onto is not None and is_its_own else {}
    cuts = [
        dict(cut)
        for cut in card.commands
        if not before or before[cut["track"]][cut["space"] - 1] != wanted[cut["track"]][cut["space"] - 1]
    ]
    number, tries = (onto.key_number, onto.try_number) if onto is not None else next_key(tag)
    entry.piece = Piece.objects.create(
        tag=tag, set_up=card, machine=card.machine, key_number=number, try_number=tries, onto=onto, cuts=cuts,
        made_how=MadeHow.PLAN_FILE if card.machine.driver == DriverKind.FILE else MadeHow.DRIVEN,
        job=new_job(tag, f"S{number}"), values=wanted,
        bitting=settled.bitting if all(place % 2 == 0 for place in entry.places) else None,
    )  # fmt: skip
    entry.save(update_fields=["piece"])
    return entry.piece


def piece_in_hand(entry: SheetEntry) -> Piece | None:
    """The key that a try's blank is cut to so far; None for a new blank, or one that no key is kept of."""
    before = entry.sheet.entries.filter(blank=entry.blank, withdrawn=False, pk__lt=entry.pk).select_related("piece")
    last = before.order_by("-pk").first()
    return last.piece if last is not None else None


def _is_of(piece: Piece, machine: Machine) -> bool:
    """Whether a machine made a key itself, so that it knows what of it is cut."""
    return piece.machine_id == machine.pk and not piece.is_by_hand


def new_job(tag: Tag, kind: str) -> str:
    """A name for a new piece that no other has or ever had."""
    return f"{tag}-{kind}-{plain_word(6)}"


def next_key(tag: Tag) -> tuple[int, int]:
    """The number of the key to make next and which try at it: the first that was not made, else one more."""
    return next_of(list(Piece.objects.filter(tag=tag).select_related("proof").order_by("id")))


def next_of(pieces: Sequence[Piece]) -> tuple[int, int]:
    """The same of a tag's pieces, oldest first."""
    made = [piece for piece in pieces if piece.state != PieceState.ABANDONED]
    last = {piece.key_number: piece for piece in made}
    for number in range(1, max(last, default=0) + 1):
        if number not in last or _is_to_be_made_again(last[number]):
            tries = [piece.try_number for piece in made if piece.key_number == number]
            return number, max(tries, default=0) + 1
    return max(last, default=0) + 1, 1


def allowed_for(piece: Piece) -> tuple[Operation, ...]:
    """The operations that make sense now; the machine itself has the last word."""
    row = piece.state_row
    is_by_hand = piece.machine is not None and piece.machine.driver == DriverKind.FILE
    return row.by_hand if is_by_hand and row.by_hand else row.allows


def why_not_ended(piece: Piece, pieces: Sequence[Piece], line: LineNow | None) -> str:
    """Why a piece cannot be ended as spoilt or given up now, "" where it can."""
    if piece.is_ended:
        return f"{piece.called.capitalize()} is {piece.get_state_display()} already."
    if any(other.onto_id == piece.pk and other.state != PieceState.ABANDONED for other in pieces):
        return f"{piece.called.capitalize()} was touched up: end what came of that."
    if piece.state == PieceState.CUTTING and line is not None and not line.is_silent:
        return "It is being cut: stop the machine first."
    return ""


def _is_to_be_made_again(piece: Piece) -> bool:
    proof = getattr(piece, "proof", None)
    return piece.is_ended or (proof is not None and not proof.passed)


def count_blank(piece: Piece, *, used: bool) -> None:
    """Take a blank off its hook, or hang it back, where the count so far says otherwise."""
    if piece.onto_id is not None or piece.blank_taken == used:
        return
    piece.blank_taken = used
    if used:
        piece.blank = piece.tag.blank
    if piece.blank_id is None:
        return
    hook = Blank.objects.filter(pk=piece.blank_id)
    if used:
        hook.filter(left__gt=0).update(left=F("left") - 1)
    else:
        hook.update(left=F("left") + 1)


def holding_of(tag: Tag, piece: Piece) -> Holding | None:
    """What holds of the card a piece is cut by; None for one without a card, or one that is made already.

    A touch-up is cut by figures of its own: of its card only the machine is asked, since it was planned.
    """
    card = piece.set_up
    if card is None or piece.state not in OPEN:
        return None
    if piece.onto_id is None or card.settlement.is_try:
        return what_holds(tag, card, None if piece.done else tag.set_up)
    moved = moved_since(card, piece.created_at)
    lapses = (Lapse(Moved.SINCE_PLANNED, EVERY_TICK, detail=", ".join(moved)),) if moved else ()
    return Holding(card, lapses, is_practised=is_practised(card.machine, tag))


def _check_its_card(tag: Tag, piece: Piece, known: str) -> None:
    holding = holding_of(tag, piece)
    if holding is None:
        return
    if holding.is_practised or (holding.lapses and not (piece.done and known == holding.known)):
        raise NotDone(why_not_cut(holding, "Look again before it goes on" if piece.done else ""))


def card_of_the_same(tag: Tag, piece: Piece, moved: Sequence[str]) -> SetUp:
    """The card in force, for a key whose machine moved since it was cut. NotDone unless it is of the same bitting."""
    card = tag.set_up
    if card is None or card.settlement_id != piece.settlement_id or not what_holds(tag, card).is_checked:
        raise NotDone(
            f"Since this key was cut {', '.join(moved)}: how much to take off is not told by its own measure. "
            "Make the card anew and go through its checks; it is then cut to its target."
        )
    return card


def keys_made_words(count: int) -> str:
    """That all keys that were ordered are made."""
    return f"{'1 key was' if count == 1 else f'{count} keys were'} ordered and made"


def _checked_card(tag: Tag) -> SetUp:
    card = tag.set_up
    if card is None or card.checked_at is None:
        raise NotDone("Go through the set-up card first; every check on it has its reason.")
    holding = what_holds(tag, card)
    if holding.lapses or holding.is_practised:
        raise NotDone(why_not_cut(holding))
    if card.height is not None and card.is_blank_used:
        raise NotDone(
            f"The height of {say_mm(card.height)} is that of the blank before. On Set up measure the one that lies "
            "there, or choose the fitting anew for the table’s."
        )
    is_in_hand = card.settlement.is_try and any(map(piece_in_hand, card.settlement.entries.filter(withdrawn=False)))
    if tag.blank is not None and tag.blank.left < 1 and not is_in_hand:
        raise NotDone(f"There is no blank {tag.blank.code} left on hook {tag.blank.hook}.")
    return card


def _planned(tag: Tag, card: SetUp) -> Piece | None:
    """The piece that waits to be sent by this card; one planned by an earlier card is given up."""
    planned = Piece.objects.filter(tag=tag, state=PieceState.PLANNED).order_by("id").last()
    if planned is None or planned.set_up_id == card.pk:
        return planned
    give_up_orders(planned.machine, planned.job)
    planned.state, planned.why_ended, planned.ended_at = PieceState.ABANDONED, "the card was changed", timezone.now()
    planned.save()
    _tell_sheet(planned, is_spoilt=False)
    return None


def check_recut(tag: Tag) -> None:
    """Raise NotDone for a family whose keys are never cut again."""
    if tag.family_record is not None and not tag.family.can_be_recut:
        raise NotDone("Keys of this family are never cut again: a second cut does not replace the first. Take a blank.")


def refuse_while_one_is_open(tag: Tag) -> None:
    """Raise NotDone while a key of the tag is being made: one is gone on with, or ended, before the next."""
    piece = Piece.objects.filter(tag=tag, state__in=OPEN).first()
    if piece is not None:
        where = "still on the machine" if piece.state in AT_MACHINE else piece.get_state_display()
        raise NotDone(f"{piece.called.capitalize()} is {where}: go on with it, or end it, first.")


def _head(piece: Piece) -> list[str]:
    """What stands at the head of the plan that a piece is cut by."""
    card, tag = piece.set_up, piece.tag
    if card is None:
        return []
    offsets = offsets_for(card.machine, tag.family.gauge, card.jaw_side, tag.family_record)
    return plan_head(tag, card, offsets, piece.called)


def send_piece(press: Press, piece: Piece) -> None:
    """Ask its machine to take a piece in; only a stopped key makes way for another."""
    assert piece.machine is not None
    in_hand = Piece.objects.filter(machine=piece.machine, state__in=AT_MACHINE - {PieceState.STOPPED})
    other = in_hand.exclude(pk=piece.pk).select_related("tag").first()
    if other is not None:
        holds = f"{piece.machine} has {other.called} of tag {other.tag} in hand, {other.get_state_display()}"
        raise NotDone(f"{holds}: finish it or stop it there first.")
    ways, card = ways_told(piece), piece.set_up
    axes = axes_of(piece.machine, card.jaw_side if card is not None else None)
    data = {
        "cuts": cuts_told(piece, ways),
        "axes": [axes.space, axes.depth],
        "face": str(card.jaw_side) if card is not None and card.jaw_side is not None else "",
        "stop": str(piece.tag.family.gauge),
        "halved": piece.tag.family.is_across,
        "tools": tools_told(piece),
        "program": asdict(program_of(piece.tag, card, piece.job, _head(piece))) if card is not None else None,
        "onto": piece.onto.job if piece.onto and _is_of(piece.onto, piece.machine) else None,
    }
    place_order(press, piece.machine, Operation.LOAD, job=piece.job, data=data)
