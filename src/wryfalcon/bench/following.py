"""What machines say, told to the pieces they make: the only place where a machine's word changes a key."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from django.db.models import Q

from wryfalcon.accounts.models import User
from wryfalcon.bench.cutting.actions import count_blank
from wryfalcon.bench.models import Piece, PieceState, ProofValue
from wryfalcon.bench.piece_states import AT_MACHINE, BY_MACHINE, SENT_AGAIN, STATE_AFTER
from wryfalcon.bench.proving.actions import lift_verdict
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.machines.care.actions import note_work
from wryfalcon.machines.drivers.interface import Status, Whereabouts
from wryfalcon.machines.line.following import LogEntry, follow, followed_machines
from wryfalcon.machines.line.misreports import note_misreport
from wryfalcon.machines.models import Machine, Order, Work

BEGINS = ("started", "resumed", "cut-done")
"""Entries after which metal has been touched."""


def follow_once(*machines: Machine) -> None:
    """One turn with each of these machines, or with every one there is."""
    for machine in machines or followed_machines():
        follow(machine, LISTENER)


class PieceListener:
    """Tells pieces what was said of them."""

    def entries(self, machine: Machine, entries: Sequence[LogEntry]) -> None:
        """Fold new entries into their pieces; take blanks, write down what was made and what was homed."""
        jobs = {entry.event.job for entry in entries if entry.event.job}
        pieces = {piece.job: piece for piece in Piece.objects.select_related("tag").filter(job__in=jobs)}
        for entry in entries:
            if entry.event.kind == "homed":
                _note_homed(machine, entry.at)
            piece = pieces.get(entry.event.job or "")
            if piece is None:
                continue
            if piece.machine_id != machine.pk:
                note_misreport(machine, f"It tells of {piece.called} of tag {piece.tag}, which another machine has")
                continue
            _fold(machine, piece, entry)
        for piece in pieces.values():
            piece.save()

    def at_rest(self, machine: Machine, status: Status) -> None:
        """Hold what the machine says of itself against what its log told."""
        piece = Piece.objects.filter(machine=machine, job=status.job or "", state__in=AT_MACHINE).first()
        if piece is None or status.state == "unhomed":
            return
        if status.cut != piece.done or status.of != len(piece.cuts):
            says = f"It says {status.cut} of {status.of} cuts are done, its log {piece.done} of {len(piece.cuts)}"
            note_misreport(machine, says, job=piece.job)
        elif status.state not in piece.state_row.machine_is:
            says = f"It says that it is {status.state}, its log that the key is {piece.get_state_display()}"
            note_misreport(machine, says, job=piece.job)

    def missing(self, machine: Machine, status: Status) -> Sequence[str]:
        """The pieces that it should have and does not name, and the one that it has and should not have."""
        named = Q(job=status.job or "")
        held = Q(state__in=AT_MACHINE) & ~named | Q(state__in=SENT_AGAIN) & named
        return list(Piece.objects.filter(held, machine=machine).values_list("job", flat=True))

    def found(self, machine: Machine, job: str, whereabouts: Whereabouts, status: Status) -> None:
        """Where a piece is that its machine's log no longer tells of."""
        piece = Piece.objects.select_related("tag").get(job=job)
        if piece.state not in AT_MACHINE | SENT_AGAIN:
            return  # somebody has said meanwhile what it is
        if whereabouts.where == "tray":
            _take_from_tray(machine, piece, whereabouts)
        elif whereabouts.where == "aside":
            piece.state, piece.done = PieceState.ASIDE, min(whereabouts.cut, len(piece.cuts))
        elif whereabouts.where == "unknown":
            piece.state = PieceState.LOST
        elif status.job == job:
            piece.state = BY_MACHINE.get(status.state, PieceState.STOPPED)
            piece.done = min(whereabouts.cut, len(piece.cuts))
        else:
            piece.state = PieceState.UNSURE
            note_misreport(machine, f"It says that it has {piece.called} of tag {piece.tag}, and another key", job=job)
        piece.save()

    def answered(self, order: Order) -> None:
        """Keep what a caliper read; a key that was sent and lies made in the tray is made."""
        if order.command == "load" and order.result:
            _find_in_tray(order, Whereabouts(**order.result))
        if order.command == "measure" and order.result and order.by is not None:
            _keep_readings(order, order.by)


def machine_time(piece: Piece) -> datetime:
    """When the machine was last heard, for a key whose own entries it no longer has."""
    assert piece.machine is not None
    heard = piece.machine.line.heard_at
    assert heard is not None
    return heard


def _fold(machine: Machine, piece: Piece, entry: LogEntry) -> None:
    """Change a piece by one entry."""
    event, kind = entry.event, entry.event.kind
    if piece.state in (PieceState.FINISHED, PieceState.SPOILT):
        if kind in (*BEGINS, "finished", "loaded"):
            says = f"It tells “{kind}” of {piece.called} of tag {piece.tag}, which is {piece.get_state_display()}"
            note_misreport(machine, says, job=piece.job)
        return
    if piece.state == PieceState.ABANDONED:
        if kind not in BEGINS:
            return
        _open_again(machine, piece)
    if kind in BEGINS:
        _begin(piece, entry.at)
    if kind == "loaded" and piece.state in AT_MACHINE:
        note_misreport(
            machine, f"It tells that it takes in {piece.called} of tag {piece.tag}, which it has", job=piece.job
        )
        return
    if kind == "loaded":
        piece.done = min(int(event.data.get("cut", 0)), len(piece.cuts))
    if kind == "cut-done":
        _count_cut(machine, piece, event.data.get("cut"))
    elif kind == "finished":
        if piece.done == len(piece.cuts) and piece.began_at is not None:
            _finish(piece, entry.at)
        else:
            piece.state = PieceState.UNSURE
            says = (
                f"It says that {piece.called} of tag {piece.tag} is made, after {piece.done} of {len(piece.cuts)} cuts"
            )
            note_misreport(machine, says, job=piece.job)
    elif kind == "switched-on":
        piece.state = BY_MACHINE.get(str(event.data.get("then")), PieceState(piece.state))
    elif kind == "homed":
        piece.state = PieceState.HELD if event.data.get("freed") else piece.state
    else:
        piece.state = STATE_AFTER.get(kind, PieceState(piece.state))


def _open_again(machine: Machine, piece: Piece) -> None:
    """A key that was given up is cut all the same: it is a key again, and counted."""
    note_misreport(machine, f"It cuts {piece.called} of tag {piece.tag}, which was given up", job=piece.job)
    others = Piece.objects.exclude(pk=piece.pk).exclude(state=PieceState.ABANDONED)
    if piece.onto_id is not None and others.filter(onto=piece.onto_id).exists():
        piece.onto = others.filter(onto=piece.onto_id).get()
    tries = others.filter(tag=piece.tag, key_number=piece.key_number, onto=None)
    if piece.onto_id is None and tries.filter(try_number=piece.try_number).exists():
        piece.try_number = max(tries.values_list("try_number", flat=True)) + 1
    piece.state, piece.why_ended, piece.ended_at = PieceState.CUTTING, "", None


def _count_cut(machine: Machine, piece: Piece, cut: object) -> None:
    if cut == piece.done and piece.done < len(piece.cuts):
        piece.done += 1
        return
    told = cut + 1 if isinstance(cut, int) else "?"
    says = f"It tells cut {told} of {piece.called} of tag {piece.tag} after {piece.done} of {len(piece.cuts)}"
    note_misreport(machine, says, job=piece.job)


def _begin(piece: Piece, at: datetime) -> None:
    """Metal is touched: from here on the blank is used, whoever started it."""
    piece.began_at = piece.began_at or at
    count_blank(piece, used=True)


def _finish(piece: Piece, at: datetime) -> None:
    piece.state, piece.finished_at = PieceState.FINISHED, at
    write_down(Event.PIECE_MADE, None, piece.tag, piece=piece.called, job=piece.job, cuts=piece.done)


def _find_in_tray(order: Order, whereabouts: Whereabouts) -> None:
    piece = Piece.objects.select_related("tag").filter(job=order.job, state__in=SENT_AGAIN).first()
    if piece is not None and whereabouts.where == "tray":
        _take_from_tray(order.machine, piece, whereabouts)
        piece.save()


def _take_from_tray(machine: Machine, piece: Piece, whereabouts: Whereabouts) -> None:
    """A key that lies made in its machine's tray, though no entry told of it, is made."""
    if whereabouts.of != len(piece.cuts):
        says = f"It has {piece.called} of tag {piece.tag} made with {whereabouts.of} cuts, not {len(piece.cuts)}"
        note_misreport(machine, says, job=piece.job)
        piece.state = PieceState.UNSURE
        return
    piece.done = whereabouts.cut
    _begin(piece, machine_time(piece))
    _finish(piece, machine_time(piece))


def _note_homed(machine: Machine, at: datetime) -> None:
    order = Order.objects.filter(machine=machine, command="home").order_by("-pk").first()
    note_work(order.by if order else None, machine, Work.HOMED, at=at)


def _keep_readings(order: Order, by: User) -> None:
    """Every place that the caliper read, as a value of the proof."""
    piece = Piece.objects.select_related("tag__family_record", "set_up").filter(job=order.job).first()
    if piece is None or piece.set_up is None or piece.state not in {PieceState.FINISHED}:
        return
    family, read = piece.tag.family, order.result or {}
    kept = [
        ProofValue(
            piece=piece, track=command["track"], space=command["space"], source="caliper", by=by,
            value=family.depth.from_machine(read[place]["value"]),
            position=family.space.from_machine(read[place]["position"]),
        )
        for command in piece.set_up.commands
        if (place := command["place"]) in read
    ]  # fmt: skip
    ProofValue.objects.bulk_create(kept)
    if piece.tag.is_open:  # one handed over meanwhile stays as it was given
        lift_verdict(by, piece.tag, piece)
    Order.objects.filter(pk=order.pk).update(result={})  # the values are the proof's now
    write_down(Event.PROVED, by, piece.tag, piece=piece.called, job=piece.job, read=len(kept))


def has_a_piece(machine: Machine) -> bool:
    """Whether a key is in the machine's hands, so that it is asked often."""
    return Piece.objects.filter(machine=machine, state__in=AT_MACHINE).exists()


LISTENER = PieceListener()
